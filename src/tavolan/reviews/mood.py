"""What a review says of the app, by lists of words: complaints and praise, unless something turns them around."""

from collections.abc import Iterator
from functools import cache

import regex

from tavolan.languages.tags import language_of
from tavolan.languages.word_lists import word_lists
from tavolan.words import split
from tavolan.words.phrases import phrase_of

# How many words may stand between a word and what turns it around; of scripts without spaces, how many letters.
_BETWEEN, _LETTERS_BETWEEN = 2, 2


def complaint_in(text: str, locale: str) -> str:
    """Return a word of a review that complains, as the list has it; "" where none does, or it's turned around."""
    return next(_said(text, locale, "complaints"), "")


def praise_in(text: str, locale: str) -> str:
    """Return a word of a review that praises, in the same way."""
    return next(_said(text, locale, "praise"), "")


def is_complaint(phrase: str, locale: str) -> bool:
    """Whether a phrase holds a word that complains, so that a review may say the opposite of it."""
    return any(_places(phrase, listed, locale) for listed in _listed("complaints", language_of(locale)))


def says(text: str, phrase: str, locale: str) -> bool:
    """Whether a review says a phrase at some place where nothing turns it around."""
    return any(not _is_turned(clause, place, locale) for clause, place in _places(text, phrase, locale))


def _said(text: str, locale: str, mood: str) -> Iterator[str]:
    yield from (word for word in _listed(mood, language_of(locale)) if says(text, word, locale))


@cache
def _listed(mood: str, language: str) -> tuple[str, ...]:
    return tuple(word_lists("moods")[mood].get(language, ()))


@cache
def _turning(side: str, language: str) -> frozenset[str]:
    words = str(word_lists("moods")[f"negated_{side}"].get(language, ""))
    return frozenset(split.fold(words, language).split())


# The words of a clause, or the clause itself where no spaces divide words; and from where to where a phrase is in it.
_Clause = tuple[str, ...] | str
_Place = tuple[int, int]


def _places(text: str, phrase: str, locale: str) -> list[tuple[_Clause, _Place]]:
    """Return where a phrase is: in the words of each clause, or in its letters where no spaces divide words."""
    match = split.language_matching(locale)
    if split.has_no_spaces(phrase):
        wanted = split.fold(phrase, match.language)
        clauses = [split.fold(clause, match.language).replace(" ", "") for clause in split.clauses(text)]
        return [(clause, found.span()) for clause in clauses for found in regex.finditer(regex.escape(wanted), clause)]
    forms = [token.form for token in phrase_of(phrase, match).all_words]
    as_parts = language_of(locale) in word_lists("replies")["with_particles"]
    found: list[tuple[_Clause, _Place]] = []
    for clause in split.clauses(text):
        tokens = split.tokens(clause, match)
        words = tuple(token.text for token in tokens)
        there = [token.form for token in tokens]
        size = len(forms)
        for start in range(len(there) - size + 1):
            row = there[start : start + size]
            last_begins = as_parts and row[-1].startswith(forms[-1]) and row[:-1] == forms[:-1]
            if size and (row == forms or last_begins):
                found.append((words, (start, start + size)))
    return found


def _is_turned(clause: _Clause, place: _Place, locale: str) -> bool:
    """Whether something beside a phrase turns it around."""
    start, end = place
    language = language_of(locale)
    before, behind = _turning("before", language), _turning("behind", language)
    if isinstance(clause, str):
        ahead, after = clause[:start], clause[end:]
        near = any(ahead[: len(ahead) - gap].endswith(word) for word in before for gap in range(_LETTERS_BETWEEN + 1))
        return near or any(after[gap:].startswith(word) for word in behind for gap in range(_LETTERS_BETWEEN + 1))
    nearby = clause[max(0, start - _BETWEEN - 1) : start]
    return not before.isdisjoint(nearby) or not behind.isdisjoint(clause[end : end + _BETWEEN + 1])
