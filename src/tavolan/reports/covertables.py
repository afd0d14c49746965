"""Tables of coverage: phrases per storefront, the matrix of all, missing words, second budgets."""

from itertools import groupby

from rich.console import Console

from tavolan.project.model import Project
from tavolan.reports.copytables import gauge
from tavolan.reports.rank_words import rank_cell
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.support.number_words import counted, some_of
from tavolan.words.coverage import Answer, Unlock
from tavolan.words.mentions import Mentions
from tavolan.words.second_budgets import Budget
from tavolan.words.value import TIER_WORDS, Worth

# Rows of a table that anybody would still read, and names in a cell.
MOST_ROWS = 500
_SOME = 6
# One mark per tier, strongest first; the last one is for phrases that nothing answers.
MARKS = {"title-phrase": "█", "title-words": "▓", "with-subtitle": "▒", "with-keywords": "░", None: "·"}


def print_summary(console: Console, project: Project, answers: list[Answer]) -> None:
    """Print one line per store and storefront, and the sum of all."""
    table = plain_table("store", "storefront", "answered", "", "value", "at best", "reads")
    groups: dict[tuple[str, str], list[Answer]] = {}
    for a in answers:
        groups.setdefault((a.store, a.storefront), []).append(a)
    for (store, front), own in groups.items():
        done, reached, best = sum(a.covered for a in own), sum(a.value for a in own), sum(a.worth.value for a in own)
        reads = ", ".join(own[0].reads) or "none of the project's locales"
        bar = gauge(done, len(own))
        table.add_row(
            store,
            SafeText(front, "bold"),
            f"{done}/{len(own)}",
            bar,
            f"{reached:.0f}",
            f"{best:.0f}",
            SafeText(reads, "dim"),
        )
    if groups:
        console.print(table)
    _print_total(console, project, answers)


def print_coverage(
    console: Console, project: Project, answers: list[Answer], uncovered_only: bool, why: bool = False
) -> None:
    """Print a table per store and storefront, uncovered phrases first, then a summary; `why` adds the value's parts."""
    by_store = sorted(answers, key=lambda a: list(project.stores).index(a.store))
    for (store, front), group in groupby(by_store, key=lambda a: (a.store, a.storefront)):
        rows = list(group)
        done = sum(a.covered for a in rows)
        reads = ", ".join(rows[0].reads) or "none of the project's locales"
        reached, best = sum(a.value for a in rows), sum(a.worth.value for a in rows)
        facts = f"{done} of {counted(len(rows), 'phrase')} answered, value {reached:.0f} of {best:.0f}"
        console.print(styled("\n[bold]{} · {}[/]  {}  [dim]reads {}[/]", store, front, facts, reads))
        ranked = any(a.rank for a in rows)
        extra = [*(["rank"] if ranked else []), *(["demand", "difficulty"] if why else [])]
        table = plain_table("", "phrase", "value", *extra, "answered by", "how", "words and where they are")
        wanted = [a for a in rows if not (a.covered and uncovered_only)]
        shown = sorted(wanted, key=lambda a: (a.covered, -a.worth.value, a.phrase))
        for a in shown[:MOST_ROWS]:
            mark, phrase, value, *others = _cover_row(a)
            cells = [*([rank_cell(a.rank)] if ranked else []), *(_origins(a.worth) if why else ())]
            table.add_row(mark, phrase, value, *cells, *others)
        if table.row_count:
            console.print(table)
        _print_left(console, len(shown))
    _print_total(console, project, answers)


def _print_left(console: Console, rows: int) -> None:
    if rows > MOST_ROWS:
        console.print(styled("[dim]{} more; --json has all of them[/]", counted(rows - MOST_ROWS, "phrase")))


def _print_total(console: Console, project: Project, answers: list[Answer]) -> None:
    total = sum(a.covered for a in answers)
    reached, best = sum(a.value for a in answers), sum(a.worth.value for a in answers)
    console.print(
        styled(
            "\n[bold]{}:[/] {} of {} answered, value {:.0f} of {:.0f} if every phrase were in a title.",
            project.app.name,
            total,
            counted(len(answers), "phrase"),
            reached,
            best,
        )
    )


def _origins(worth: Worth) -> tuple[SafeText, SafeText]:
    """Return demand and difficulty, each with where it's from."""
    hard = SafeText("unknown", "dim") if worth.difficulty is None else SafeText(f"{worth.difficulty:.0f} ")
    return (
        SafeText(f"{100 * worth.demand:.0f} ").append(worth.demand_from, "dim"),
        hard.append(worth.difficulty_from, "dim"),
    )


def _cover_row(a: Answer) -> tuple[SafeText, SafeText, SafeText, SafeText, SafeText, SafeText]:
    mark = SafeText("✓", "green") if a.covered else SafeText("✗", "red")
    where = SafeText(a.locale or "", "default" if a.confidence == "high" else "dim")
    if a.covered and a.confidence != "high":
        where.append(f" ({a.confidence} confidence)")
    words = SafeText()
    for word, field in a.used.items():
        words.append(f"{word} ", "default").append(f"{field}  ", "dim")
    for word in a.missing:
        words.append(f"{word} ", "red").append("missing  ", "dim")
    value = SafeText(f"{a.value:.0f}/{a.worth.value:.0f}", "default" if a.covered else "dim")
    how = SafeText(TIER_WORDS[a.tier] if a.tier else "")
    if a.mentions:
        how = _mentions(a.mentions)
    return mark, SafeText(a.phrase), value, where if a.covered or a.used else SafeText(""), how, words


def _mentions(mentions: Mentions) -> SafeText:
    """Return how often a phrase is in each field, its density and first place."""
    if not mentions.total:
        return SafeText("never word by word", "dim")
    parts = ", ".join(f"{field} {count}" for field, count in mentions.counts.items() if count)
    cell = SafeText(f"{parts}; {mentions.density:.1f} %, first at {mentions.first}")
    return cell.append(" stuffed", "bold yellow") if mentions.stuffed else cell


def print_matrix(console: Console, answers: list[Answer]) -> None:
    """Print the matrix phrase x storefront of each store, weightiest phrases first."""
    for store, group in groupby(answers, key=lambda a: a.store):
        rows = list(group)
        fronts = list(dict.fromkeys(a.storefront for a in rows))
        cells = {(a.phrase, a.storefront): a for a in rows}
        worth: dict[str, float] = {}
        for a in rows:
            worth[a.phrase] = worth.get(a.phrase, 0.0) + a.worth.value
        table = plain_table("phrase", "value", *fronts, title=f"\n{store}")
        for phrase in sorted(worth, key=lambda phrase: (-worth[phrase], phrase))[:MOST_ROWS]:
            marks = [_mark(cells.get((phrase, front))) for front in fronts]
            table.add_row(SafeText(phrase), f"{worth[phrase]:.0f}", *marks)
        console.print(table)
        _print_left(console, len(worth))
    legend = "   ".join(f"{MARKS[tier]} {words}" for tier, words in TIER_WORDS.items())
    console.print(styled("[dim]{}   {} not answered[/]", legend, MARKS[None]))


def _mark(answer: Answer | None) -> SafeText:
    if answer is None:
        return SafeText("")
    return SafeText(MARKS[answer.tier] * 2, "green" if answer.covered else "red")


def print_unlocks(console: Console, store: str, found: list[Unlock], top: int = 8) -> None:
    """Print the missing words that would unlock the most in a store."""
    if not found:
        return
    table = plain_table(
        "word", "locale", "value", "answers by itself", "helps", title=f"\nMissing words worth most in {store}"
    )
    for one in found[:top]:
        table.add_row(
            SafeText(one.word, "bold"),
            one.locale,
            f"{one.value:.1f}",
            some_of(one.alone, _SOME),
            some_of(one.helps, _SOME),
        )
    console.print(table)


def print_budgets(console: Console, found: list[Budget]) -> None:
    """Print the keyword budgets that storefronts read beside their first locale."""
    extra = [one for one in found if not one.first]
    if not extra:
        return
    table = plain_table("storefront", "also reads", "", "used", "left", "wasted there", title="\nSecond budgets")
    for one in extra:
        bar = gauge(one.used, one.limit)
        wasted = SafeText(", ".join(one.wasted), "yellow")
        table.add_row(one.storefront, one.locale, bar, f"{one.used}/{one.limit}", str(one.left), wasted)
    console.print(table)


def print_title_words(console: Console, served: dict[str, list[Answer]]) -> None:
    """Print the words of a title with the phrases they serve and the app's rank for each, with its change."""
    table = plain_table("word", "phrases", "served, with storefront and rank where it's known")
    for word, answers in served.items():
        cell = SafeText()
        for a in answers:
            cell.append(a.phrase).append(f" {a.storefront} ", "dim").append_text(rank_cell(a.rank)).append("   ")
        table.add_row(SafeText(word, "bold"), str(len(answers)), cell if answers else SafeText("none", "dim"))
    console.print(table)
