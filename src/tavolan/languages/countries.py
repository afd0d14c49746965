"""Countries by their ISO 3166 codes and their English names, as CLDR has them."""

from functools import cache

# Where a name means two countries, the earlier language counts.
_LANGUAGES = ("de", "fr", "es", "it", "pt", "nl", "ja", "ko", "zh", "ru", "pl", "tr")


@cache
def country_code(text: str) -> str:
    """Return the code of a country by its code of two or three letters, or its name; "" for no country.

    Names are in English, or in another of the languages that exports come in.
    """
    names, aliases = _countries()
    code, name = text.upper(), text.casefold()
    if code in names.values():
        return code
    return names.get(name, "") or aliases.get(code, "") or _names_elsewhere().get(name, "")


@cache
def _names_elsewhere() -> dict[str, str]:
    from babel import Locale

    territories = (Locale(language).territories.items() for language in reversed(_LANGUAGES))
    return {name.casefold(): code for each in territories for code, name in each if len(code) == 2 and code.isalpha()}


@cache
def _countries() -> tuple[dict[str, str], dict[str, str]]:
    from babel import Locale
    from babel.core import get_global

    territories = Locale("en").territories.items()
    names = {name.casefold(): code for code, name in territories if len(code) == 2 and code.isalpha()}
    return names, {alias: codes[0] for alias, codes in get_global("territory_aliases").items() if len(codes) == 1}
