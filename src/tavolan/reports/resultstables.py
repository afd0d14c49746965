"""Tables about results, for people: effects of changes, the funnel."""

import math
from collections.abc import Iterable

from rich.console import Console

from tavolan.reports.rank_words import rank_words
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.results.effect import ChangeEffect
from tavolan.results.funnel import STEPS, Funnel, FunnelReport, Step
from tavolan.results.intervals import Interval
from tavolan.results.rank_effect import RankEffect
from tavolan.results.rate_effect import WORTH_HAVING, RateEffect, Verdict
from tavolan.support.number_words import counted

METHOD_WORDS = {
    "counts": "two counts compared, as chance has it",
    "regression": "a regression over the days",
    "control": "compared with storefronts that it didn't touch",
}
STEP_WORDS = {"page": "seen → page", "install": "page → install", "direct": "seen → install"}
_RANK_VERDICTS: dict[Verdict, str] = {"up": "better", "down": "worse", "none": "alike", "unknown": "can't tell"}
_MOST_RANKS = 6
_VERDICT_STYLE: dict[Verdict, str] = {"up": "bold green", "down": "bold red", "none": "default", "unknown": "yellow"}


def verdict_words(found: RateEffect) -> str:
    """Return what a change did, as a sentence without its full stop."""
    if found.verdict == "unknown":
        more = f"; {counted(found.days_more, 'day')} more on each side may tell" if found.days_more else ""
        return f"can't tell{more}"
    if found.verdict == "none":
        return f"no difference of {WORTH_HAVING:.0%} or more"
    return "more than before" if found.verdict == "up" else "less than before"


def visibility_sentences(found: RateEffect) -> list[str]:
    """Return which days are unlike all others, what the days could have shown, and how long one of 10 % would take."""
    said = [f"Unlike all other days, and so no part of the effect: {first} to {last}." for first, last in found.unusual]
    if not math.isnan(found.least_seen) and found.verdict == "unknown":
        least = f"These days would show a change of {found.least_seen - 1:.0%} or more, in four cases of five"
        wait = f"; one of {WORTH_HAVING:.0%} needs {counted(found.days_for_tenth or 0, 'day')} on each side"
        said.append(f"{least}{wait if found.days_for_tenth else ''}.")
    return said


def ratio_words(ratio: Interval) -> str:
    """Return a ratio with its interval, as `× 1.27 (1.14 to 1.40)`."""
    return f"× {_number(ratio.value)} ({_number(ratio.low)} to {_number(ratio.high)})"


def _number(value: float) -> str:
    if math.isnan(value):
        return "?"
    return "∞" if math.isinf(value) else f"{value:.2f}"


def print_effects(console: Console, effects: Iterable[ChangeEffect]) -> None:
    """Print a line for each change: what it did, and whether something else could be the cause."""
    table = plain_table("day", "store", "change", "ratio", "verdict", "ranks", "other causes")
    for one in effects:
        found = one.found
        ratio = ratio_words(found.ratio) if found else "–"
        verdict = (
            SafeText(verdict_words(found), _VERDICT_STYLE[found.verdict]) if found else SafeText(one.why_not, "dim")
        )
        suspects = SafeText(str(len(one.suspects) or ""), "yellow")
        places = one.change.words or "no line in the journal"
        table.add_row(
            SafeText(one.change.days),
            SafeText(one.change.store),
            SafeText(places),
            SafeText(ratio),
            verdict,
            _rank_verdict(one),
            suspects,
        )
    console.print(table)


def _rank_verdict(one: ChangeEffect) -> SafeText:
    if one.ranks is None or math.isnan(one.ranks.ratio.value):
        return SafeText("")
    return SafeText(
        f"× {one.ranks.ratio.value:.1f} {_RANK_VERDICTS[one.ranks.verdict]}", _VERDICT_STYLE[one.ranks.verdict]
    )


def print_effect(console: Console, one: ChangeEffect, why: bool) -> None:
    """Print what a change did, the days that were compared, and all else that could be the cause."""
    places = one.change.words or "no line in the journal"
    console.print(styled("[bold]{}  {}[/]  {}", one.change.days, one.change.store, places))
    question = one.question
    console.print(
        styled(
            "{} from {} in {}",
            question.metric.replace("_", " "),
            " and ".join(question.sources) or "all sources",
            " ".join(one.storefronts) or "no storefront",
        )
    )
    if one.found is None:
        console.print(SafeText(one.why_not, "yellow"))
    else:
        console.print(
            SafeText(f"{verdict_words(one.found)}: {ratio_words(one.found.ratio)}", _VERDICT_STYLE[one.found.verdict])
        )
        table = plain_table("", "days", "compared", "per day")
        for name, period, rate, after in (
            ("before", one.before, one.found.rate_before, False),
            ("after", one.after, one.found.rate_after, True),
        ):
            length = one.series.length(after) if one.series else 0
            table.add_row(name, str(period), f"{length} of {period.days}", f"{rate:.2f}")
        console.print(table)
        for sentence in visibility_sentences(one.found):
            console.print(SafeText(sentence), soft_wrap=True)
        if why:
            console.print(styled("Method: {}; {}", METHOD_WORDS[one.found.method], "; ".join(one.reasons)))
            if one.control:
                console.print(styled("Compared with: {}", ", ".join(one.control)), soft_wrap=True)
            console.print(styled("[dim]The interval holds the true ratio 95 times of 100: docs/results.md[/]"))
    if one.ranks:
        _print_ranks(console, one.ranks, why)
    for suspect in one.suspects:
        console.print(styled("[yellow]Could be the cause too:[/] {}", suspect), soft_wrap=True)


def rank_effect_words(ranks: RankEffect) -> str:
    """Return what a change did to ranks, as a sentence without its full stop."""
    unfound = f", {ranks.unfound} of them never found" if ranks.unfound else ""
    several = f"{counted(len(ranks.touched), 'phrase')} that it touched{unfound}"
    if math.isnan(ranks.ratio.value):
        return f"ranks: {several}; can't tell: {ranks.why_not}"
    verdict = {"up": "better ranks", "down": "worse ranks", "none": "ranks alike", "unknown": "ranks: can't tell"}
    others = counted(len(ranks.others), "other")
    return f"{verdict[ranks.verdict]}: {several}, {ratio_words(ranks.ratio)} as good against {others}"


def _print_ranks(console: Console, ranks: RankEffect, why: bool) -> None:
    words = rank_effect_words(ranks)
    console.print(SafeText(words[0].upper() + words[1:], _VERDICT_STYLE[ranks.verdict]), soft_wrap=True)
    shown = ranks.touched if why else ranks.touched[:_MOST_RANKS]
    moved = [f"{one.phrase} {rank_words(one.before)} → {rank_words(one.after)} ({one.storefront})" for one in shown]
    more = len(ranks.touched) - len(shown)
    console.print(styled("   {}{}", ", ".join(moved), f", and {more} more" if more else ""), soft_wrap=True)
    if why:
        formula = (
            "Medians of the windows. The step in the difference of both groups' mean logarithms, day by day, beside "
            "its trend and memory: docs/results.md"
        )
        console.print(SafeText(formula, "dim"), soft_wrap=True)


def print_funnel(console: Console, report: FunnelReport, why: bool) -> None:
    """Print the funnel of each storefront, and the step whose repair would bring most installs."""
    sources = " and ".join(report.sources) or "all sources"
    console.print(styled("[bold]{}[/]  {}; beside it the {} days before", report.period, sources, report.period.days))
    table = plain_table("store", "storefront", "seen", "pages", "installs", *STEP_WORDS.values())
    for one in report.funnels:
        counts = [f"{one.counts[name]:,.0f}" for name in ("impressions", "page_views", "installs")]
        table.add_row(SafeText(one.store), SafeText(one.storefront), *counts, *(_step(step) for step in one.steps))
    console.print(table)
    console.print(styled("[dim]▼ below its goal, and ↑ ↓ other than before, by more than chance explains[/]"))
    if report.withheld:
        console.print(f"{counted(report.withheld, 'row')} with a withheld count, and so in no share")
    if report.repair:
        funnel, step = report.repair
        console.print(styled("[bold]{}[/]", repair_words(funnel, step)), soft_wrap=True)
        if why:
            words = styled("Goal {:.1%}, from {}. It depends on {}.", step.goal, step.goal_from, STEPS[step.name][2])
            console.print(words)
            console.print(styled("[dim]More installs = installs × (goal ÷ rate − 1). Formulas: docs/results.md[/]"))
    elif why:
        console.print("No step is below its goal by more than chance explains.")


def repair_words(funnel: Funnel, step: Step) -> str:
    """Return what the repair of a step would bring, as a sentence."""
    return (
        f"Most to win: {STEP_WORDS[step.name]} in {funnel.store} {funnel.storefront}, {step.share.value:.1%} where "
        f"{step.goal:.1%} can be had: {funnel.gain(step):,.0f} more installs in such a period."
    )


def share_words(step: Step) -> str:
    """Return a step's share beside that of the period before, and whether it's another by more than chance."""
    if math.isnan(step.share.value):
        return "–"
    if math.isnan(step.before.value):
        return f"{step.share.value:.1%}"
    sign = " ↑" if step.share.low > step.before.high else " ↓" if step.share.high < step.before.low else ""
    return f"{step.share.value:.1%}{sign} ({step.before.value:.1%} before)"


def _step(step: Step) -> SafeText:
    if math.isnan(step.share.value):
        return SafeText("–", "dim")
    text = SafeText(f"{step.share.value:.1%} ({step.share.low:.1%} to {step.share.high:.1%})")
    if step.lags:
        text.append(" ▼", "red")
    if step.share.low > step.before.high:
        text.append(" ↑", "green")
    elif step.share.high < step.before.low:
        text.append(" ↓", "red")
    return text
