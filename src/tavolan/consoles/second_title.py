"""Where a title was taken, its alternates are tried in order; one that's free takes its place in the project too."""

from tavolan.consoles.base import note_agreed
from tavolan.consoles.comparison import Comparison
from tavolan.consoles.content import Place
from tavolan.consoles.push import Pushed
from tavolan.consoles.store_console import ConsoleError
from tavolan.project.journal import add_lines
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.support.transaction import changing


def take_second_titles(found: Comparison, pushed: Pushed) -> None:
    """Send alternates of titles that were taken, and note in `pushed` those that the console took."""
    taken = [place for place, kind in pushed.refused_kinds.items() if kind == "title-taken"]
    for place in taken:
        texts = Texts(found.project)
        rule = found.store.rulebook.fields[place.field]
        address = texts.address_for(found.store.id, place.locale, place.field)
        copy = found.project.copy[place.locale]
        own = list(dict.fromkeys([*copy.alternates(address).content, *copy.alternates(place.field).content]))
        title = next((text for text in own if not rule.length(text).over and _is_free(found, place, text)), None)
        if title is not None:
            _keep(found, place, address, title)
            pushed.second_titles[place] = title
            del pushed.refused[place], pushed.refused_kinds[place]


def _is_free(found: Comparison, place: Place, title: str) -> bool:
    etag = found.remote.etags.get(("text", place.locale, ""), "")
    try:
        found.remote.see_listing(found.client.change_listing(place.locale, {place.field: title}, etag))
    except ConsoleError as error:
        if error.kind == "title-taken":
            return False
        raise
    return True


def _keep(found: Comparison, place: Place, address: str, title: str) -> None:
    """Put the title into the project, what was there among its alternates, and note it: as one change."""
    project, texts = found.project, Texts(found.project)
    before = texts.get(place.locale, address)
    listed = project.copy[place.locale].alternates(address).content
    others = [text for text in dict.fromkeys([before, *listed]) if text and text != title]
    note = f'"{before}" was taken'
    line = found.line(place, found.base.get(place), title, "project", note)
    writer = TextWriter(texts)
    with changing(project.root):
        writer.write([TextChange(place.locale, address, before, title)])
        writer.write_alternates(place.locale, address, others)
        found.base = note_agreed(project.root, found.store.id, {place: title})
        add_lines(project.root, [line])
