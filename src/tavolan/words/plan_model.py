"""What a plan of words says: new fields, what changes by them, and how good it's proven to be."""

from dataclasses import dataclass

from tavolan.project.texts import TextChange
from tavolan.words.matching import Tier
from tavolan.words.plan_choices import Fields

PROVEN_GAP = 1e-6


@dataclass(frozen=True)
class LocalePlan:
    """What one locale has now, and what the plan gives it."""

    locale: str
    title: tuple[str, str]
    subtitle: tuple[str, str]
    keywords: tuple[list[str], list[str]]
    length: int
    limit: int

    @property
    def added(self) -> list[str]:
        """Keywords that are new."""
        return [word for word in self.keywords[1] if word not in self.keywords[0]]

    @property
    def dropped(self) -> list[str]:
        """Keywords that make room."""
        left = list(self.keywords[1])
        gone = []
        for word in self.keywords[0]:
            if word in left:
                left.remove(word)
            else:
                gone.append(word)
        return gone


@dataclass(frozen=True)
class PhraseChange:
    """A phrase whose answer in a storefront differs."""

    storefront: str
    phrase: str
    before: Tier | None
    after: Tier | None
    value: float


@dataclass(frozen=True)
class Plan:
    """A plan with its proof: `value` is reached, `bound` can't be passed, `gap` is the share between them.

    `fields` are the store's own ids of title, subtitle (empty where there's none) and keyword list; `texts` is what
    would be written, and `held` what no choice may change.
    """

    store: str
    fields: Fields
    locales: list[LocalePlan]
    texts: list[TextChange]
    changes: list[PhraseChange]
    before: float
    value: float
    bound: float
    seconds: float
    held: list[str]

    @property
    def gap(self) -> float:
        """How far the plan may be from the best, as a share of the bound."""
        return max(0.0, (self.bound - self.value) / self.bound) if self.bound > 0 else 0.0

    @property
    def proven(self) -> bool:
        """Whether no other choice is better.

        A plan above the bound would show a fault in the program, unless it's a listing that is kept over its limit.
        """
        if not self.texts and self.value > self.bound:
            return True
        return abs(self.bound - self.value) <= PROVEN_GAP * max(self.bound, self.value, 1e-9)
