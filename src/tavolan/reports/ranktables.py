"""Tables of ranks over time and of search shares, for people."""

from rich.console import Console

from tavolan.project.model import Project
from tavolan.reports.rank_words import rank_words
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.results.history import RankHistory
from tavolan.results.share import ShareLine
from tavolan.support.number_words import counted

_MOST = 60


def print_history(console: Console, name: str, history: RankHistory, why: bool = False) -> None:
    """Print first, best and last rank per phrase and storefront; `name` is our app's."""
    console.print(styled("[bold]{}[/]", history.period))
    several_apps = len({line.app for line in history.lines}) > 1
    table = plain_table(
        "phrase", "storefront", *(["app"] if several_apps else []), "store", "first", "best", "last", ""
    )
    for line in history.lines[:_MOST]:
        rose, fell = line.last < line.first, line.last > line.first
        sign = SafeText("↑" if rose else "↓" if fell else "", "green" if rose else "red")
        app = [SafeText(line.app or name)] if several_apps else []
        ranks = [SafeText(rank_words(rank)) for rank in (line.first, line.best, line.last)]
        table.add_row(SafeText(line.phrase), SafeText(line.storefront), *app, SafeText(line.store), *ranks, sign)
    console.print(table)
    if len(history.lines) > _MOST:
        console.print(
            f"and {counted(len(history.lines) - _MOST, 'line')} more: name phrases, --storefront or --word-list"
        )
    for change in history.changes:
        console.print(styled("{} {}: {}", change.day, change.store, change.words), soft_wrap=True)
    for campaign in history.campaigns:
        console.print(styled("{}: {}", campaign.period, campaign.what), soft_wrap=True)
    if why:
        looks = sum(len(line.ranks) for line in history.lines)
        formula = (
            f"{counted(looks, 'look')} of data/ranks.csv: the first, the best and the last of the period; none: looked "
            "for, and not among the first of its depth. Changes are of these storefronts: docs/results.md"
        )
        console.print(SafeText(formula, "dim"), soft_wrap=True)


def print_shares(console: Console, project: Project, lines: list[ShareLine], why: bool) -> None:
    """Print each app's search share, at the beginning and at the end."""
    table = plain_table("store", "storefront", "list", "app", "first", "last", "", "phrases")
    most = max((line.last for line in lines), default=0) or 1
    for line in lines:
        change = line.last - line.first
        bar = SafeText("█" * round(20 * line.last / most), "green" if not line.app else "dim")
        table.add_row(
            SafeText(line.store),
            SafeText(line.storefront),
            SafeText(line.list or "all"),
            SafeText(line.app or project.app.name, "default" if line.app else "bold"),
            f"{line.first:.1%}",
            SafeText(f"{line.last:.1%} {'↑' if change > 0.0005 else '↓' if change < -0.0005 else ''}"),
            bar,
            str(line.phrases),
        )
    console.print(table)
    if why:
        settings = project.results
        console.print(
            styled(
                "[dim]Share = demand × what the rank gets, summed, of all demand. Rank r gets "
                "1 ÷ r^{:g} of all ranks down to {}: \\[results] steepness, depth; docs/results.md[/]",
                settings.steepness,
                settings.depth,
            ),
            soft_wrap=True,
        )
