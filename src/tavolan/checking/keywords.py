"""Checks of keyword lists: every entry that wastes the budget, and budget that nobody used."""

from collections.abc import Iterator

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Place, Review
from tavolan.languages.tags import language_of
from tavolan.languages.word_lists import words_in
from tavolan.words import split
from tavolan.words.matching import Listing, searched_texts
from tavolan.words.phrases import phrase_of, words_of

_LEAST_UNUSED = 12
_LEAST_ENTRIES = 4


def _lists(review: Review) -> Iterator[Place]:
    """Yield the keyword lists that search reads, those written for the locale itself."""
    for place in review.places:
        rule = place.rule
        own = place.value.written and not place.value.inherited_from
        if own and rule.search and rule.kind == "list" and rule.scope == "locale":
            yield place


def _match(place: Place) -> split.Matching:
    return split.matching_of(place.store.rulebook.search, place.locale)


def _saves(entry: str, place: Place) -> str:
    length = place.rule.length(entry + place.rule.separator)
    return f"{length.measured} {length.unit}"


@check("keyword-repeats", "warning")
def keyword_repeats(review: Review, this: Rule) -> Iterator[Finding]:
    """A keyword is in the title, the subtitle or the publisher's name of the same locale already.

    Search reads those anyway and weighs them more, so the keyword adds nothing. In English the plural counts as the
    same word; without spaces, a part of a word does.
    """
    for place in _lists(review):
        match = _match(place)
        searched = searched_texts(review.project, place.store, place.locale)
        others = [(key, level, words_of(text, match)) for key, level, text in searched if key != place.field]
        heavier = Listing(place.locale, match, others)
        for entry in place.value.content:
            answered = heavier.answer(phrase_of(entry, match))
            if answered.level is not None:
                where = " and ".join(dict.fromkeys(answered.used.values()))
                message = f'"{entry}" is in the {where} already'
                yield place.finding(this, message, f"Take it out: that frees {_saves(entry, place)}.", subject=entry)


@check("keyword-twice", "warning")
def keyword_twice(review: Review, this: Rule) -> Iterator[Finding]:
    """A keyword is in the list twice, or as the English plural of another one: search treats them as one word."""
    for place in _lists(review):
        seen: dict[str, str] = {}
        for entry in place.value.content:
            form = " ".join(word.form for word in phrase_of(entry, _match(place)).words)
            if form and form in seen:
                same = split.fold(entry) == split.fold(seen[form])
                message = f'"{entry}" is there twice' if same else f'"{entry}" is the same word as "{seen[form]}"'
                yield place.finding(this, message, f"Take one out: that frees {_saves(entry, place)}.", subject=entry)
            seen.setdefault(form, entry)


@check("keyword-space", "warning")
def keyword_space(review: Review, this: Rule) -> Iterator[Finding]:
    """A keyword begins or ends with a space: it counts against the budget and does nothing."""
    for place in _lists(review):
        for entry in place.value.content:
            if entry != entry.strip():
                message = f'"{entry}" has a space at its edge'
                yield place.finding(this, message, "Delete the space: it counts as a character.", subject=entry)


@check("keyword-comma", "error")
def keyword_comma(review: Review, this: Rule) -> Iterator[Finding]:
    """An entry of the keyword list is empty or holds the separator itself, so the store would cut it differently."""
    for place in _lists(review):
        for number, entry in enumerate(place.value.content, 1):
            if not entry.strip():
                yield place.finding(this, f"entry {number} is empty", "Delete it.", subject=str(number))
            elif place.rule.separator.strip() and place.rule.separator.strip() in entry:
                message = f'"{entry}" holds the separator "{place.rule.separator}"'
                yield place.finding(this, message, "Write its parts as entries of their own.", subject=entry)


@check("keyword-phrase", "note")
def keyword_phrase(review: Review, this: Rule) -> Iterator[Finding]:
    """A keyword is a phrase of several words where single words would do.

    Search combines all words of a locale by itself; written apart, each serves other phrases too, and a word that's
    there already needn't be written again.
    """
    for place in _lists(review):
        if place.store.rulebook.search.model != "words":
            continue
        for entry in place.value.content:
            if len(split.words(entry, _match(place))) > 1:
                message = f'"{entry}" is a phrase; search combines single words by itself'
                yield place.finding(this, message, "Write its words as entries of their own.", subject=entry)


@check("keyword-filler", "warning")
def keyword_filler(review: Review, this: Rule) -> Iterator[Finding]:
    """A keyword is a filler word (a, the, and, app) that nobody searches for by itself.

    One that answers a target phrase together with other words isn't wasted.
    """
    needed = {
        (answer.store, answer.locale, word, field)
        for answer in review.answers
        if answer.covered
        for word, field in answer.used.items()
    }
    for place in _lists(review):
        fillers = words_in("fillers", language_of(place.locale))
        for entry in place.value.content:
            entry_words = split.words(entry, _match(place))
            serves = any((place.store.id, place.locale, word, place.field) in needed for word in entry_words)
            if entry_words and not serves and all(word in fillers for word in entry_words):
                message = f'"{entry}" is a filler word'
                yield place.finding(this, message, f"Take it out: that frees {_saves(entry, place)}.", subject=entry)


@check("keyword-room", "note")
def keyword_room(review: Review, this: Rule) -> Iterator[Finding]:
    """Much of the keyword budget is unused: every free character is a word that the app can't be found by."""
    lacking = {(a.store, a.terms_locale) for a in review.answers if not a.covered}
    for place in _lists(review):
        if place.rule.max is None:
            continue
        length = place.length
        if length.left >= _LEAST_UNUSED:
            message = f"uses {length.measured} of {length.limit} {length.unit}; {length.left} are left"
            tag = place.locale
            remedy = f"Add words that people type, as in terms/{tag}.csv: tavolan terms plan --locale {tag}"
            if (place.store.id, tag) not in lacking:
                remedy = (
                    f"Every phrase of terms/{tag}.csv is answered. Look for more: tavolan terms mine --locale {tag}"
                )
            if not review.project.terms.get(tag):
                remedy = f"Write into terms/{tag}.csv what people type there; tavolan terms plan chooses the words."
            yield place.finding(this, message, remedy, **length._asdict())


@check("keyword-copied", "warning")
def keyword_copied(review: Review, this: Rule) -> Iterator[Finding]:
    """A locale has the very keywords of another locale.

    Where the languages differ, nobody types them there; where one storefront reads both locales, the second budget is
    wasted.
    """
    seen: dict[tuple[str, frozenset[str]], str] = {}
    for place in _lists(review):
        if len(place.value.content) < _LEAST_ENTRIES:
            continue
        key = (place.store.id, frozenset(split.fold(entry) for entry in place.value.content))
        if key in seen:
            message = f"has the same {len(place.value.content)} keywords as {seen[key]}"
            remedy = f"Find out what people type in {place.locale}, or spend the budget on other words."
            yield place.finding(this, message, remedy, subject=seen[key])
        seen.setdefault(key, place.locale)


@check("keyword-translated", "note")
def keyword_translated(review: Review, this: Rule) -> Iterator[Finding]:
    """A keyword list looks translated entry by entry, not researched.

    It has as many entries as the source locale's, and fewer than a third of them are in any phrase of the locale's
    own `terms/<locale>.csv`. A rule of thumb: people in another language don't type the dictionary's word.
    """
    project = review.project
    for place in _lists(review):
        terms = project.terms.get(place.locale)
        source = project.value(place.store.id, project.source_locale, place.field).content or []
        if place.locale == project.source_locale or not terms or len(place.value.content) < _LEAST_ENTRIES:
            continue
        typed = "\n".join(split.fold(term.phrase) for term in terms)
        known = sum(split.fold(entry) in typed for entry in place.value.content)
        if len(source) == len(place.value.content) and known * 3 < len(place.value.content):
            message = (
                f"has as many entries as {project.source_locale}, and {known} of {len(source)} are in a target phrase"
            )
            yield place.finding(this, message, f"Choose words from terms/{place.locale}.csv.", measured=known)
