"""Checks of the writing itself: left-overs, stray spaces, broken links, mark-up, characters nobody sees."""

import re
import unicodedata
from collections.abc import Iterator
from functools import cache
from html import unescape

import regex

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Passage, Review
from tavolan.languages.scripts import script
from tavolan.languages.tags import language_of, script_of
from tavolan.languages.word_lists import word_lists
from tavolan.project.addresses import PICTURE_TABLES, REPLIES
from tavolan.project.caption_markup import MarkupError, parse
from tavolan.project.fact_faults import address_faults
from tavolan.project.texts import SENTENCES
from tavolan.support.web_addresses import EMAIL, url_fault

# What only a program writes: {{name}}, ${name}, %s, %(name)s, {app_name}, {0}, [APP_NAME], <NAME>.
_VARIABLE = re.compile(
    r"\{\{\s*[A-Za-z_][\w.]*\s*\}\}|\$\{\w+\}|%(?:\d+\$)?[sdf@](?![A-Za-z0-9_])|%\(\w+\)[sd]|<[A-Z_]{3,}>"
    r"|(?<!\{)\{(?:\d+|[A-Za-z]+[_.]\w+|[a-z]+[A-Z]\w*)\}|\[[A-Z]+_[A-Z_]+\]"
)
# A word in single brackets is one only when it's what drafts leave open: in prose, brackets may stand for themselves.
_OPEN_WORD = re.compile(r"\{\s*([A-Za-z]+)\s*\}|\[([A-Z]{3,})\]")
_TAG = re.compile(r"</?[a-zA-Z][a-zA-Z0-9]*(?:\s[^<>]*)?/?>")
_ENTITY = re.compile(r"&(?:[A-Za-z]{2,8}|#\d{2,6}|#x[0-9A-Fa-f]{2,6});")
# Punctuation around a link in a text.
_AROUND_LINKS = ".,;:!?()[]<>«»„“”\"'。、，）（"
_MEANS_A_LINK = re.compile(r"h?t?tps?[:;/]+", re.IGNORECASE)
_MEANS_A_HOST = re.compile(r"www[.,]", re.IGNORECASE)
_HOST = re.compile(r"www\.(?:[^\s.,/@]+\.)+[^\s.,/@]{2,}(?:/\S*)?$", re.IGNORECASE)
# A closing bracket of a list mark or a smiley, as in 1) or :)
_LIST_MARK = re.compile(r"(?:^|\s)(?:\w{1,2}|[:;]-?)$")
_UNSEEN = regex.compile(r"[\p{C}--\n\r]", regex.VERSION1)
_MARKS = {"\u200e", "\u200f", "\u061c"}
_NO_BREAK = {"\u00a0", "\u202f", "\u2009", "\u200a", "\u3000"}


@check("placeholder", "error")
def placeholder(review: Review, this: Rule) -> Iterator[Finding]:
    """A text holds a left-over of its draft: lorem ipsum, TODO, TBD, xxx."""
    for passage in review.passages:
        if found := _placeholders(language_of(passage.locale)).search(passage.text):
            word = found.group()
            yield passage.finding(this, f'holds the placeholder "{word}"', "Write the text itself.", subject=word)


@cache
def _placeholders(language: str) -> re.Pattern[str]:
    words = word_lists("writing")["placeholders"]
    own = words["also_words"].get(language, "").split()
    capitals = "|".join(word for word in words["capitals"].split() if word not in own)
    others = "|".join(words["any"].replace("_", r"\s+").split(" "))
    alone = "".join(rf"|\A\s*{word}\W*\Z|(?<!\w){word}(?=:)" for word in own)
    return re.compile(rf"(?<!\w)(?:{capitals}|(?i:{others}))(?!\w){alone}")


@check("variable", "error")
def variable(review: Review, this: Rule) -> Iterator[Finding]:
    """A text holds a variable that nobody filled in, such as {name}, ${name} or %s.

    Replies to reviews are left out: theirs are filled in for each review.
    """
    open_words = word_lists("writing")["placeholders"]["open"].split()
    for passage in (one for one in review.passages if one.role != REPLIES):
        left = [
            found.group()
            for found in _OPEN_WORD.finditer(passage.text)
            if (found.group(1) or found.group(2)).lower() in open_words
        ]
        for found in dict.fromkeys([*_VARIABLE.findall(passage.text), *left]):
            message = f'holds the unfilled variable "{found}"'
            yield passage.finding(this, message, "Write what should be there.", subject=found)


@check("spaces", "warning")
def spaces(review: Review, this: Rule) -> Iterator[Finding]:
    """A text has two spaces in a row, or white space at the end of a line or at its edges."""
    for passage in review.passages:
        text = passage.text
        if passage.role == "keywords":
            continue
        if "  " in text:
            before = text[max(0, text.index("  ") - 15) : text.index("  ")].split("\n")[-1]
            yield passage.finding(this, f'has two spaces in a row after "{before}"', "Delete one.", subject="double")
        if any(line != line.rstrip(" \t") for line in text.split("\n")):
            yield passage.finding(this, "has white space at the end of a line", "Delete it.", subject="end")
        if text.lstrip("\n") != text.lstrip():
            yield passage.finding(this, "begins with white space", "Delete it.", subject="begin")


@check("link", "error")
def link(review: Review, this: Rule) -> Iterator[Finding]:
    """A link or an e-mail address is broken. Only the syntax is checked; nothing is fetched."""
    seen = set()
    for place in review.places:
        if not place.value.written or place.rule.kind not in ("link", "email"):
            continue
        at = (place.value.source.shown, place.value.key, place.store.id if not place.locale else "")
        if at in seen:
            continue
        seen.add(at)
        for fault in address_faults(place.rule, str(place.value.content)):
            yield place.finding(this, fault.message, fault.remedy)


@check("markup", "error")
def markup(review: Review, this: Rule) -> Iterator[Finding]:
    """The emphasis of a caption or title isn't closed, or a text holds HTML, which is printed as it is: <b>, &amp;."""
    for passage in review.passages:
        if passage.role in PICTURE_TABLES:
            try:
                parse(passage.text)
            except MarkupError as error:
                yield passage.finding(this, str(error), "Write \\* for a star that is meant as one.", subject="star")
        if found := _TAG.search(passage.text):
            message = f'holds the tag "{found.group()}", which the store prints as it is'
            yield passage.finding(this, message, "Take it out.", subject=found.group())
        if found := _ENTITY.search(passage.text):
            message = f'holds "{found.group()}", which the store prints as it is'
            yield passage.finding(this, message, f"Write {unescape(found.group())}.", subject=found.group())


@check("text-link", "warning")
def text_link(review: Review, this: Rule) -> Iterator[Finding]:
    """A link or an e-mail address within a text is broken. Only the syntax is checked; nothing is fetched."""
    for passage in review.passages:
        if passage.role not in SENTENCES:
            continue
        for written in passage.text.split():
            word = written.strip(_AROUND_LINKS)
            fault = _fault_in_text(word)
            if fault:
                remedy = "Write it as in https://example.com/page, or name@example.com."
                yield passage.finding(this, f'"{word}" {fault}', remedy, subject=word)


def _fault_in_text(word: str) -> str | None:
    """Return what's wrong with a word that means to be a link or an address; None for any other."""
    if _MEANS_A_LINK.match(word):
        return url_fault(word)
    if _MEANS_A_HOST.match(word):
        return None if _HOST.match(word) else "is no address of a page"
    # What begins with the sign is a name among people, what has it alone is prose.
    means_mail = "@" in word[1:] and word[0] != "@"
    return "is no e-mail address" if means_mail and not EMAIL.fullmatch(word) else None


@check("bracket", "warning")
def bracket(review: Review, this: Rule) -> Iterator[Finding]:
    """A bracket or quotation mark is opened and never closed, or closed without being open."""
    for passage in review.passages:
        stray = _stray_bracket(passage.text, language_of(passage.locale))
        if stray:
            yield passage.finding(this, f'has a "{stray}" without its partner', "Add the other one.", subject=stray)


@cache
def _brackets(language: str) -> tuple[dict[str, str], bool, re.Pattern[str]]:
    """Return which marks close which in a language, whether one may close two, and a pattern of all of them."""
    table = word_lists("writing")["brackets"]
    closers = {**table["all"], **table.get(language, {})}
    marks = "".join((*closers, *closers.values()))
    return closers, language in table["closing_twice"], re.compile(f"[{re.escape(marks)}]")


def _stray_bracket(text: str, language: str) -> str:
    """Return the first mark of a text that has no partner, or nothing."""
    closers, closing_twice, marks = _brackets(language)
    waiting: list[str] = []
    for found in marks.finditer(text):
        char, index = found.group(), found.start()
        if waiting and char in closers[waiting[-1]]:
            closed = waiting.pop()
            while closing_twice and waiting and waiting[-1] == closed:
                waiting.pop()
        elif char in closers:
            waiting.append(char)
        elif char != ")" or not _LIST_MARK.search(text, max(0, index - 4), index):
            return char
    return waiting[-1] if waiting else ""


@check("hidden-character", "warning")
def hidden_character(review: Review, this: Rule) -> Iterator[Finding]:
    """A text holds control or zero-width characters: they count, break search, and nobody sees them.

    Joiners are left alone in scripts and emoji that need them, direction marks in right-to-left text. Unpaired
    direction controls are always reported.
    """
    for passage in review.passages:
        faults = dict.fromkeys(_hidden(passage))
        for char in faults:
            name = unicodedata.name(char, "control character")
            message = f"holds an invisible character: U+{ord(char):04X} {name}"
            yield passage.finding(this, message, "Delete it.", subject=f"U+{ord(char):04X}")


def _hidden(passage: Passage) -> Iterator[str]:
    text, own = passage.text, script(script_of(passage.locale))
    if not _UNSEEN.search(text):
        return
    isolates_pair = sum(map(text.count, "\u2066\u2067\u2068")) == text.count("\u2069")
    for index, char in enumerate(text):
        category = unicodedata.category(char)
        if category not in ("Cc", "Cf", "Cs", "Co", "Cn") or char in "\n\r" or char in _NO_BREAK:
            continue
        if char in ("\u200c", "\u200d") and (own.joiners or _in_emoji(text, index)):
            continue
        if char in _MARKS and own.right_to_left:
            continue
        if char == "\u200b" and own.break_marks:
            continue
        if char in "\u2066\u2067\u2068\u2069" and isolates_pair:
            continue
        if "\U000e0020" <= char <= "\U000e007f":  # tags of flag emoji
            continue
        yield char


def _in_emoji(text: str, index: int) -> bool:
    return text[index - 1 : index] > "\u2190" and text[index + 1 : index + 2] > "\u2190"
