"""Find and replace over the texts of a project, by words or by a regular expression that has limits."""

import time

import regex

from tavolan.errors import UsageError
from tavolan.project.texts import TextChange, Texts

MOST_PATTERN = 1000
# Seconds for all texts: a pattern that backtracks without end takes the more the longer a text is.
SECONDS = 10.0


def replacements(
    texts: Texts,
    locales: list[str],
    addresses: list[str],
    find: str,
    put: str,
    *,
    words: bool = False,
    expression: bool = False,
    ignore_case: bool = False,
) -> list[TextChange]:
    """Return the changes that finding and replacing makes; nothing is written.

    `expression`: `find` is a regular expression, and `put` may name its groups. Raises UsageError for one that can't be
    used, or takes too long.
    """
    if not find:
        raise UsageError("FIND is empty", "Say what to look for.")
    if len(find) > MOST_PATTERN:
        raise UsageError(f"FIND has more than {MOST_PATTERN:,} characters", "Look for less.")
    pattern = find if expression else regex.escape(find)
    pattern = rf"(?<!\w)(?:{pattern})(?!\w)" if words else pattern
    try:
        compiled = regex.compile(pattern, regex.IGNORECASE if ignore_case else 0)
        if expression:
            # An unknown name of a group is refused before any text is looked at.
            regex.compile(f"(?:{pattern})|").sub(put, "", timeout=SECONDS)
    except TimeoutError as error:
        raise _too_slow() from error
    except (regex.error, IndexError, OverflowError, RecursionError, ValueError) as error:
        raise UsageError(f"FIND isn't a regular expression that can be used: {error}.") from error
    deadline = time.monotonic() + SECONDS
    changes = []
    for tag in locales:
        for address in addresses:
            before = texts.get(tag, address)
            try:
                left = max(0.01, deadline - time.monotonic())
                after = compiled.sub(put if expression else lambda _: put, before, timeout=left)
            except TimeoutError as error:
                raise _too_slow() from error
            if before and after != before:
                changes.append(TextChange(tag, address, before, after))
    return changes


def _too_slow() -> UsageError:
    return UsageError(
        f"FIND takes more than {SECONDS:g} s", "Nothing was changed. Write it with fewer repeats in repeats."
    )
