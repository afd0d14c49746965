"""Difficulty and demand of phrases, and what the app can win, by documented formulas.

The difficulty is that of `words.difficulty`, the demand that of `words.demand`, times 100.
"""

import statistics
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

from tavolan.errors import UsageError
from tavolan.project.model import Project
from tavolan.words import split
from tavolan.words.demand import DemandOrigin, Demands
from tavolan.words.difficulty import TOP, Difficulties, DifficultyOrigin
from tavolan.words.known_ranks import Known, KnownRank, best_ranks, known_ranks


@dataclass(frozen=True)
class Score:
    """A phrase's difficulty, with its parts, and demand; a difficulty is None where there's no data.

    `difficulty` is from the phrase's list or from a saved page, as `difficulty_from` says; `page` is what a page says.
    """

    phrase: str
    locale: str
    storefront: str
    difficulty: float | None
    difficulty_from: DifficultyOrigin
    page: float | None
    parts: dict[str, float]
    demand: float
    demand_from: DemandOrigin


class StoreRank(NamedTuple):
    """Our app's rank in a storefront and store; no store where the rank is of none in particular."""

    storefront: str
    store: str
    rank: KnownRank


@dataclass(frozen=True)
class Fit:
    """What the app can win: mean and spread of the difficulty of phrases where it is in the first ten.

    `ranks` has the latest ones of each phrase under which the app was looked for.
    """

    mean: float
    spread: float
    phrases: int
    reach: dict[str, str]
    ranks: dict[str, list[StoreRank]]


def score(project: Project, locales: list[str], today: date) -> list[Score]:
    """Return the scores of the target phrases of some locales, from lists, saved search pages and suggestions."""
    demands, difficulties = Demands(project), Difficulties(project, today)
    found = []
    for tag in locales:
        for term in project.terms.get(tag, ()):
            demand, origin = demands.of(term)
            for front in difficulties.storefronts(term.phrase) or [""]:
                hard = difficulties.of(term, front)
                found.append(
                    Score(term.phrase, tag, front, hard.value, hard.origin, hard.page, hard.parts, 100 * demand, origin)
                )
    return found


def fit(project: Project, locale: str, scores: list[Score]) -> Fit:
    """Return what the app can win in a locale, as `fit_of` does.

    Raises UsageError where the app is in the first ten of no phrase with a difficulty.
    """
    found = fit_of(project, locale, scores, known_ranks(project))
    if found is None:
        raise UsageError(
            f"{locale}: data/ranks.csv has no first ten for a phrase whose difficulty is known",
            "Add ranks, or difficulties (terms score prints them).",
        )
    return found


def fit_of(project: Project, locale: str, scores: list[Score], looks: Known) -> Fit | None:
    """Return what the app can win in a locale; None where it's in the first ten of no phrase with a difficulty.

    A phrase is won where the app is in the first ten of some storefront. Another one is within reach up to mean +
    spread of what was won, a stretch up to mean + 2 x spread, else out of reach. The spread is the standard deviation,
    at least 5, since a handful of phrases says little.
    """
    known: dict[str, float] = {}
    for score_ in scores:
        if score_.locale == locale and score_.difficulty is not None:
            folded = split.fold(score_.phrase)
            known[folded] = max(known.get(folded, 0.0), score_.difficulty)
    ranks = best_ranks(looks)
    best: dict[str, float] = {}
    for (phrase, _), rank in ranks.items():
        best[phrase] = min(rank, best.get(phrase, rank))
    won = [known[phrase] for (phrase, _), rank in ranks.items() if rank <= TOP and phrase in known]
    if not won:
        return None
    mean, spread = statistics.fmean(won), max(5.0, statistics.pstdev(won))
    reach = {}
    for term in project.terms.get(locale, ()):
        folded = split.fold(term.phrase)
        if folded in known:
            reach[term.phrase] = _reach(known[folded], best.get(folded), mean, spread)
    places: dict[str, list[StoreRank]] = {}
    for (phrase, front, store), known_rank in sorted(looks.items()):
        places.setdefault(phrase, []).append(StoreRank(front, store, known_rank))
    return Fit(mean, spread, len(won), reach, {phrase: places.get(split.fold(phrase), []) for phrase in reach})


def _reach(hard: float, rank: float | None, mean: float, spread: float) -> str:
    if rank is not None and rank <= TOP:
        return "won"
    return "within reach" if hard <= mean + spread else "a stretch" if hard <= mean + 2 * spread else "out of reach"
