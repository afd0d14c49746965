"""Tables of languages: how far each is, what needs work, which ones would pay."""

import difflib
from collections import Counter

from rich.console import Console

from tavolan.languages.tags import locale_name
from tavolan.project.locale_suggestions import Suggestion
from tavolan.project.memory import read_memory
from tavolan.project.state import digest
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import DONE, NEEDS_WORK, Standing, Translation
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table

_WIDTH = 28
_ROOMY = 110
_STYLES = {
    "approved": "bold green",
    "reviewed": "green",
    "translated": "sage",
    "drafted": "cyan",
    "outdated": "yellow",
    "over": "red",
    "untranslated": "grey35",
}
# In the bar, what's done is first.
_ORDER: tuple[Standing, ...] = ("approved", "reviewed", "translated", "drafted", "outdated", "over", "untranslated")
_MARKS = {
    "approved": "━",
    "reviewed": "━",
    "translated": "━",
    "drafted": "╍",
    "outdated": "┅",
    "over": "┅",
    "untranslated": "┈",
}


def print_progress(console: Console, found: dict[str, list[Translation]]) -> None:
    """Print a bar and the counts of every locale."""
    there = {unit.standing for units in found.values() for unit in units}
    # Not everybody reviews or approves.
    shown = [name for name in _ORDER if name in there or name not in ("approved", "reviewed")]
    # In a narrow terminal the names and the bar make room, so that the heads stay whole.
    roomy = console.width >= _ROOMY
    table = plain_table(*(("locale", "", "done") if roomy else ("locale", "done")), *shown)
    for tag, units in found.items():
        counts = Counter(unit.standing for unit in units)
        name = styled("{} [dim]{}[/]", tag, locale_name(tag)) if roomy else SafeText(tag)
        if not units:
            # A locale that's like another one may have nothing of its own.
            table.add_row(name, *([SafeText("nothing of its own", "dim")] if roomy else []), "–")
            continue
        total = len(units)
        done = sum(counts[name] for name in DONE) * 100 // total
        cells = [
            SafeText(str(counts[name]) if counts[name] else "·", style=_STYLES[name] if counts[name] else "dim")
            for name in shown
        ]
        table.add_row(name, *([_bar(counts, total)] if roomy else []), f"{done} %", *cells)
    for column in table.columns[: -len(shown)]:
        column.no_wrap = True
    console.print(table)
    need = sum(unit.standing in NEEDS_WORK for units in found.values() for unit in units)
    if need:
        console.print(f"\n{need} texts need work: tavolan locale send writes them for translators; --units lists them.")


def _bar(counts: Counter[Standing], total: int) -> SafeText:
    """Return a bar whose parts add up to its width; nothing that's there is invisible."""
    parts = {name: counts[name] * _WIDTH / total for name in _ORDER}
    cells = {name: max(1, int(parts[name])) if counts[name] else 0 for name in _ORDER}
    while sum(cells.values()) < _WIDTH:
        cells[max(_ORDER, key=lambda name: parts[name] - cells[name])] += 1
    while sum(cells.values()) > _WIDTH:
        cells[max(_ORDER, key=lambda name: cells[name] - parts[name])] -= 1
    bar = SafeText()
    for name in _ORDER:
        bar.append(_MARKS[name] * cells[name], style=_STYLES[name])
    return bar


def print_units(console: Console, texts: Texts, found: dict[str, list[Translation]]) -> None:
    """Print every text that needs work, with what's wrong and what changed in its source."""
    table = plain_table("locale", "field", "state", "")
    earlier = {digest(pair.source): pair.source for pair in read_memory(texts.project.root)}
    for units in found.values():
        for unit in units:
            if unit.standing in NEEDS_WORK:
                state = SafeText(unit.standing, style=_STYLES[unit.standing])
                table.add_row(unit.locale, unit.address, state, _about(unit, _earlier_source(texts, unit, earlier)))
    console.print(table)


def _about(unit: Translation, before: str) -> SafeText:
    if unit.standing == "over":
        return SafeText(unit.over)
    if unit.standing == "outdated":
        return difference(before, unit.source) if before else SafeText("the source changed")
    first = unit.source.strip().splitlines()[0]
    return SafeText(first if len(first) <= 60 else first[:59] + "…", style="dim")


def _earlier_source(texts: Texts, unit: Translation, earlier: dict[str, str]) -> str:
    """Return the source text that a translation was made from, of earlier ones by their digest, or nothing."""
    entry = texts.project.state.get((unit.locale, unit.address))
    return earlier.get(entry.source, "") if entry else ""


def difference(before: str, after: str) -> SafeText:
    """Return the words that went and came, with a little around them."""
    old, new = before.split(), after.split()
    made = SafeText()
    for kind, i1, i2, j1, j2 in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if kind == "equal":
            words = new[j1:j2]
            made.append(" ".join(words if len(words) <= 6 else [*words[:3], "…", *words[-3:]]) + " ", style="dim")
            continue
        if i2 > i1:
            made.append(" ".join(old[i1:i2]), style="red strike")
            made.append(" ")
        if j2 > j1:
            made.append(" ".join(new[j1:j2]), style="green")
            made.append(" ")
    return made


def print_suggestions(console: Console, found: list[Suggestion]) -> None:
    """Print locales that would pay: where they'd be the first language shown, and where a second keyword budget."""
    first = [item for item in found if item.serves]
    second = [item for item in found if item.adds and not item.serves]
    if not found:
        console.print("Every storefront that the rulebooks know reads a language of yours.")
    for title, items in (("First language shown", first), ("A second keyword budget", second)):
        if not items:
            continue
        table = plain_table("locale", "store", "people", "storefronts", title=f"\n{title}")
        for item in items:
            serving = title.startswith("First")
            people, fronts = (item.people, item.serves) if serving else (item.more_people, item.adds)
            also = SafeText(f"; second budget in {_fronts(item.adds)}" if serving and item.adds else "", "dim")
            name = styled("{} [dim]{}[/]", item.locale, locale_name(item.locale))
            table.add_row(name, item.store, _millions(people), SafeText(_fronts(fronts)).append_text(also))
        console.print(table)
    if found:
        console.print(styled("[dim]people: who speak the language there, by CLDR's estimates[/]"))


def _millions(people: int) -> str:
    return f"{people / 1e6:,.0f} M" if people >= 1e6 else f"{people / 1e6:.1f} M" if people else "?"


def _fronts(fronts: tuple[str, ...]) -> str:
    more = f" and {len(fronts) - 12} more" if len(fronts) > 12 else ""
    return " ".join(fronts[:12]) + more if fronts else "·"
