"""What a phrase is worth: value = relevance x demand x chance, times the weight of the tier that answers it.

Every factor and weight is here and in `[words]` of tavolan.toml, nowhere else.
"""

import math
from datetime import date
from itertools import pairwise
from typing import NamedTuple

from tavolan.errors import one_problem
from tavolan.project.datafile import RANKS, read_data
from tavolan.project.model import Project, Term
from tavolan.words.difficulty import Difficulties
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


def latest_ranks(project: Project) -> dict[tuple[str, str], float]:
    """Return (folded phrase, storefront) → the latest rank of the app in `data/ranks.csv`, the best of all stores.

    A phrase under which the app wasn't found in the end has none.
    """
    latest: dict[tuple[str, str, str], tuple[str, float]] = {}
    for row in read_data(project.root, RANKS):
        if row.text("app"):
            continue
        key = (fold(row.text("phrase")), row.text("storefront"), row.text("store"))
        found = (row.text("date"), row.numbers.get("rank", math.inf))
        if key not in latest or found[0] >= latest[key][0]:
            latest[key] = found
    best: dict[tuple[str, str], float] = {}
    for (phrase, storefront, _), (_, rank) in latest.items():
        if rank < math.inf:
            best[phrase, storefront] = min(rank, best.get((phrase, storefront), rank))
    return best


class Worth(NamedTuple):
    """The factors of a phrase's value, each between 0 and 1, and their product, times 100 for people to read."""

    relevance: float
    demand: float
    chance: float
    value: float


class Valuer:
    """Values phrases of a project.

    - relevance: the list's column, 0 to 100, as a share; `[words] relevance` where it's empty.
    - demand: log(1 + volume) / log(1 + the largest volume of any list), since volumes of search phrases spread over
      orders of magnitude; `[words] demand` where it's empty.
    - chance: 1 - difficulty / 100, never below 0.05, the difficulty as `words.difficulty` has it; `[words] chance`
      where it isn't known. Where the app is among the first hundred of a storefront (`data/ranks.csv`, latest
      date), at least 1 - log10(rank) / 2: whoever is tenth has half a chance, whatever the difficulty.
    """

    def __init__(self, project: Project, today: date | None = None) -> None:
        """Raises ProjectError when a weaker tier weighs more than a stronger one."""
        self.settings = project.words
        for stronger, weaker in pairwise(TIERS):
            if self.weight(weaker) > self.weight(stronger):
                source = project.config_source
                message = f"{weaker} weighs more than {stronger}, which answers more strongly"
                place = (source.shown, source.line(("words", "tiers")), "words.tiers")
                raise one_problem(*place, message, "Let no weaker tier weigh more.")
        volumes = [term.volume for terms in project.terms.values() for term in terms if term.volume]
        self.scale = math.log1p(max(volumes, default=1.0))
        self.ranks = latest_ranks(project)
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
        demand = self.settings.demand if term.volume is None else math.log1p(term.volume) / self.scale
        # The list has the last word.
        hard = term.difficulty if term.difficulty is not None else self.difficulties.of(term, storefront).value
        chance = self.settings.chance if hard is None else max(_LEAST_CHANCE, 1 - hard / 100)
        rank = self.ranks.get((fold(term.phrase), storefront)) if self.ranks else None
        if rank is not None and rank <= _FAR:
            chance = max(chance, 1 - math.log10(rank) / 2)
        return Worth(relevance, demand, chance, 100 * relevance * demand * chance)

    def weight(self, tier: Tier | None) -> float:
        """Return the weight of a tier: how much of a phrase's value an answer of that strength is worth."""
        return self.settings.tiers.get(tier, TIER_WEIGHTS[tier]) if tier else 0.0
