"""Experiments for people: the backlog as a board, sizes, verdicts, what was learned."""

import math

from rich.console import Console

from tavolan.experiments.backlog import Entry, Learned
from tavolan.experiments.building import Built
from tavolan.experiments.fading import Fading
from tavolan.experiments.files import STATES, Experiment, State
from tavolan.experiments.running import Judged, OwnRates
from tavolan.experiments.sizes import Size
from tavolan.experiments.verdicts import Judgement, Outcome
from tavolan.reports.resultstables import STEP_WORDS, ratio_words
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.support.number_words import counted

OUTCOME_WORDS: dict[Outcome, str] = {
    "better": "better than the present page",
    "worse": "worse than the present page",
    "none": "no difference worth having",
    "unknown": "can't tell yet",
}
_OUTCOME_STYLES: dict[Outcome, str] = {
    "better": "bold green",
    "worse": "bold red",
    "none": "default",
    "unknown": "yellow",
}
STATE_WORDS: dict[State, str] = {
    "running": "running",
    "finished": "finished: write down why",
    "ready": "ready to start",
    "idea": "ideas",
    "learned": "learned",
}


def print_board(console: Console, entries: list[Entry]) -> None:
    """Print all experiments, a table per state."""
    assert set(STATE_WORDS) == set(STATES)
    for state, words in STATE_WORDS.items():
        own = [entry for entry in entries if entry.state == state]
        if not own:
            continue
        console.print(styled("[bold]{}[/]  {}", words, len(own)))
        table = plain_table(
            "experiment", "place", "metric", "expected", "gain a month", "sure", "hours", "priority", "hypothesis"
        )
        for entry in own:
            table.add_row(*_row(entry))
        console.print(table)
    if not entries:
        console.print('No experiment yet. Write an idea down: tavolan experiment new ID --hypothesis "…"')


def _row(entry: Entry) -> list[SafeText]:
    one = entry.experiment
    place = f"{one.table.store} {' '.join(one.table.storefronts)}".strip()
    cells = (
        place,
        one.table.metric,
        f"{one.table.expected:+.0%}",
        gain_words(entry),
        f"{one.table.confidence:.0%}",
        f"{one.table.effort:g}",
        f"{entry.priority:.0f}",
        one.table.hypothesis,
    )
    return [SafeText(one.id, "bold"), *map(SafeText, cells)]


def gain_words(entry: Entry) -> str:
    """Return what an experiment may bring."""
    return f"{entry.gain:,.0f} installs" if entry.in_installs else f"{entry.gain:.0f} %"


def print_experiment(console: Console, entry: Entry) -> None:
    """Print one experiment and what differs in its variants."""
    one, table = entry.experiment, entry.experiment.table
    console.print(styled("[bold]{}[/]  {}  [dim]{}[/]", one.id, STATE_WORDS[entry.state], one.address))
    console.print(SafeText(table.hypothesis), soft_wrap=True)
    console.print(
        styled(
            "expected {:+.0%} {}; priority {:.0f} = {} × {:.0%} ÷ {:g} h",
            table.expected,
            table.metric,
            entry.priority,
            gain_words(entry),
            table.confidence,
            table.effort,
        )
    )
    for name, variant in table.variant.items():
        parts = [key.replace("_", " ") for key, value in variant if value]
        console.print(styled("   {}: other {}", name, ", ".join(parts)))
    if table.start:
        console.print(
            f"from {table.start} to {table.end or 'no day decided'}, {table.visitors:,} visitors of each side"
        )
    if table.outcome:
        console.print(
            styled("outcome: {}, winner {}. {}", table.outcome, table.winner or "none", table.why), soft_wrap=True
        )


def print_size(console: Console, one: Experiment, size: Size, rates: OwnRates) -> None:
    """Print how many visitors and days an experiment takes."""
    step = STEP_WORDS.get(one.table.metric, one.table.metric)
    console.print(styled("[bold]{}[/]  {} now {:.1%}, expected {:+.0%}", one.id, step, size.rate, one.table.expected))
    looks = f"{size.fixed:,} for one look at the end, the rest for daily looks"
    console.print(f"{size.needed:,} visitors of each side show it: {looks}")
    console.print(
        f"{size.a_day:,.0f} visitors a day take part, on {counted(size.sides, 'side')}; rates of {rates.period}"
    )
    if size.days is not None:
        console.print(styled("[bold green]{} days[/]", size.days))
    if size.days is not None and size.visitors > max(size.needed, size.for_none if one.table.worth_having else 0):
        least = (
            f"Two weeks are the least, since what's new is looked at because it's new. {size.visitors:,} come to each "
            "side in them, and all of them count; a smaller share would do."
        )
        console.print(SafeText(least, "dim"), soft_wrap=True)
    if not math.isnan(size.smallest):
        console.print(styled("[dim]The smallest effect that 90 days can show: {:+.1%}[/]", size.smallest))
    shows = f"That there's no difference of {size.margin:.1%} or more takes {size.for_none:,} visitors of each side"
    planned = (
        "and is planned for."
        if one.table.worth_having
        else (f"and isn't planned for: write worth_having = {size.margin:.4g} if you need to know.")
    )
    console.print(SafeText(f"{shows}, {planned}", "dim"), soft_wrap=True)


def print_built(console: Console, found: Built) -> None:
    """Print how many pictures each variant took, and where sheets and packs are."""
    for one in found.variants:
        made = f"{counted(one.made, 'picture')} made, {one.kept} kept, {one.same} like the present page"
        if not one.made + one.kept + one.same:
            made = "differs in its icon only"
        console.print(styled("[bold]{}[/]  {}", one.name, made))
        where = str(one.pack) if one.pack else "no pack: pictures of the present page are missing"
        console.print(styled("   {}", where), soft_wrap=True)
    for path in found.icons:
        console.print(str(path), soft_wrap=True)
    for path in found.sheets:
        console.print(str(path), soft_wrap=True)
    if found.missing:
        several = counted(len(found.missing), "picture")
        console.print(styled("[yellow]{} of the present page not up to date:[/] tavolan shots render", several))


def print_verdict(console: Console, found: Judged, why: bool) -> None:
    """Print what's known of each variant, and what makes it doubtful."""
    verdict, table = found.verdict, found.experiment.table
    span = f"{found.first} to {found.last}" if found.first else "no counts yet"
    console.print(
        styled("[bold]{}[/]  {}, {:.0%} of the planned visitors", found.experiment.id, span, verdict.progress)
    )
    if verdict.is_split_wrong:
        doubt = (
            f"Visitors weren't split as planned (chance {verdict.split_chance:.1g}): the counts can't be trusted. "
            "Find out why before you read on."
        )
        console.print(SafeText(doubt, "bold red"), soft_wrap=True)
    if verdict.is_split_doubtful:
        parts = ", ".join(f"{name} {share:.1%}" for name, share in verdict.split.items())
        doubt = f"Visitors were split unevenly: {parts}. An even split comes out like this once in "
        doubt += f"{1 / verdict.split_chance:,.0f} times: look for a reason before you trust the verdict."
        console.print(SafeText(doubt, "yellow"), soft_wrap=True)
    rows = plain_table("variant", "visitors", "share", "control", "ratio", "verdict")
    for one in verdict.judgements:
        words = OUTCOME_WORDS[one.outcome] + (f", since look {one.decided}" if one.decided else "")
        rows.add_row(
            SafeText(one.variant, "bold"),
            f"{one.visitors:,}",
            _percent(one.share),
            _percent(one.control),
            SafeText(ratio_words(one.ratio)),
            SafeText(words, _OUTCOME_STYLES[one.outcome]),
        )
    console.print(rows)
    for one in verdict.judgements:
        for line in _doubts(one):
            console.print(SafeText(line, "yellow"), soft_wrap=True)
    if all(one.outcome == "unknown" for one in verdict.judgements):
        console.print(_nobody_can_tell(found), soft_wrap=True)
    if found.left_out:
        console.print(f"{counted(found.left_out, 'day')} of campaigns left out")
    for overlap in found.overlaps:
        console.print(styled("[yellow]Could play a part:[/] {}", overlap), soft_wrap=True)
    if why:
        text = (
            f"{counted(verdict.looks, 'look')}, each may decide: bounds by alpha spending (Lan, DeMets 1983), error "
            f"rate {table.error:g} over all looks and variants. Intervals hold at all looks together. A difference "
            f"within {table.margin:.1%} isn't worth having. Days scatter beyond the chance of single visitors by "
            f"{', '.join(f'{one.scatter:.1%}' for one in verdict.judgements)} (standard deviation), which is in the "
            f"intervals. Split: chi-square, chance {verdict.split_chance:.2g}. "
            "Formulas: docs/experiments.md"
        )
        console.print(SafeText(text, "dim"), soft_wrap=True)


def _nobody_can_tell(found: Judged) -> str:
    verdict = found.verdict
    if verdict.progress < 1 and found.days_to_go:
        return f"{counted(found.days_to_go, 'day')} to go"
    known = [one for one in verdict.judgements if one.ratio.low > 0 and math.isfinite(one.ratio.high)]
    left = "; ".join(f"{one.variant} {one.ratio.low - 1:+.1%} to {one.ratio.high - 1:+.1%}" for one in known)
    return "It's over, and nobody can tell. What's left possible: " + (left or "everything, so few came") + "."


def _doubts(one: Judgement) -> list[str]:
    """Return what makes a judgement less sure than its interval."""
    found = []
    if one.fading and not one.fading.lasts:
        found.append(f"{one.variant}: {_fading_words(one.fading)}")
    if one.outcome in ("better", "worse") and not one.fading:
        found.append(f"{one.variant}: too few days came to tell whether it lasts.")
    if one.is_scatter_shown:
        found.append(
            f"{one.variant}: its days scatter by {one.scatter:.0%} beyond the chance of single visitors, and the "
            "interval is as much wider. Look for what differs from day to day."
        )
    return found


def _fading_words(fading: Fading) -> str:
    first, since = (
        f"{part.value - 1:+.1%} ({part.low - 1:+.1%} to {part.high - 1:+.1%})" for part in (fading.first, fading.since)
    )
    ends = (
        "the interest in what's new has faded, so this is no effect yet."
        if fading.faded
        else "that it lasts isn't shown."
    )
    return f"{first} in the first {fading.days} days, {since} since then: {ends}"


def _percent(share: float) -> str:
    return "–" if math.isnan(share) else f"{share:.2%}"


def print_learned(console: Console, found: Learned) -> None:
    """Print all outcomes beside what was expected."""
    if not found.entries:
        console.print("No experiment has an outcome yet: tavolan experiment judge ID --apply")
        return
    table = plain_table("experiment", "expected", "outcome", "winner", "why")
    for one in found.entries:
        outcome = one.table.outcome or "unknown"
        cells = SafeText(outcome, _OUTCOME_STYLES[outcome]), SafeText(one.table.winner)
        why = SafeText(one.table.why or "not written down yet")
        table.add_row(SafeText(one.id, "bold"), f"{one.table.expected:+.0%}", *cells, why)
    console.print(table)
    console.print(f"{found.as_expected} of {found.clear} with a clear outcome went as expected.")
    if not math.isnan(found.factor):
        console.print(f"Effects were {found.factor:.1f} times as large as expected, by the median.")
