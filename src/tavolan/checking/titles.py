"""What gets a title refused: emoji, repeated marks, shouted words, and claims of rank, price or novelty."""

import re
from collections.abc import Iterator
from typing import NamedTuple

import regex

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.languages.tags import language_of
from tavolan.languages.word_lists import word_lists, words_in
from tavolan.words import split

_EMOJI = regex.compile(r"\p{Extended_Pictographic}")
_REPEATED_MARK = re.compile(r"([!?.,~*★•])\1+")
_CAPITALS = regex.compile(r"(?<![\p{L}\p{N}])\p{Lu}{3,}(?![\p{L}\p{N}])")
_VOWELS = set("AEIOUYÄÖÜÀÁÂÃÅÆÈÉÊËÌÍÎÏÒÓÔÕØÙÚÛİІЇАЕЁИОУЫЭЮЯΑΕΗΙΟΥΩ")
_SHORT, _LONGEST_ABBREVIATION = 3, 5
# Where a part of a title ends: a mark, or a dash or hyphen between spaces.
_PART_END = regex.compile(r"\s+[-–—&+/]\s+|[:：|｜•·,，、;()（）\[\]【】{}!！?？。–—]")
# A claim of rank by its sign: #1, n°1, No. 1.
_SIGNED = re.compile(r"[#°º.]")


class Fault(NamedTuple):
    """What's wrong with a title: what, in words, and whether there's no doubt."""

    subject: str
    message: str
    sure: bool


@check("title-policy", "error")
def title_policy(review: Review, this: Rule) -> Iterator[Finding]:
    """A title holds what gets it refused: emoji, repeated punctuation, shouted words, claims of rank, price or novelty.

    Applies where the rulebook asks for plain titles (`plain_title`); its lists of claims are per language. The app's
    own name and abbreviations may be in capitals. A claim counts at the beginning or the end of a part of the title,
    and not in the company of words that make it something else (New York, sugar free). Where there's a doubt, it's a
    warning.
    """
    for place in (*review.places, *review.candidates):
        policy = place.store.rulebook.policy
        if not policy.plain_title or place.rule.role != "title" or not place.value.written:
            continue
        claims = policy.title_claims.get(language_of(place.locale), ())
        articles = words_in("fillers", language_of(place.locale))
        for fault in title_faults(str(place.value.content), review.project.app.name, place.locale, claims, articles):
            remedy = "Take it out: the store refuses such titles." if fault.sure else "Take it out if it's meant so."
            level = this.level if fault.sure else "warning"
            yield place.finding(this, fault.message, remedy, level, subject=fault.subject)


def title_faults(
    title: str, name: str, locale: str, claims: tuple[str, ...], articles: frozenset[str] = frozenset()
) -> Iterator[Fault]:
    """Yield what's wrong with a title; `name` is the app's own, `articles` are words that may be before a claim."""
    for emoji in _EMOJI.findall(title):
        if not emoji.isdigit():
            yield Fault(emoji, f"holds the emoji {emoji}", True)
    for mark in _REPEATED_MARK.finditer(title):
        yield Fault(mark.group(), f'repeats punctuation: "{mark.group()}"', True)
    folded_claims = {split.fold(claim) for claim in claims}
    shouted = _shouted(title, name, folded_claims)
    # Several abbreviations in a row may well be some: without a plain word among them, it's a question.
    several = len(shouted) > 1 and any(_is_plain(word, folded_claims) for word in shouted)
    for word in shouted:
        yield Fault(word, f'shouts "{word}" in capitals', several or split.fold(word) in folded_claims)
    # An app may be called Crumb Free: its own name claims nothing.
    claiming = title.replace(name, "") if name else title
    for claim in claims:
        sure = _claimed(claiming, claim, language_of(locale), folded_claims, articles)
        if sure is not None:
            yield Fault(claim, f'claims "{claim.replace("_", " ")}"', sure)


def _shouted(title: str, name: str, claims: set[str]) -> list[str]:
    """Return the words in capitals that are no abbreviations."""
    capitals = [word for word in _CAPITALS.findall(title) if word not in name]
    known = word_lists("titles")["capitals"]
    plain = [word for word in capitals if _is_word(word, claims)]
    others = [word for word in capitals if word not in plain and len(word) > _SHORT and set(word) & _VOWELS]
    others = [word for word in others if word not in known["known"].split()]
    long = [word for word in others if len(word) > _LONGEST_ABBREVIATION]
    return [word for word in capitals if word in plain or word in long or (word in others and len(plain + others) > 1)]


def _is_plain(word: str, claims: set[str]) -> bool:
    return len(word) > _LONGEST_ABBREVIATION or _is_word(word, claims)


def _is_word(word: str, claims: set[str]) -> bool:
    return split.fold(word) in claims or word in word_lists("titles")["capitals"]["shouts"].split()


def _claimed(title: str, claim: str, language: str, claims: set[str], articles: frozenset[str]) -> bool | None:
    """Return whether a title makes a claim without doubt, or None when it doesn't."""
    phrase = split.fold(claim.replace("_", " "))
    folded = split.fold(title)
    if split.has_no_spaces(phrase):
        return _claimed_without_spaces(folded, phrase, language, claims)
    if " " in phrase or _SIGNED.search(phrase):
        found = re.search(rf"(?<!\w){re.escape(phrase)}(?!\w)", folded)
        return True if found else None
    beside = {*str(word_lists("titles")["beside"].get(language, "")).split(), *claims}
    found_any: bool | None = None
    for part in _PART_END.split(folded):
        words = split.words(part)
        while words and words[0] in articles and words[0] not in claims:
            words = words[1:]
        if phrase not in words:
            continue
        if all(word in beside or word in articles for word in words):
            return True
        at_edge = (words[0] == phrase and not _kept_company(language, phrase, words[1:2], after=True)) or (
            words[-1] == phrase and not _kept_company(language, phrase, words[-2:-1], after=False)
        )
        found_any = False if at_edge else found_any
    return found_any


def _kept_company(language: str, claim: str, beside: list[str], after: bool) -> bool:
    """Whether the word beside a claim makes it something else."""
    company = word_lists("titles")["company"].get(language, {})
    return bool(beside) and beside[0] in company.get(claim if after else f"{claim} <", "").split()


def _claimed_without_spaces(title: str, claim: str, language: str, claims: set[str]) -> bool | None:
    company = word_lists("titles")["company"].get(language, {})
    after, before = (tuple(company.get(key, "").split()) for key in (claim, f"{claim} <"))
    beside = [*str(word_lists("titles")["beside"].get(language, "")).split(), *claims]
    found: bool | None = None
    for part in _PART_END.split(title):
        for place in re.finditer(re.escape(claim), part):
            if part[place.end() :].startswith(after or ("\0",)) or part[: place.start()].endswith(before or ("\0",)):
                continue
            left = part
            for word in sorted(beside, key=len, reverse=True):
                left = left.replace(word, "")
            found = found or not left.strip()
    return found
