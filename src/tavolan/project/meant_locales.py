"""Which locale somebody means whose tag no store has: another one of its language, or the language of a country."""

from collections.abc import Mapping

from babel.core import get_global

from tavolan.languages.tags import language_of, script_of
from tavolan.rulebooks.model import Rulebook

# By store.
Rulebooks = Mapping[str, Rulebook]

# So many are named.
_MOST = 4


def tags_of(rulebook: Rulebook) -> list[str]:
    """Return the tags of all locales that a store has, as its rulebook says."""
    locales = rulebook.locales
    return list(dict.fromkeys([*locales.map, *locales.codes, *locales.low_confidence_codes]))


def stores_with(rulebooks: Rulebooks, tag: str) -> list[str]:
    """Return the stores that have a locale."""
    return [store for store, book in rulebooks.items() if book.store_code(tag) is not None]


def meant_tags(rulebooks: Rulebooks, tag: str) -> list[str]:
    """Return tags that stores have and that may be meant by another one, the likeliest first; none where it's hopeless.

    Those of its language and script come first, as many stores as have them; then those of the language that's spoken
    in a country, where the tag is a country's code: jp, ua, cz.
    """
    own = _of_language(rulebooks, language_of(tag), script_of(tag) if "-" in tag else "")
    return [*own, *(found for found in _of_country(rulebooks, tag) if found not in own)][:_MOST]


def same_but_wider(rulebooks: Rulebooks, tag: str) -> str:
    """Return a tag that's the same locale in each store that has this one, and that more stores have; else ""."""
    having = stores_with(rulebooks, tag)
    books = [rulebooks[store] for store in having]
    for other in _of_language(rulebooks, language_of(tag), script_of(tag)):
        same = all(book.store_code(other) == book.store_code(tag) for book in books)
        if same and len(stores_with(rulebooks, other)) > len(having):
            return other
    return ""


def _of_country(rulebooks: Rulebooks, tag: str) -> list[str]:
    likely = get_global("likely_subtags").get(f"und_{tag.upper()}", "") if len(tag) == 2 else ""
    return _of_language(rulebooks, likely.split("_", maxsplit=1)[0], "") if likely else []


def _of_language(rulebooks: Rulebooks, language: str, script: str) -> list[str]:
    """Return the tags of a language that stores have: those of most stores first, and the usual country's."""
    every = dict.fromkeys(tag for book in rulebooks.values() for tag in tags_of(book))
    found = [tag for tag in every if language_of(tag) == language and script in ("", script_of(tag))]
    usual = get_global("likely_subtags").get(language, "").rpartition("_")[2]

    def likeliest(tag: str) -> tuple[int, bool, int, str]:
        is_usual = tag == language or tag.endswith(f"-{usual}")
        return -len(stores_with(rulebooks, tag)), not is_usual, len(tag), tag

    # Two tags of one locale in every store are one answer: ja and ja-JP.
    by_codes: dict[tuple[str | None, ...], str] = {}
    for tag in sorted(found, key=likeliest):
        codes = tuple(book.store_code(tag) for book in rulebooks.values())
        by_codes.setdefault(codes, tag)
    return list(by_codes.values())
