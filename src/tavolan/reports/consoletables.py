"""Tables about consoles, for people: comparisons, what a push or pull does, the journal."""

import re
from collections.abc import Sequence
from difflib import SequenceMatcher

from rich.console import Console

from tavolan.consoles.comparison import Comparison
from tavolan.consoles.forecast import Risk
from tavolan.consoles.gate import Held
from tavolan.consoles.merge import SIDE_WORDS, Cell, Side, counted_by_side
from tavolan.consoles.protocol import Section
from tavolan.consoles.trial import Verdict
from tavolan.project.journal import Line, shown
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.support.number_words import counted, some_of

SIDE_STYLE: dict[Side, str] = {"same": "dim", "here": "green", "there": "cyan", "both": "bold red"}
_SIGNS: dict[Side, str] = {"same": "·", "here": "→", "there": "←", "both": "↔"}
_MOST_TEXT = 60
# Words that are shown around those that differ.
_AROUND = 5
# Reasons of a push for holding something back that are printed, of each store.
_MOST_HELD = 8
# How the journal names pictures: by the beginnings of their digests.
_DIGESTS = re.compile(r"[0-9a-f]{12}(, [0-9a-f]{12})*")


def print_comparison(console: Console, found: Comparison, every: bool = False) -> None:
    """Print who changed what: a line per locale with its counts, and each place that differs."""
    by_locale: dict[str, list[Cell]] = {}
    for cell in found.cells:
        by_locale.setdefault(cell.place.locale, []).append(cell)
    console.print(styled("\n[bold]{}[/]  [dim]{}[/]", found.store.id, _state(found)))
    table = plain_table("locale", "same", "here", "there", "both", "what differs")
    # Locales in which the same places differ share a row: forty often do.
    rows: dict[tuple[tuple[str, Side], ...], list[str]] = {}
    for locale, cells in by_locale.items():
        differing: tuple[tuple[str, Side], ...] = tuple((c.place.field, c.side) for c in cells if c.side != "same")
        if differing or every:
            rows.setdefault(differing, []).append(locale or "facts")
    for differing, locales in rows.items():
        cells = [cell for locale in locales for cell in by_locale[locale if locale != "facts" else ""]]
        counts = counted_by_side(cells)
        numbers = [SafeText(str(counts[side]) if counts[side] else "", SIDE_STYLE[side]) for side in counts]
        table.add_row(SafeText(" ".join(locales), "bold"), *numbers, _places(differing))
    if table.row_count:
        console.print(table)
    counts = found.counts
    words = ", ".join(f"{counts[side]} {SIDE_WORDS[side]}" for side in SIDE_WORDS if counts[side] or side == "same")
    console.print(SafeText(words, "green" if counts["same"] == len(found.cells) else "default"))


def _state(found: Comparison) -> str:
    version = next((v for v in found.remote.versions if v.state not in ("replaced",)), None)
    return f"version {version.version} is {version.state}" if version else "no version yet"


def _places(differing: tuple[tuple[str, Side], ...]) -> SafeText:
    line = SafeText()
    for name, side in differing:
        line.append(f"{_SIGNS[side]}{name}", SIDE_STYLE[side]).append("  ")
    return line


def print_sections(console: Console, sections: list[Section]) -> None:
    """Print what a hand-over still needs."""
    waiting = [section for section in sections if not section.done and section.id != "hand-over"]
    if not waiting:
        console.print(SafeText("Everything that a hand-over needs is there.", "green"))
        return
    console.print(styled("[bold]Still open before a hand-over[/]"))
    for section in waiting:
        lock = " (locked until a build is there)" if section.locked else ""
        missing = ", ".join(section.missing[:6]) + (" …" if len(section.missing) > 6 else "")
        console.print(styled("  ○ {}{}  [dim]{}[/]", section.id.replace("_", " "), lock, missing), soft_wrap=True)


def print_cells(console: Console, title: str, cells: Sequence[Cell], most: int | None = None) -> None:
    """Print places with their value in the console and in the project; of many, the first `most`."""
    table = plain_table("", "locale", "field", "in the console", "in the project")
    for cell in cells[:most]:
        there, here = _short(cell.there), _short(cell.here)
        sign = SafeText(_SIGNS[cell.side], SIDE_STYLE[cell.side])
        table.add_row(
            sign, SafeText(cell.place.locale or "–"), SafeText(cell.place.field), SafeText(there), SafeText(here)
        )
    if table.row_count:
        console.print(styled("\n[bold]{}[/]", title))
        console.print(table)
    if most is not None and len(cells) > most:
        more = counted(len(cells) - most, "more change")
        console.print(styled("[dim]and {}; tavolan console compare --texts shows each[/]", more))


def print_conflicts(console: Console, title: str, cells: Sequence[Cell]) -> None:
    """Print what both sides made of each place: of texts the words that differ, with their surroundings."""
    if cells:
        console.print(styled("\n[bold]{}[/]", title))
    for cell in cells:
        console.print(SafeText(f"{cell.place.locale or 'facts'}  {cell.place.field}", "bold"))
        sides = (("here", cell.here, "green"), ("there", cell.there, "cyan"))
        both = isinstance(cell.here, str) and isinstance(cell.there, str)
        for name, value, style in sides:
            other = cell.there if name == "here" else cell.here
            text = differing_words(value, other, style) if both else SafeText(_short(value), style)
            console.print(SafeText(f"  {name:<6}", "dim").append_text(text), soft_wrap=True)


def differing_words(text: str, other: str, style: str) -> SafeText:
    """Return a text with the words that another one hasn't in colour; of long stretches that both have, the ends."""
    words, others = text.split(), other.split()
    line = SafeText()
    for tag, start, end, _, _ in SequenceMatcher(None, words, others, autojunk=False).get_opcodes():
        part = words[start:end]
        if tag == "equal" and len(part) > 2 * _AROUND:
            head = part[:_AROUND] if start else []
            tail = part[-_AROUND:] if end < len(words) else []
            part = [*head, "…", *tail]
        if part:
            line.append(" ".join(part) + " ", "dim" if tag == "equal" else f"bold {style}")
    return line if line.plain else SafeText("∅", f"bold {style}")


def print_held(console: Console, title: str, held: Sequence[Held]) -> None:
    """Print what is held back: what shares its reason and its way out shares a row, as far as rows fit on a screen."""
    rows: dict[tuple[str, str], dict[str, list[str]]] = {}
    for each in held:
        place = each.cell.place
        rows.setdefault((each.why, each.remedy), {}).setdefault(place.locale or "facts", []).append(place.field)
    if not rows:
        return
    table = plain_table("what", "why", "the way out")
    for (why, remedy), by_locale in list(rows.items())[:_MOST_HELD]:
        fields = list(dict.fromkeys(name for names in by_locale.values() for name in names))
        what = SafeText(some_of(list(by_locale), 4), "bold").append(f"  {some_of(fields, 3)}")
        table.add_row(what, SafeText(why), SafeText(remedy, "dim"))
    console.print(styled("\n[bold]{}[/]", title))
    console.print(table)
    if len(rows) > _MOST_HELD:
        more = counted(len(rows) - _MOST_HELD, "more reason")
        console.print(styled("[dim]and {}; tavolan console push --dry-run --json lists each[/]", more))


def _short(value: object) -> str:
    if isinstance(value, list) and value and len(str(value[0])) == 64:
        return counted(len(value), "picture")
    text = " ".join(shown(value).split())
    if _DIGESTS.fullmatch(text):
        return counted(text.count(",") + 1, "picture")
    return text if len(text) <= _MOST_TEXT else text[: _MOST_TEXT - 1] + "…"


def print_journal(console: Console, lines: list[Line], most: int = 40) -> None:
    """Print the newest changes last, a line each; texts before and reasons only where there are any."""
    table = plain_table("date", "store", "locale", "field", "version", "by")
    shown_lines = lines[-most:]
    texts = {
        "before": [line.before for line in shown_lines],
        "after": [line.after for line in shown_lines],
        "why": [line.note for line in shown_lines],
    }
    texts = {name: column for name, column in texts.items() if any(column) or name == "after"}
    for name in texts:
        table.add_column(name, no_wrap=True, overflow="ellipsis", ratio=1, min_width=len(name))
    table.expand = True
    for number, line in enumerate(shown_lines):
        day = SafeText(line.date[:16].replace("T", " "), "dim")
        by = SafeText(line.who, "cyan" if line.who == "console" else "default")
        cells = (line.store, line.locale or "–", line.field, line.version)
        own = [
            SafeText(_short(column[number]), "default" if name == "after" else "dim") for name, column in texts.items()
        ]
        table.add_row(day, *map(SafeText, cells), by, *own)
    console.print(table)
    if len(lines) > most:
        console.print(styled("[dim]{} before these; --all shows them[/]", counted(len(lines) - most, "more change")))


def print_verdict(console: Console, verdict: Verdict) -> None:
    """Print whether a promise is kept."""
    marks = {"kept": "[green]kept[/]     ", "broken": "[red]broken[/]   ", "not tried": "[dim]not tried[/]"}
    console.print(styled(f"{marks[verdict.state]}  {{}}", verdict.promise), soft_wrap=True)
    if verdict.note:
        console.print(styled("           [dim]{}[/]", verdict.note), soft_wrap=True)


def print_risks(console: Console, risks: list[Risk]) -> None:
    """Print what a reviewer may refuse, the likely first."""
    if not risks:
        console.print("Nothing that a reviewer is known to refuse.")
        return
    table = plain_table("may be refused", "where", "what", "why")
    for one in risks:
        place = " ".join(part for part in (one.finding.locale, one.finding.field) if part)
        table.add_row(
            SafeText(one.likelihood, "bold red" if one.likelihood == "likely" else "yellow"),
            SafeText(place),
            SafeText(f"{one.finding.message}. {one.finding.remedy}").append(f"  {one.finding.rule}", "dim"),
            SafeText(one.why, "dim"),
        )
    console.print(table)
    likely = sum(one.likelihood == "likely" for one in risks)
    console.print(f"{likely} likely, {len(risks) - likely} possible")
