"""Measure text the way a store does."""

import unicodedata
from typing import Literal, NamedTuple

LengthUnit = Literal["characters", "graphemes", "utf16", "bytes"]


class Length(NamedTuple):
    """How long a text is, beside how long it may be; both in `unit`. `limit` is None where there's none."""

    measured: int
    limit: int | None
    unit: LengthUnit

    @property
    def over(self) -> int:
        """By how much the text is too long."""
        return 0 if self.limit is None else max(0, self.measured - self.limit)

    @property
    def left(self) -> int:
        """How much of the limit is unused; negative for a text that's too long, 0 without a limit."""
        return 0 if self.limit is None else self.limit - self.measured


def measure(text: str, unit: LengthUnit = "characters") -> int:
    """Return the length of a text after NFC, with line ends counted as one.

    Units: `characters` Unicode code points; `graphemes` user-perceived characters (extended grapheme clusters,
    UAX #29); `utf16` 16-bit code units; `bytes` of UTF-8.
    """
    text = unicodedata.normalize("NFC", text.replace("\r\n", "\n"))
    if unit == "characters":
        return len(text)
    if unit == "utf16":
        return len(text.encode("utf-16-le", "surrogatepass")) // 2
    if unit == "bytes":
        return len(text.encode("utf-8", "surrogatepass"))
    import regex

    return len(regex.findall(r"\X", text))


def beyond(value: float, limit: float) -> str:
    """Return a number over a limit with as many decimals as it takes to see that it is."""
    for decimals in range(1, 6):
        if float(f"{value:.{decimals}f}") > limit:
            return f"{value:.{decimals}f}"
    return f"{value:g}"
