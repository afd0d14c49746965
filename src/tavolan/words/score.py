"""Difficulty and demand of phrases, and what the app can win, by documented formulas.

The difficulty is that of `words.difficulty`.

Demand, 0 to 100: the volume where there's one, on the scale of `words.value`; else from search suggestions:

    100 x sqrt(1 - typed) x (11 - position) / 10
    typed = letters of the seed / letters of the phrase: what's suggested after few letters is asked for often

The best of all suggestions counts.
"""

import math
import statistics
from dataclasses import dataclass
from datetime import date

from tavolan.errors import UsageError
from tavolan.project.datafile import SUGGESTIONS, Row, read_data
from tavolan.project.model import Project, Term
from tavolan.words import split
from tavolan.words.difficulty import TOP
from tavolan.words.value import Valuer, latest_ranks


@dataclass(frozen=True)
class Score:
    """A phrase's difficulty and demand with their parts; None where there's no data.

    `difficulty` is from the phrase's list or from a saved page, as `difficulty_from` says; `page` is what a page says.
    """

    phrase: str
    locale: str
    storefront: str
    difficulty: float | None
    difficulty_from: str
    page: float | None
    parts: dict[str, float]
    demand: float | None
    demand_from: str


@dataclass(frozen=True)
class Fit:
    """What the app can win: mean and spread of the difficulty of phrases where it is in the first ten."""

    mean: float
    spread: float
    phrases: int
    reach: dict[str, str]


def suggested_demand(phrase: str, suggestions: list[Row]) -> float | None:
    """Return the demand of a phrase, 0 to 100, from the suggestions that hold it, or None when none does."""
    folded = "".join(split.fold(phrase).split())
    best = None
    for row in suggestions:
        if "".join(split.fold(row.text("phrase")).split()) != folded:
            continue
        typed = min(1.0, len("".join(split.fold(row.text("seed")).split())) / max(1, len(folded)))
        value = 100 * math.sqrt(1 - typed) * max(0.0, 11 - row.numbers["position"]) / 10
        best = value if best is None else max(best, value)
    return best


def score(project: Project, locales: list[str], today: date) -> list[Score]:
    """Return the scores of the target phrases of some locales, from saved search pages and suggestions."""
    suggestions: dict[str, list[Row]] = {}
    for row in read_data(project.root, SUGGESTIONS):
        suggestions.setdefault(row.text("locale"), []).append(row)
    valuer = Valuer(project, today)
    found = []
    for tag in locales:
        for term in project.terms.get(tag, ()):
            demand, origin = _demand(term, suggestions.get(tag, []), valuer)
            for front in valuer.difficulties.storefronts(term.phrase) or [""]:
                hard = valuer.difficulties.of(term, front)
                found.append(
                    Score(term.phrase, tag, front, hard.value, hard.origin, hard.page, hard.parts, demand, origin)
                )
    return found


def _demand(term: Term, suggestions: list[Row], valuer: Valuer) -> tuple[float | None, str]:
    if term.volume is not None:
        return 100 * valuer.worth(term).demand, "volume"
    value = suggested_demand(term.phrase, suggestions)
    return value, "suggestions" if value is not None else ""


def fit(project: Project, locale: str, scores: list[Score]) -> Fit:
    """Return what the app can win in a locale.

    A phrase is won where the app is in the first ten of some storefront. Another one is within reach up to mean +
    spread of what was won, a stretch up to mean + 2 x spread, else out of reach. The spread is the standard deviation,
    at least 5, since a handful of phrases says little. Raises UsageError where the app is in the first ten of no
    phrase with a difficulty.
    """
    known: dict[str, float] = {}
    for score_ in scores:
        if score_.locale == locale and score_.difficulty is not None:
            folded = split.fold(score_.phrase)
            known[folded] = max(known.get(folded, 0.0), score_.difficulty)
    ranks = latest_ranks(project)
    best: dict[str, float] = {}
    for (phrase, _), rank in ranks.items():
        best[phrase] = min(rank, best.get(phrase, rank))
    won = [known[phrase] for (phrase, _), rank in ranks.items() if rank <= TOP and phrase in known]
    if not won:
        raise UsageError(
            f"{locale}: data/ranks.csv has no first ten for a phrase whose difficulty is known",
            "Add ranks, or difficulties (terms score prints them).",
        )
    mean, spread = statistics.fmean(won), max(5.0, statistics.pstdev(won))
    reach = {}
    for term in project.terms.get(locale, ()):
        folded = split.fold(term.phrase)
        if folded in known:
            reach[term.phrase] = _reach(known[folded], best.get(folded), mean, spread)
    return Fit(mean, spread, len(won), reach)


def _reach(hard: float, rank: float | None, mean: float, spread: float) -> str:
    if rank is not None and rank <= TOP:
        return "won"
    return "within reach" if hard <= mean + spread else "a stretch" if hard <= mean + 2 * spread else "out of reach"
