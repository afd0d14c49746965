"""Countries by their ISO 3166 codes and their English names, as CLDR has them."""

from functools import cache


@cache
def country_code(text: str) -> str:
    """Return the code of a country by its code of two or three letters, or its English name; "" for no country."""
    names, aliases = _countries()
    code = text.upper()
    return code if code in names.values() else names.get(text.casefold(), "") or aliases.get(code, "")


@cache
def _countries() -> tuple[dict[str, str], dict[str, str]]:
    from babel import Locale
    from babel.core import get_global

    territories = Locale("en").territories.items()
    names = {name.casefold(): code for code, name in territories if len(code) == 2 and code.isalpha()}
    return names, {alias: codes[0] for alias, codes in get_global("territory_aliases").items() if len(codes) == 1}
