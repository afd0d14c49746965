"""Mentions: in stores without a keyword field a phrase counts by where and how often it stands in the text."""

from __future__ import annotations

from dataclasses import dataclass

from tavolan.project.model import Project, Store
from tavolan.words import split


@dataclass(frozen=True)
class Mentions:
    """Where a phrase stands in one locale.

    `counts` per searched field, heaviest first; `density` is the percentage of all searched words that the phrase
    takes; `first` the place of its first word in the text (1 = the very first), 0 when it stands nowhere; `stuffed`
    says that the density is over the rulebook's limit.
    """

    counts: dict[str, int]
    density: float
    first: int
    stuffed: bool

    @property
    def total(self) -> int:
        """How often the phrase stands in all fields together."""
        return sum(self.counts.values())


class MentionText:
    """A text prepared for counting phrases in it."""

    def __init__(self, text: str, match: split.Matching) -> None:
        self.match = match
        self.words = [split.key(word, match) for word in split.words(text)]
        self.unspaced = "".join(split.fold(text).split())

    def places(self, phrase: str) -> list[int]:
        """Return where a phrase begins: the number of its first word (of its first character without spaces)."""
        if split.has_no_spaces(phrase):
            wanted_text = "".join(split.fold(phrase).split())
            found, at = [], self.unspaced.find(wanted_text)
            while at >= 0:
                found.append(at)
                at = self.unspaced.find(wanted_text, at + len(wanted_text))
            return found
        wanted = [split.key(word, self.match) for word in split.words(phrase)]
        size = len(wanted)
        return [i for i in range(len(self.words) - size + 1) if self.words[i : i + size] == wanted]

    def density(self, phrase: str) -> float:
        """Return the percentage of the text that a phrase takes: of its words, or characters without spaces."""
        if split.has_no_spaces(phrase):
            size, whole = len("".join(phrase.split())), len(self.unspaced)
        else:
            size, whole = len(split.words(phrase)), len(self.words)
        return 100 * len(self.places(phrase)) * size / whole if whole else 0.0


class LocaleMentions:
    """All searched text of one locale in one store."""

    def __init__(self, project: Project, store: Store, locale: str) -> None:
        match = split.matching_of(store.rulebook.search, locale)
        values = {key: project.value(store.id, locale, key) for key in store.rulebook.searched_fields()}
        texts = {key: value.text(store.rulebook.fields[key]) for key, value in values.items()}
        self.fields = {key: MentionText(text, match) for key, text in texts.items()}
        self.whole = MentionText("\n".join(texts.values()), match)
        self.limit = store.rulebook.search.most_density

    def count(self, phrase: str) -> Mentions:
        """Return where and how often a phrase stands."""
        counts = {key: len(text.places(phrase)) for key, text in self.fields.items()}
        places = self.whole.places(phrase)
        density = self.whole.density(phrase)
        stuffed = self.limit is not None and len(places) > 2 and density > self.limit
        return Mentions(counts, density, places[0] + 1 if places else 0, stuffed)
