"""Tables about where words come from: mined candidates, scores, reach, lists."""

from typing import Any

from rich.console import Console

from tavolan.reports.rank_words import rank_cell
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.support.number_words import counted
from tavolan.words.difficulty import PARTS
from tavolan.words.mined import Mined
from tavolan.words.score import Fit, Score

_REACH = {"won": "bold green", "within reach": "green", "a stretch": "yellow", "out of reach": "red"}


def print_mined(console: Console, found: list[Mined], total: int) -> None:
    """Print candidates with all their sources."""
    table = plain_table("", "candidate", "G²", "texts", "apps", "stars", "", "sources, with an example")
    for number, one in enumerate(found, 1):
        marks = SafeText("target " if one.target else "", "cyan")
        marks.append("answered" if one.covered else "", "green")
        sources = SafeText(", ".join(f"{name} {count}" for name, count in one.sources.items()))
        example = next(iter(one.examples.values()))
        sources.append(f"\n{example}", "dim")
        stars = f"{one.stars:.1f}" if one.stars is not None else ""
        apps = str(one.apps) if one.apps else ""
        score = "" if one.score is None else f"{one.score:+.1f}"
        phrase = SafeText(one.phrase, "bold")
        table.add_row(str(number), phrase, score, str(one.texts), apps, stars, marks, sources)
    console.print(table)
    console.print(styled("[dim]{} of {}; G² as in docs/words.md[/]", len(found), counted(total, "candidate")))
    if found:
        console.print(styled("[dim]Take some into terms/ by their numbers: the same command with --add 1,3[/]"))


def print_scores(console: Console, found: list[Score], parts: bool) -> None:
    """Print difficulty and demand of phrases."""
    extra = [*PARTS, "crowd"] if parts else []
    table = plain_table("locale", "phrase", "storefront", "difficulty", "from", "demand", "from", *extra)
    for one in found:
        hard = f"{one.difficulty:.0f}" if one.difficulty is not None else SafeText("unknown", "dim")
        origin: str = one.difficulty_from
        if origin == "list" and one.page is not None:
            origin = f"list; page says {one.page:.0f}"
        values = [f"{one.parts[name]:.2f}" if name in one.parts else "" for name in extra]
        phrase = SafeText(one.phrase, "bold")
        table.add_row(one.locale, phrase, one.storefront, hard, origin, f"{one.demand:.0f}", one.demand_from, *values)
    console.print(table)
    console.print(styled("[dim]difficulty: from terms/, else from data/search_pages.csv; formula: docs/words.md[/]"))


def print_fit(console: Console, locale: str, fit: Fit) -> None:
    """Print what's within reach."""
    facts = f"{counted(fit.phrases, 'phrase')} in the first ten: difficulty {fit.mean:.0f} ± {fit.spread:.0f}"
    console.print(styled("[bold]{}[/]  {}\n", locale, facts))
    table = plain_table("phrase", "reach", "ranks, and their change in four weeks")
    order = list(_REACH)
    for phrase, reach in sorted(fit.reach.items(), key=lambda item: (order.index(item[1]), item[0])):
        ranks = SafeText()
        for storefront, store, known in fit.ranks[phrase]:
            ranks.append(f"{store} {storefront} ".lstrip(), "dim").append_text(rank_cell(known)).append("   ")
        table.add_row(SafeText(phrase), SafeText(reach, _REACH[reach]), ranks)
    console.print(table)


def print_lists(console: Console, rows: list[dict[str, Any]]) -> None:
    """Print counts and coverage per list."""
    table = plain_table("list", "locale", "store", "storefront", "phrases", "answered", "value", "at best")
    for row in rows:
        done = SafeText(
            f"{row['answered']}/{row['phrases']}", "green" if row["answered"] == row["phrases"] else "default"
        )
        table.add_row(
            SafeText(row["list"], "bold"),
            row["locale"],
            row["store"],
            row["storefront"],
            str(row["phrases"]),
            done,
            f"{row['value']:.1f}",
            f"{row['value_at_best']:.1f}",
        )
    console.print(table)
