"""What a phrase is worth: value = relevance x demand x chance, times the weight of the tier that answers it.

Every factor and weight is here and in `[words]` of tavolan.toml, nowhere else.
"""

import math
from datetime import date
from itertools import pairwise
from typing import NamedTuple

from tavolan.errors import one_problem
from tavolan.project.model import Project, Term
from tavolan.project.schema import WordsTable
from tavolan.words.demand import DemandOrigin, Demands
from tavolan.words.difficulty import Difficulties, DifficultyOrigin
from tavolan.words.known_ranks import best_ranks, known_ranks
from tavolan.words.matching import TIERS, Tier
from tavolan.words.split import fold

TIER_WORDS = {
    "title-phrase": "whole phrase in the title",
    "title-words": "all words in the title",
    "with-subtitle": "title and subtitle",
    "with-keywords": "with the keyword field",
}
TIER_WEIGHTS: dict[Tier, float] = {
    "title-phrase": 1.0,
    "title-words": 0.85,
    "with-subtitle": 0.7,
    "with-keywords": 0.5,
}
_LEAST_CHANCE = 0.05
_FAR = 100


def tier_weight(settings: WordsTable, tier: Tier | None) -> float:
    """Return the weight of a tier by `[words.tiers]`; 0 without one."""
    return settings.tiers.get(tier, TIER_WEIGHTS[tier]) if tier else 0.0


class Worth(NamedTuple):
    """The factors of a phrase's value, each between 0 and 1, and their product, times 100 for people to read.

    `difficulty`, 0 to 100, is None where it isn't known: then the chance is assumed.
    """

    relevance: float
    demand: float
    chance: float
    value: float
    demand_from: DemandOrigin = "assumed"
    difficulty: float | None = None
    difficulty_from: DifficultyOrigin = ""


class Valuer:
    """Values phrases of a project.

    - relevance: the list's column, 0 to 100, as a share; `[words] relevance` where it's empty.
    - demand: as `words.demand` has it: by volume, by suggestions, else `[words] demand`.
    - chance: 1 - difficulty / 100, never below 0.05, the difficulty as `words.difficulty` has it; `[words] chance`
      where it isn't known. Where the app is among the first hundred of a storefront (`data/ranks.csv`, latest
      date), at least 1 - log10(rank) / 2: whoever is tenth has half a chance, whatever the difficulty.
    """

    def __init__(self, project: Project, today: date | None = None, app: str | None = None) -> None:
        """Take the ranks of `app`, else ours. Raises ProjectError when a weaker tier weighs more than a stronger."""
        self.settings = project.words
        for stronger, weaker in pairwise(TIERS):
            if self.weight(weaker) > self.weight(stronger):
                source = project.config_source
                message = f"{weaker} weighs more than {stronger}, which answers more strongly"
                place = (source.shown, source.line(("words", "tiers")), "words.tiers")
                raise one_problem(*place, message, "Let no weaker tier weigh more.")
        self.demands = Demands(project)
        self.known_ranks = known_ranks(project, app)
        self.ranks = best_ranks(self.known_ranks)
        self._ranked = {phrase for phrase, _ in self.ranks}
        self._everywhere: dict[int, tuple[Term, Worth]] = {}
        self.difficulties = Difficulties(project, today or date.today())

    def worth(self, term: Term, storefront: str = "") -> Worth:
        """Return the factors of a phrase in a storefront."""
        if term.difficulty is None or (self._ranked and fold(term.phrase) in self._ranked):
            return self._worth(term, storefront)
        # The same in all of them.
        known = self._everywhere.get(id(term))
        if known is None:
            # The term stays with it, so that no other one gets its id.
            known = self._everywhere[id(term)] = (term, self._worth(term, storefront))
        return known[1]

    def _worth(self, term: Term, storefront: str) -> Worth:
        relevance = self.settings.relevance if term.relevance is None else term.relevance / 100
        demand, demand_from = self.demands.of(term)
        # The list has the last word, and most projects have no saved pages.
        hard: float | None = term.difficulty
        hard_from: DifficultyOrigin = "list"
        if hard is None:
            measured = self.difficulties.of(term, storefront)
            hard, hard_from = measured.value, measured.origin
        chance = self.settings.chance if hard is None else max(_LEAST_CHANCE, 1 - hard / 100)
        rank = self.ranks.get((fold(term.phrase), storefront)) if self.ranks else None
        if rank is not None and rank <= _FAR:
            chance = max(chance, 1 - math.log10(rank) / 2)
        value = 100 * relevance * demand * chance
        return Worth(relevance, demand, chance, value, demand_from, hard, hard_from)

    def weight(self, tier: Tier | None) -> float:
        """Return the weight of a tier: how much of a phrase's value an answer of that strength is worth."""
        return tier_weight(self.settings, tier)
