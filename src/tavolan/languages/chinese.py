"""Which characters belong to which of the two ways of writing Chinese.

GB 2312 has the simplified ones, Big5 (with Hong Kong's) the traditional; most characters are in both.
"""

from functools import cache


def characters_of_other_script(text: str, code: str) -> list[str]:
    """Return the characters of a text that only the other way of writing has; `code` is Hans or Hant."""
    own, other = ("gb2312", "big5hkscs") if code == "Hans" else ("big5hkscs", "gb2312")
    return [letter for letter in dict.fromkeys(text) if _is_in(letter, other) and not _is_in(letter, own)]


@cache
def _is_in(letter: str, encoding: str) -> bool:
    if letter < "\u3400":
        return False
    try:
        letter.encode(encoding)
    except UnicodeError:
        return False
    return True
