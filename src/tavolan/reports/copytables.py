"""Tables about copy: one field in all locales, one locale's fields, changes, and who is done."""

from __future__ import annotations

from typing import TYPE_CHECKING

from rich.console import Console

from tavolan.checking import Finding
from tavolan.checking.status import Status, TextCounts
from tavolan.languages.tags import locale_name
from tavolan.project.addresses import parse_address
from tavolan.project.model import ONCE, Project, Value
from tavolan.project.texts import TextChange, Texts
from tavolan.reports.rank_words import ranks_in_short
from tavolan.reports.styled import SafeText, styled
from tavolan.reports.tables import plain_table
from tavolan.support.number_words import counted
from tavolan.words.coverage import Answer, phrases_served, served_by
from tavolan.words.likely_language import other_language

if TYPE_CHECKING:
    from tavolan.project.picture_records import PictureCounts

_GAUGE = 12
_BEFORE = 34


def gauge(length: int, most: int | None) -> SafeText:
    """Return a small bar of how much of a limit is used."""
    if not most:
        return SafeText("")
    filled = min(_GAUGE, round(_GAUGE * length / most))
    style = "red" if length > most else "green"
    return SafeText("━" * filled, style).append("╌" * (_GAUGE - filled), "dim")


def _length_cells(texts: Texts, locale: str, address: str, text: str) -> tuple[SafeText, SafeText, SafeText]:
    length = texts.length(locale, address, text)
    if length.limit is None:
        return SafeText(""), SafeText(str(length.measured) if text else "", "dim"), SafeText("")
    style = "bold red" if length.over else "default"
    share = SafeText(f"{length.measured}/{length.limit}", style)
    return gauge(length.measured, length.limit), share, SafeText(str(length.left), style)


def print_field(console: Console, texts: Texts, address: str, answers: list[Answer]) -> None:
    """Print one field in all locales: text, length, limit, room left, and the phrases that its words serve."""
    project = texts.project
    served = {tag: served_by(answers, tag, address) for tag in project.app.locales}
    ranked = any(a.rank for own in served.values() for a in own)
    ranks_head = ["their ranks"] if ranked else []
    table = plain_table("locale", "text", "", "length", "left", "phrases served", *ranks_head)
    for tag in project.app.locales:
        text, inherited = texts.shown(tag, address)
        empty = "still to write" if texts.asked(tag, address) else "–"
        shown = SafeText(text) if text else SafeText(empty, "italic dim")
        if inherited:
            shown.append("  written once" if inherited == ONCE else f"  like {inherited}", "dim")
        bar, length, left = _length_cells(texts, tag, address, text)
        ranks = [ranks_in_short(served[tag])] if ranked else []
        table.add_row(SafeText(tag, "bold"), shown, bar, length, left, _served(answers, tag, address), *ranks)
    console.print(table)


def _served(answers: list[Answer], locale: str, address: str) -> SafeText:
    """Return a dot per target phrase of the locale: filled where a word of this field helps to answer it."""
    marks = phrases_served(answers, locale, address)
    if not marks:
        return SafeText("")
    helped = sum(marks.values())
    return (
        SafeText("●" * helped, "green")
        .append("○" * (len(marks) - helped), "dim")
        .append(f" {helped}/{len(marks)}", "dim")
    )


def print_locale(console: Console, texts: Texts, locale: str, only_store: str | None) -> None:
    """Print all texts of one locale with their lengths."""
    console.print(styled("[bold]{} · {}[/]", locale_name(locale), locale))
    like: str = texts.project.copy[locale].data.get("like", "")
    if like:
        console.print(styled("[dim]like {}: what isn't written here is taken from there[/]", like))
    table = plain_table("field", "", "length", "left", "text")
    for address in texts.addresses():
        own_store = parse_address(address).store
        if only_store and own_store not in ("", only_store):
            continue
        text, inherited = texts.shown(locale, address)
        shown = SafeText(text, "dim" if inherited else "default")
        if not text:
            rule = texts.rule(address)
            if own_store or (rule and rule.required == "never") or not texts.asked(locale, address):
                continue
            shown = SafeText("still to write", "italic dim")
        bar, length, left = _length_cells(texts, locale, address, text)
        table.add_row(SafeText(address, "bold"), bar, length, left, shown)
    console.print(table)


def print_changes(console: Console, changes: list[TextChange], title: str = "") -> None:
    """Print texts before and after, the part that differs in colour."""
    if title:
        console.print(styled("[bold]{}[/]", title))
    for change in changes:
        console.print(SafeText(f"{change.locale}  {change.address}", "bold"))
        before, after = _clip(change.before, change.after)
        console.print(SafeText("  − ", "red").append_text(before))
        console.print(SafeText("  + ", "green").append_text(after))
        if language := other_language(change.after, change.locale):
            console.print(styled("    [yellow]looks like {}: right text, right place?[/]", language))


def _clip(before: str, after: str) -> tuple[SafeText, SafeText]:
    """Return both texts around the part that differs, that part marked."""
    start = 0
    while start < min(len(before), len(after)) and before[start] == after[start]:
        start += 1
    end = 0
    while end < min(len(before), len(after)) - start and before[-1 - end] == after[-1 - end]:
        end += 1

    def marked(text: str, style: str) -> SafeText:
        head, middle, tail = text[:start], text[start : len(text) - end], text[len(text) - end :]
        head = head if len(head) <= _BEFORE else "…" + head[-_BEFORE:]
        tail = tail if len(tail) <= _BEFORE else tail[:_BEFORE] + "…"
        return SafeText(head).append(middle or "∅", f"bold {style}").append(tail)

    return marked(before, "red"), marked(after, "green")


def print_status(console: Console, status: Status) -> None:
    """Print the matrix locale x store, and the facts that are written once."""
    project = status.project
    table = plain_table("locale", *[name for store in project.stores for name in (store, "pictures")])
    for tag in project.app.locales:
        cells = []
        for store in project.stores:
            cells += [_status_cell(status.texts.get((tag, store))), _picture_cell(status.pictures.get((tag, store)))]
        like = project.copy[tag].data.get("like")
        table.add_row(SafeText(tag, "bold").append(f"  like {like}" if like else "", "dim"), *cells)
    console.print(table)
    for store, facts in status.facts.items():
        line = SafeText(f"{store}: {facts.written} of {counted(facts.total, 'fact')} written", "dim")
        if facts.missing:
            line.append(f", still to write: {', '.join(facts.missing)}", "yellow")
        if facts.wrong:
            line.append(f", to put right: {', '.join(facts.wrong)}", "red")
        console.print(line)
    console.print()
    console.print("What to do next: tavolan next")


def _status_cell(counts: TextCounts | None) -> SafeText:
    if counts is None:
        return SafeText("–", "dim")
    parts = {
        "missing": ("bold red", counts.missing),
        "over": ("red", counts.over),
        "refused": ("red", counts.refused),
        "outdated": ("yellow", counts.outdated),
        "drafted": ("yellow", counts.drafted),
    }
    cell = SafeText()
    for name, (style, number) in parts.items():
        if number:
            cell.append(f"{number} {name}  ", style)
    return cell.append(f"{counts.ready} ready", "green" if not cell.plain else "dim")


def _picture_cell(counts: PictureCounts | None) -> SafeText:
    if counts is None or not counts.total:
        return SafeText("")
    cell = SafeText(f"{counts.current}/{counts.total}", "dim")
    return cell.append(f", {counts.old} old", "yellow") if counts.old else cell


def _state_of(value: Value) -> str:
    if value.inherited_from == ONCE:
        return "written once"
    return f"like {value.inherited_from}" if value.inherited_from else "ready"


def print_field_status(console: Console, project: Project, findings: list[Finding], address: str) -> None:
    """Print the matrix locale x store for one field."""
    table = plain_table("locale", *project.stores)
    for tag in project.app.locales:
        cells = []
        for store in project.stores.values():
            if address not in project.fields_of(store) or tag not in store.locales:
                cells.append(SafeText("–", "dim"))
                continue
            value = project.value(store.id, tag, address)
            own = [f for f in findings if f.locale == tag and f.field == address and f.concerns(store.id)]
            worst = next((f for f in own if f.level != "note" and not f.waived), None)
            if worst:
                cells.append(SafeText(worst.rule, "red" if worst.level == "error" else "yellow"))
            elif not value.written:
                cells.append(SafeText("empty", "dim"))
            else:
                cells.append(SafeText(_state_of(value), "green"))
        table.add_row(SafeText(tag, "bold"), *cells)
    console.print(table)
