"""Tables for people: findings and coverage, printed through Rich."""

from collections.abc import Iterable
from itertools import groupby

from rich.console import Console
from rich.table import Table

from tavolan.checking.findings import LEVELS, Finding, count_levels
from tavolan.languages.tags import locale_name
from tavolan.project.model import Project
from tavolan.reports.styled import SafeText, styled
from tavolan.support.number_words import counted

# How many locales and stores were looked at.
Scope = tuple[int, int]
LEVEL_STYLE = {"error": "bold red", "warning": "yellow", "note": "cyan"}


def plain_table(*columns: str, title: str | None = None) -> Table:
    """Return an empty table in the style of all our tables."""
    table = Table(box=None, pad_edge=False, title=title, title_justify="left", title_style="bold", header_style="dim")
    for name in columns:
        # A head is never cut or wrapped, however narrow the terminal.
        table.add_column(name, overflow="fold", min_width=len(name))
    return table


def print_findings(
    console: Console,
    project: Project,
    findings: list[Finding],
    notes: bool = False,
    hidden: int = 0,
    scope: Scope | None = None,
) -> None:
    """Print findings grouped by locale.

    Waived ones are only counted, and so are notes unless asked for or all there is; `hidden` counts a baseline's.
    """
    counting = [f for f in findings if not f.waived]
    worse = [f for f in counting if f.level != "note"]
    shown = counting if notes or not worse else worse
    by_locale = sorted(shown, key=lambda f: (f.locale != "", _order(project, f.locale), f.sort_key()))
    # At least as wide as a few store names, which are below the field.
    width = min(24, max([12, *(len(f.field) for f in shown)]))
    for locale, group in groupby(by_locale, key=lambda f: f.locale):
        heading = f"{locale_name(locale)} · {locale}" if locale else "The whole project"
        console.print(SafeText(f"\n{heading}", style="bold"))
        table = Table(box=None, pad_edge=False, show_header=False, padding=(0, 2, 0, 0), expand=True)
        table.add_column(width=7, no_wrap=True)
        table.add_column(width=width, overflow="fold")
        table.add_column(ratio=1)
        table.add_column(no_wrap=True, overflow="fold", style="dim")
        for alike in _alike(group, width):
            table.add_row(*_cells(alike))
        console.print(table)
    console.print()
    console.print(summary_line(project, findings, scope))
    asides = (
        [f"{counted(len(counting) - len(shown), 'note')} not shown (--notes)"] if len(counting) > len(shown) else []
    )
    asides += [f"{len(findings) - len(counting)} waived"] if len(findings) > len(counting) else []
    asides += [f"{hidden} hidden by the baseline"] if hidden else []
    if asides:
        console.print(styled("[dim]{}[/]", "; ".join(asides)))


def _alike(findings: Iterable[Finding], width: int) -> Iterable[list[Finding]]:
    """Return findings in lists that share a row: those that say the same of fields whose names fit a line."""
    rows: dict[tuple[object, ...], list[Finding]] = {}
    for finding in findings:
        own = finding.field if len(finding.field) > width else ""
        key = (finding.level, finding.rule, finding.store, finding.message, finding.remedy, own)
        rows.setdefault(key, []).append(finding)
    return rows.values()


def _cells(alike: list[Finding]) -> tuple[SafeText, SafeText, SafeText, str]:
    """Return the cells of a row: each field beside its place, stores below the fields, the rule below the places."""
    first = alike[0]
    names = "\n".join(finding.field for finding in alike)
    fields = styled("{}\n[dim]{}[/]", names, first.store) if first.store else SafeText(names)
    words = styled("{}. [dim]{}[/]", first.message, first.remedy)
    places = [f"{finding.path}:{finding.line}" if finding.line else finding.path for finding in alike]
    return SafeText(first.level, LEVEL_STYLE[first.level]), fields, words, "\n".join([*places, first.rule])


def _order(project: Project, locale: str) -> int:
    return project.app.locales.index(locale) if locale in project.app.locales else -1


def summary_line(project: Project, findings: list[Finding], scope: Scope | None = None) -> SafeText:
    """Return the one line that sums a check up, of all locales and stores or of those looked at."""
    counts = count_levels(findings)
    locales, stores = scope or (len(project.app.locales), len(project.stores))
    places = f"{counted(locales, 'locale')}, {counted(stores, 'store')}"
    if not any(counts.values()):
        return SafeText(f"{project.app.name}: nothing to find fault with in {places}.", "green")
    line = SafeText(f"{project.app.name}: ", "bold")
    parts = [SafeText(counted(counts[level], level), LEVEL_STYLE[level]) for level in LEVELS if counts[level]]
    line.append_text(SafeText(", ").join(parts))
    line.append(f" in {places}.", "default")
    return line
