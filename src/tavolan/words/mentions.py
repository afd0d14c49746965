"""Mentions: in stores without a keyword field a phrase counts by where and how often it is in the text."""

from dataclasses import dataclass

from tavolan.project.model import Project, Store
from tavolan.words import split
from tavolan.words.phrases import phrase_of, plain_words


@dataclass(frozen=True)
class Mentions:
    """Where a phrase is in one locale.

    `counts` per searched field, heaviest first; `density` is the percentage of all searched words that the phrase
    takes; `first` the place of its first word in the text (1 = the very first), 0 when it is nowhere; `stuffed`
    says that the density is over the rulebook's limit.
    """

    counts: dict[str, int]
    density: float
    first: int
    stuffed: bool

    @property
    def total(self) -> int:
        """How often the phrase is in all fields together."""
        return sum(self.counts.values())


class MentionText:
    """A text prepared for counting phrases in it: by words, or by characters for phrases without spaces."""

    def __init__(self, text: str, match: split.Matching) -> None:
        self.match = match
        self.words = [token.form for token in split.tokens(text, match)]
        self._forms = frozenset(self.words)
        self._held: dict[str, bool] = {}
        self.unspaced = "".join(split.fold(text, match.language).split())

    def places(self, phrase: str) -> list[int]:
        """Return where a phrase begins: the number of its first word (of its first character without spaces)."""
        if split.has_no_spaces(phrase):
            wanted_text = "".join(split.fold(phrase, self.match.language).split())
            found, at = [], self.unspaced.find(wanted_text)
            while at >= 0:
                found.append(at)
                at = self.unspaced.find(wanted_text, at + len(wanted_text))
            return found
        if not all(map(self._holds, plain_words(phrase))):
            return []
        wanted = [token.form for token in phrase_of(phrase, self.match).row]
        if not self._forms.issuperset(wanted):
            return []
        size = len(wanted)
        return [i for i in range(len(self.words) - size + 1) if size and self.words[i : i + size] == wanted]

    def _holds(self, word: str) -> bool:
        """Whether a word is in the text, given as folded, in plain ASCII."""
        if word not in self._held:
            self._held[word] = split.key(word, self.match) in self._forms
        return self._held[word]

    def size(self, phrase: str) -> int:
        """Return how many words a phrase has, or characters without spaces."""
        if split.has_no_spaces(phrase):
            return len("".join(phrase.split()))
        return len(phrase_of(phrase, self.match).row)

    def length(self, phrase: str) -> int:
        """Return how long the text is, in the unit of a phrase's size."""
        return len(self.unspaced) if split.has_no_spaces(phrase) else len(self.words)

    def density(self, phrase: str) -> float:
        """Return the percentage of the text that a phrase takes: of its words, or characters without spaces."""
        whole = self.length(phrase)
        return 100 * len(self.places(phrase)) * self.size(phrase) / whole if whole else 0.0


class LocaleMentions:
    """All searched text of one locale in one store."""

    def __init__(self, project: Project, store: Store, locale: str) -> None:
        match = split.matching_of(store.rulebook.search, locale)
        values = {key: project.value(store.id, locale, key) for key in store.rulebook.searched_fields()}
        texts = {key: value.text(store.rulebook.fields[key]) for key, value in values.items()}
        self.fields = {key: MentionText(text, match) for key, text in texts.items()}
        self.limit = store.rulebook.search.most_density
        # Of a phrase that is nowhere.
        self.nowhere = Mentions(dict.fromkeys(self.fields, 0), 0.0, 0, False)

    def count(self, phrase: str) -> Mentions:
        """Return where and how often a text says a phrase. It never runs from one field into the next."""
        counts: dict[str, int] = {}
        first = before = taken = 0
        for key, text in self.fields.items():
            places = text.places(phrase)
            counts[key] = len(places)
            taken += len(places) * text.size(phrase)
            if places and not first:
                first = before + places[0] + 1
            before += text.length(phrase)
        density = 100 * taken / before if before else 0.0
        stuffed = self.limit is not None and sum(counts.values()) > 2 and density > self.limit
        return Mentions(counts, density, first, stuffed)
