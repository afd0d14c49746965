"""Checks of letters and words: garbled letters, letters of another script, words and texts that come twice."""

from collections.abc import Iterator
from functools import cache

import regex

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Passage, Review
from tavolan.languages.chinese import characters_of_other_script
from tavolan.languages.tags import language_of, script_of
from tavolan.languages.word_lists import word_lists
from tavolan.project.texts import SENTENCES
from tavolan.words import split

_WORD = regex.compile(r"[\p{L}\p{M}]+")
_SCRIPTS = {name: regex.compile(rf"\p{{{name}}}") for name in ("Latin", "Cyrillic", "Greek")}
# Units and the like have one Greek letter: µm, kΩ, β-carotene. Those that look Latin aren't among them.
_UNIT = regex.compile(r"\p{Latin}{0,2}[μΩωπΔδαβγλσφ]\p{Latin}{0,2}$")
# Fewer characters than these of the other way of writing Chinese may be a name.
_LEAST_CHARACTERS = 2


@check("garbled", "error")
def garbled(review: Review, this: Rule) -> Iterator[Finding]:
    """A text holds letters that were read in the wrong encoding, such as Ã¼ for ü, or a mark for lost ones (U+FFFD)."""
    for passage in review.passages:
        if "\ufffd" in passage.text:
            message = "holds U+FFFD, which stands for a letter that was lost"
            yield passage.finding(this, message, "Write the letter again.", subject="U+FFFD")
        for word in passage.text.split():
            meant = _meant(word)
            if meant:
                yield passage.finding(this, f'holds "{word}" for "{meant}"', f"Write {meant}.", subject=word)


def _meant(word: str) -> str:
    """Return what a word was before its UTF-8 was read as another encoding; empty for one that wasn't."""
    if word.isascii():
        return ""
    # By chance, two letters of an ordinary word may look like one garbled one: in Cyrillic there must be two of them.
    for encoding, least in (("cp1252", 1), ("cp1251", 2)):
        try:
            meant = b"".join(_byte(letter, encoding) for letter in word).decode()
        except UnicodeError:
            continue
        if sum(not letter.isascii() for letter in meant) >= least and meant.isprintable():
            return meant
    return ""


def _byte(letter: str, encoding: str) -> bytes:
    # Bytes that an encoding leaves open are kept as they are by those who read it wrongly.
    return letter.encode("latin-1") if "\x80" <= letter <= "\x9f" else letter.encode(encoding)


@check("mixed-script", "warning")
def mixed_script(review: Review, this: Rule) -> Iterator[Finding]:
    """A word mixes letters of scripts that look alike, such as a Cyrillic о in a Latin word: no search finds it."""
    for passage in review.passages:
        for word in dict.fromkeys(_WORD.findall(passage.text)):
            if word.isascii() or len(word) == 1:
                continue
            scripts = [name for name, letters in _SCRIPTS.items() if letters.search(word)]
            if len(scripts) > 1 and not _UNIT.match(word):
                message = f'"{word}" mixes {" and ".join(scripts)} letters'
                yield passage.finding(this, message, "Type the word again.", subject=word)


@check("other-characters", "warning")
def other_characters(review: Review, this: Rule) -> Iterator[Finding]:
    """A Chinese text holds characters of the other way of writing: traditional ones in a simplified text, or reverse.

    Which is which comes from the standards: GB 2312 has the simplified ones, Big5 (with Hong Kong's) the traditional.
    """
    for passage in review.passages:
        if language_of(passage.locale) != "zh":
            continue
        found = characters_of_other_script(passage.text, script_of(passage.locale))
        if len(found) >= _LEAST_CHARACTERS:
            kind = "traditional" if script_of(passage.locale) == "Hans" else "simplified"
            message = f"holds {kind} characters: {''.join(found[:10])}"
            yield passage.finding(this, message, "Write them as this locale does.", subject="".join(found[:10]))


@check("word-twice", "warning")
def word_twice(review: Review, this: Rule) -> Iterator[Finding]:
    """A small word comes twice in a row, as in "the the". Only words are looked for that never do so rightly."""
    for passage in review.passages:
        pattern = _twice(language_of(passage.locale))
        if passage.role in SENTENCES and pattern and (found := pattern.search(passage.text)):
            yield passage.finding(this, f'says "{found.group()}"', "Delete one.", subject=found.group(1).lower())


@cache
def _twice(language: str) -> "regex.Pattern[str] | None":
    listed = word_lists("writing")["never_twice"].get(language, "").split()
    return regex.compile(rf"(?<![\w'’-])({'|'.join(listed)})\s+\1(?![\w'’-])", regex.IGNORECASE) if listed else None


@check("said-twice", "warning")
def said_twice(review: Review, this: Rule) -> Iterator[Finding]:
    """The subtitle says what the title says, or two captions of a locale are the same: a lost place."""
    for place in review.places:
        if place.rule.role != "subtitle" or not place.value.written:
            continue
        name = place.store.rulebook.field_with("title")
        title = review.project.value(place.store.id, place.locale, name)
        if title.written and split.fold(str(title.content)) == split.fold(str(place.value.content)):
            yield place.finding(this, f"says what {name} says", "Say something else with it.")
    yield from _same_captions(review, this)


def _same_captions(review: Review, this: Rule) -> Iterator[Finding]:
    seen: dict[tuple[str, str], Passage] = {}
    for passage in review.passages:
        if passage.role != "captions" or not passage.text.strip():
            continue
        first = seen.setdefault((passage.locale, split.fold(passage.text)), passage)
        if first is not passage:
            message = f"says what {first.field} says"
            yield passage.finding(this, message, "Say something else with it.", subject=first.field)
