"""Locale tags: validity, script, direction and names."""

import re
from functools import cache

from tavolan.errors import Fault
from tavolan.languages.scripts import script, usual_script

# Language, script and region, each in its standard case.
_WELL_FORMED = re.compile(r"[a-z]{2,3}(-[A-Z][a-z]{3})?(-[A-Z]{2})?")


def _has_cldr_data(tag: str) -> bool:
    """Whether CLDR describes the locale, or its language and its region.

    Asked first because it costs less than loading the tag registry.
    """
    from babel import localedata
    from babel.core import get_global

    if localedata.exists(tag.replace("-", "_")):
        return True
    language, _, region = tag.partition("-")
    return bool(localedata.exists(language) and region in get_global("territory_languages"))


@cache
def tag_fault(tag: str) -> Fault | None:
    """Return what's wrong with a BCP 47 tag, or None when it's well made."""
    if _WELL_FORMED.fullmatch(tag) and _has_cldr_data(tag):
        return None
    import langcodes

    try:
        known = langcodes.tag_is_valid(tag)
        standard = langcodes.standardize_tag(tag) if known else ""
    except ValueError:
        known, standard = False, ""
    if not known:
        return Fault(f'"{tag}" isn\'t a locale tag', "Write a BCP 47 tag such as de-DE, pt-BR or zh-Hans.")
    if standard.lower() == tag.replace("_", "-").lower() and standard != tag:
        return Fault(f'"{tag}" is written differently from the standard', f'Write "{standard}".')
    return None


def language_of(tag: str) -> str:
    """Return the language of a locale tag: its first part."""
    return tag.split("-", maxsplit=1)[0]


@cache
def script_of(tag: str) -> str:
    """Return the ISO 15924 script that a locale is written in."""
    parts = tag.split("-")
    for part in parts[1:]:
        if len(part) == 4 and part.isalpha():
            return part.title()
    return usual_script(parts[0], parts[1:])


def same_writing(one: str, other: str) -> bool:
    """Whether two locales are of one language in one script, so that the same words serve both."""
    return (language_of(one), script_of(one)) == (language_of(other), script_of(other))


def is_right_to_left(tag: str) -> bool:
    """Whether the locale is written from right to left."""
    return script(script_of(tag)).right_to_left


@cache
def locale_name(tag: str) -> str:
    """Return the English name of a locale, as in `Spanish (Mexico)`; the tag itself when CLDR has none."""
    from babel import Locale, UnknownLocaleError

    try:
        return Locale.parse(tag, sep="-").get_display_name("en") or tag
    except (UnknownLocaleError, ValueError):
        return tag


@cache
def _ancestors(tag: str) -> tuple[str, ...]:
    """Return a locale and those that it inherits from, nearest first (CLDR, parentLocales): `en_AU`, `en_001`, `en`."""
    from babel.core import get_global

    parents = get_global("parent_exceptions")
    chain = [tag.replace("-", "_")]
    while (parent := parents.get(chain[-1], chain[-1].rpartition("_")[0])) not in ("", "root"):
        chain.append(parent)
    return tuple(chain)


def nearest_code(tag: str, codes: tuple[str, ...]) -> str | None:
    """Return the code of the same language and script that shares most of `tag`'s ancestors, or None without one."""
    own = _ancestors(tag)
    alike = [code for code in codes if _ancestors(code)[-1] == own[-1] and script_of(code) == script_of(tag)]
    return max(alike, key=lambda code: len(set(own) & set(_ancestors(code))), default=None)
