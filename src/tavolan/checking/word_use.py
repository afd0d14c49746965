"""Checks of how well title and description use the words that people type."""

from collections.abc import Iterator
from itertools import islice

import regex

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Place, Review
from tavolan.languages.tags import language_of
from tavolan.languages.word_lists import words_in
from tavolan.project.model import Term
from tavolan.rulebooks.measure import beyond, measure
from tavolan.words import split
from tavolan.words.mentions import MentionText
from tavolan.words.phrases import Words, is_plain, phrase_of, plain_words, words_of

_TOP = 3
_LEAST_WORDS = 40


@check("title-room", "note")
def title_room(review: Review, this: Rule) -> Iterator[Finding]:
    """The title has room left for a word that people type and that the listing doesn't answer yet.

    The title weighs most in search, so its free characters are the most valuable ones. Words that would fit, with the
    space or comma before them, are named; those of the weightiest phrases first.
    """
    missing: dict[tuple[str, str], list[str]] = {}
    for answer in sorted(review.answers, key=lambda a: -(a.term.relevance or 0)):
        if not answer.covered and answer.locale:
            missing.setdefault((answer.store, answer.locale), []).extend(answer.missing)
    for place in review.places:
        if place.rule.search != 1 or place.rule.kind != "text" or not place.value.written or place.value.inherited_from:
            continue
        left, unit = place.length.left, place.rule.unit
        wanted = dict.fromkeys(missing.get((place.store.id, place.locale), ()))
        fitting = list(islice((word for word in wanted if measure(word, unit) < left), _TOP))
        if fitting:
            words = ", ".join(f'"{word}"' for word in fitting)
            message = f"has {left} {unit} left; uncovered words that would fit: {words}"
            remedy = "Work one in where it reads well."
            yield place.finding(this, message, remedy, measured=left, limit=place.rule.max, unit=unit)


_SENTENCE_END = regex.compile(r"[.!?]+(?=\s)|[。！？]|؟(?=\s|$)|।(?=\s|$)")


def first_sentence(text: str, abbreviations: frozenset[str] = frozenset()) -> str:
    """Return the first sentence or line of a text, whichever ends first.

    No sentence ends behind an abbreviation, or an initial (J. or U.S.).
    """
    line = text.strip().split("\n", 1)[0]
    for end in _SENTENCE_END.finditer(line):
        # No abbreviation is longer; the whole line before each of a million ends would be too much.
        last = line[max(0, end.end() - 40) : end.end()].split()[-1].strip("(„“\"'«")
        initial = regex.fullmatch(r"(?:\p{L}\.)+", last) is not None
        if end.group() == "." and (initial or last.rstrip(".").lower() in abbreviations):
            continue
        return line[: end.end()]
    return line


@check("first-sentence", "warning")
def first_sentence_says_what(review: Review, this: Rule) -> Iterator[Finding]:
    """The description's first sentence holds no word that people type, or runs on past what the store page shows.

    Store pages show one to three lines before "more": the first sentence must say what the app does, in the words of
    those who look for it. The length of the fold is an estimate and is in the rulebook (`fold`).
    """
    wanted: dict[tuple[str, split.Matching], frozenset[split.Token]] = {}
    for place in review.places:
        if place.rule.fold is None or not place.value.written or place.value.inherited_from:
            continue
        sentence = first_sentence(str(place.value.content), words_in("abbreviations", language_of(place.locale)))
        length = measure(sentence)
        if length > place.rule.fold:
            message = f"the first sentence is {length} characters long; about {place.rule.fold} show before “more”"
            remedy = "Shorten it, or end it earlier."
            yield place.finding(
                this, message, remedy, measured=length, limit=place.rule.fold, unit="characters", subject="length"
            )
        terms = review.own_terms(place.locale)
        match = split.matching_of(place.store.rulebook.search, place.locale)
        if (place.locale, match) not in wanted:
            wanted[place.locale, match] = _words_of_all(terms, match)
        there = words_of(sentence, match)
        if terms and not any(_shares(there, word) for word in wanted[place.locale, match]):
            message = "the first sentence holds no word of any target phrase"
            remedy = f"Say what the app does in words of terms/{place.locale}.csv, as in “{terms[0].phrase}”."
            yield place.finding(this, message, remedy, subject="words")


def _words_of_all(terms: list[Term], match: split.Matching) -> frozenset[split.Token]:
    """Return the words of all phrases. There may be a hundred thousand phrases, but they share their words."""
    plain = {word for term in terms for word in plain_words(term.phrase)}
    found = {split.Token(word, split.key(word, match), False, False) for word in plain}
    others = (term.phrase for term in terms if not is_plain(term.phrase))
    return frozenset(found.union(*(phrase_of(phrase, match).words for phrase in others)))


def _shares(there: Words, word: split.Token) -> bool:
    """Whether a word is in a sentence; of one without spaces, a part of one script with two letters is enough."""
    parts = [part for part in split.units_of(word) if len(part) > 1] if word.unspaced else []
    return there.holds(word) or any(part in run for part in parts for run in there.runs)


@check("phrases-unsaid", "note")
def phrases_unsaid(review: Review, this: Rule) -> Iterator[Finding]:
    """Where the store has no keyword field, a description leaves out a phrase that matters most to the app.

    There a phrase counts by where and how often it is in title, short and full description. The three weightiest
    phrases of the locale's list are looked for.
    """
    for place, text in _mention_texts(review):
        top = [term.phrase for term in review.own_terms(place.locale)[:_TOP]]
        unsaid = [phrase for phrase in top if not text.places(phrase)]
        if unsaid:
            phrases = ", ".join(f"“{phrase}”" for phrase in unsaid)
            message = f"doesn't say {phrases}, the phrases that matter most here"
            yield place.finding(this, message, "Say them once where it reads well.", measured=len(unsaid), limit=0)


@check("stuffed", "warning")
def stuffed(review: Review, this: Rule) -> Iterator[Finding]:
    """A description says one phrase so often that it reads as stuffing, which the store punishes.

    Density is the share of the text's words that the phrase takes, in percent; the rulebook sets the limit
    (`most_density`). Texts under 40 words aren't judged.
    """
    for place, text in _mention_texts(review):
        limit = place.store.rulebook.search.most_density
        if limit is None or len(text.words) < _LEAST_WORDS:
            continue
        for term in review.project.terms.get(place.locale, ()):
            count = len(text.places(term.phrase))
            if count > 2 and (density := text.density(term.phrase)) > limit:
                share = f"{beyond(density, limit)} % of its words, over the limit of {limit:g} %"
                message = f"says “{term.phrase}” {count} times: {share}"
                yield place.finding(this, message, "Say it less often.", measured=count, subject=term.phrase)


def _mention_texts(review: Review) -> Iterator[tuple[Place, MentionText]]:
    """Yield the descriptions of stores whose search counts mentions."""
    for place in review.places:
        search = place.store.rulebook.search
        own = place.value.written and not place.value.inherited_from
        if own and search.model == "mentions" and place.rule.role == "prose" and place.rule.search:
            yield place, MentionText(str(place.value.content), split.matching_of(search, place.locale))


@check("last-word", "note", off=True)
def last_word(review: Review, this: Rule) -> Iterator[Finding]:
    """A word that people type is last in a subtitle that fills its whole limit.

    Once, a full subtitle's last word was lost in search. Nobody knows whether it still is: low confidence, so this
    check is off unless the project gives it a level.
    """
    for place in review.places:
        if place.rule.search != 2 or place.rule.kind != "text" or not place.value.written or place.value.inherited_from:
            continue
        text = str(place.value.content)
        typed = {word for term in review.own_terms(place.locale) for word in split.words(term.phrase)}
        last = (split.words(text) or [""])[-1]
        if last in typed and place.length.measured == place.rule.max:
            message = f'is full, and "{last}" is last; search may not read it'
            yield place.finding(this, message, "Move it forward, or leave a character free.", subject=last)
