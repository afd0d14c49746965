"""Send texts to translators: one file per target locale, in an open format."""

from collections.abc import Iterable, Sequence
from pathlib import Path

from tavolan.errors import UnknownNameError
from tavolan.exchange.glossary import GlossaryTerm, read_glossary, terms_in, write_tbx
from tavolan.exchange.po import write_gettext
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit
from tavolan.exchange.xliff import write_old_xliff, write_xliff
from tavolan.project.addresses import REPLIES, TITLES, parse_address
from tavolan.project.memory import Pair, matches, read_memory, write_tmx
from tavolan.project.model import Project
from tavolan.project.state import digest
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import NEEDS_WORK, Translation, current_pairs, translations_of
from tavolan.support.files import write_bytes

FORMATS = {"xliff": (write_xliff, ".xlf"), "xliff-1.2": (write_old_xliff, ".xlf"), "po": (write_gettext, ".po")}


def request_for(
    texts: Texts,
    locale: str,
    memory: list[Pair],
    everything: bool = False,
    keywords: bool = False,
    glossary: Sequence[GlossaryTerm] = (),
) -> TranslationRequest:
    """Return what's to be translated into a locale: what needs work, or all of it.

    Each text comes with what the memory offers, and with the terms of the glossary that are in it.
    """
    project = texts.project
    keep = (project.app.name, *project.translate.keep)
    request = TranslationRequest(project.app.name, project.source_locale, locale, keep=keep)
    pictures = sorted((project.root / "out" / "shots").glob(f"*/*/{project.source_locale}/*"))
    for unit in translations_of(texts, locale, keywords):
        if everything or unit.standing in NEEDS_WORK:
            notes = tuple(_notes(texts, unit, pictures))
            base = digest(unit.target)
            near = tuple(matches(memory, unit.source, locale)[:3])
            request.texts.append(
                TranslationUnit(
                    *(unit.address, unit.source, unit.target, unit.standing, unit.limit, unit.unit, notes, base),
                    matches=near,
                    terms=terms_in(glossary, unit.source, locale),
                )
            )
    return request


def _notes(texts: Texts, unit: Translation, pictures: list[Path]) -> list[str]:
    """Return what a translator should know of a text."""
    project = texts.project
    address = parse_address(unit.address)
    rule = texts.rule(unit.address)
    notes = []
    if address.table == "captions":
        key = address.key
        notes.append(f"Printed on the store picture “{key}”; the first line is the title. Keep the emphasised words.")
        if picture := next((file for file in pictures if file.stem.partition("-")[2] == key), None):
            notes.append(f"Picture: {picture.relative_to(project.root).as_posix()}")
    elif address.table == TITLES:
        notes.append(f"Title in the preview video, scene “{address.key}”: short, it's read while the picture moves.")
    elif address.table == "showcase":
        notes.append("Shown inside the app's screens on store pictures; as short as the original.")
    elif address.table == REPLIES:
        notes.append("Reply to a review. Names in {braces} are filled in later: keep them.")
    elif rule:
        stores = dict.fromkeys(store for store, _ in texts.rules_of(unit.address))
        notes.append(f"{rule.what or unit.address}. Stores: {', '.join(stores)}.")
    if unit.limit:
        notes.append(f"At most {unit.limit} {unit.unit}.")
    if unit.standing == "outdated":
        notes.append("The source changed since this was translated.")
    if unit.standing == "over":
        notes.append(f"Too long now: {unit.over}.")
    if unit.standing == "drafted":
        notes.append("Drafted by a machine: please review.")
    return notes


def send(
    project: Project, locales: list[str], form: str, folder: Path, everything: bool = False, keywords: bool = False
) -> dict[str, tuple[Path | None, int]]:
    """Write one file per locale into a folder; return file and number of texts (no file where nothing is to do).

    Raises UnknownNameError for a form that's none of `FORMATS`.
    """
    if form not in FORMATS:
        raise UnknownNameError("there's no", form, FORMATS, option="--format")
    texts, memory, glossary = Texts(project), read_memory(project.root), read_glossary(project.root)
    write, ending = FORMATS[form]
    sent: dict[str, tuple[Path | None, int]] = {}
    for locale in locales:
        request = request_for(texts, locale, memory, everything, keywords, glossary)
        target = folder / f"{locale}{ending}"
        if request.texts:
            write_bytes(target, write(request))
        sent[locale] = (target if request.texts else None, len(request.texts))
    if glossary and any(count for _, count in sent.values()):
        write_bytes(folder / "glossary.tbx", write_tbx(glossary, project.source_locale))
    return sent


def send_memory(project: Project, locales: Iterable[str], folder: Path) -> tuple[Path, int]:
    """Write the translation memory with the texts as they are now as TMX; return the file and its number of pairs."""
    tags = set(locales)
    pairs = [pair for pair in [*read_memory(project.root), *current_pairs(project)] if pair.locale in tags]
    target = folder / "memory.tmx"
    write_bytes(target, write_tmx(pairs, project.source_locale))
    return target, len(set(pairs))
