"""Difficulty and demand of phrases, and what the app can win, by documented formulas.

Difficulty, 0 to 100, from the first ten results of a saved search page:

    100 x (0.9 x strength + 0.1 x crowd)
    strength = mean over the results, weighted by 1 / log2(position + 1), of
               0.50 x ratings   log10(1 + ratings) / 6, at most 1: a million ratings is as strong as it gets
             + 0.15 x stars     (stars - 3) / 2, from 0 to 1
             + 0.15 x age       years since release / 5, at most 1; times 0.6 when it wasn't updated for half a year
             + 0.20 x name      1 where the name holds the phrase in order, else half the share of its words in the name
    crowd    = results found / 10, at most 1

Demand, 0 to 100: the volume where there's one, on the scale of `words.value`; else from search suggestions:

    100 x sqrt(1 - typed) x (11 - position) / 10
    typed = letters of the seed / letters of the phrase: what's suggested after few letters is asked for often

The best of all suggestions counts.
"""

from __future__ import annotations

import math
import statistics
from dataclasses import dataclass
from datetime import date

from tavolan.project.datafile import RESULTS, SUGGESTIONS, Row, read_data
from tavolan.project.locales import language_of
from tavolan.project.model import Project, Term
from tavolan.words import split
from tavolan.words.value import Valuer, latest_ranks

TOP = 10
PARTS = {"ratings": 0.50, "stars": 0.15, "age": 0.15, "name": 0.20}
STRENGTH, CROWD = 0.9, 0.1
_STALE_DAYS = 182
_STALE = 0.6


@dataclass(frozen=True)
class Score:
    """A phrase's difficulty and demand with their parts; None where there's no data to tell."""

    phrase: str
    locale: str
    storefront: str
    difficulty: float | None
    parts: dict[str, float]
    demand: float | None
    demand_from: str


@dataclass(frozen=True)
class Fit:
    """What the app can win: mean and spread of the difficulty of phrases where it stands in the first ten."""

    mean: float
    spread: float
    phrases: int
    reach: dict[str, str]


def difficulty(phrase: str, results: list[Row], plurals: bool, today: date) -> tuple[float, dict[str, float]]:
    """Return the difficulty of a phrase, 0 to 100, and the mean of each part, 0 to 1."""
    top = sorted(results, key=lambda row: row.numbers["position"])[:TOP]
    weights = [1 / math.log2(row.numbers["position"] + 1) for row in top]
    total = sum(weights)
    each = [_parts(phrase, row, plurals, today) for row in top]
    parts = {name: sum(w * one[name] for w, one in zip(weights, each, strict=True)) / total for name in PARTS}
    parts["crowd"] = min(1.0, len(results) / TOP)
    strength = sum(PARTS[name] * parts[name] for name in PARTS)
    return 100 * (STRENGTH * strength + CROWD * parts["crowd"]), parts


def _parts(phrase: str, row: Row, plurals: bool, today: date) -> dict[str, float]:
    match = split.Matching(plurals)
    wanted = [split.key(word, match) for word in split.units(phrase)]
    name = [split.key(word, match) for word in split.units(row.text("app"))]
    size = len(wanted)
    exact = any(name[i : i + size] == wanted for i in range(len(name) - size + 1))
    share = sum(word in name for word in wanted) / size if size else 0.0
    return {
        "ratings": min(1.0, math.log10(1 + row.numbers["ratings"]) / 6),
        "stars": min(1.0, max(0.0, (row.numbers["stars"] - 3) / 2)),
        "age": _age(row, today),
        "name": 1.0 if exact else share / 2,
    }


def _age(row: Row, today: date) -> float:
    released, updated = _day(row.text("released")), _day(row.text("updated"))
    if released is None:
        return 0.5
    age = min(1.0, max(0.0, (today - released).days / 365.25 / 5))
    stale = updated is not None and (today - updated).days > _STALE_DAYS
    return age * (_STALE if stale else 1.0)


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text)
    except ValueError:
        return None


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
    """Return the scores of the target phrases of some locales, from `data/results.csv` and `data/suggestions.csv`."""
    pages: dict[tuple[str, str], list[Row]] = {}
    for row in read_data(project.root, RESULTS):
        pages.setdefault((split.fold(row.text("phrase")), row.text("storefront")), []).append(row)
    suggestions: dict[str, list[Row]] = {}
    for row in read_data(project.root, SUGGESTIONS):
        suggestions.setdefault(row.text("locale"), []).append(row)
    valuer = Valuer(project)
    found = []
    for tag in locales:
        plurals = language_of(tag) == "en"
        for term in project.terms.get(tag, ()):
            fronts = sorted(front for phrase, front in pages if phrase == split.fold(term.phrase)) or [""]
            demand, origin = _demand(term, suggestions.get(tag, []), valuer)
            for front in fronts:
                rows = pages.get((split.fold(term.phrase), front))
                hard, parts = difficulty(term.phrase, rows, plurals, today) if rows else (None, {})
                found.append(Score(term.phrase, tag, front, hard, parts, demand, origin))
    return found


def _demand(term: Term, suggestions: list[Row], valuer: Valuer) -> tuple[float | None, str]:
    if term.volume is not None:
        return 100 * valuer.worth(term).demand, "volume"
    value = suggested_demand(term.phrase, suggestions)
    return value, "suggestions" if value is not None else ""


def fit(project: Project, locale: str, scores: list[Score]) -> Fit | None:
    """Return what the app can win in a locale, or None when it stands in no first ten of a phrase with a difficulty.

    A phrase is within reach up to mean + spread of what was won, a stretch up to mean + 2 x spread, else out of reach.
    The spread is the standard deviation, at least 5, since a handful of phrases says little.
    """
    known = {split.fold(s.phrase): s.difficulty for s in scores if s.locale == locale and s.difficulty is not None}
    for term in project.terms.get(locale, ()):
        if term.difficulty is not None:
            known.setdefault(split.fold(term.phrase), term.difficulty)
    won = [known[phrase] for (phrase, _), rank in latest_ranks(project).items() if rank <= TOP and phrase in known]
    if not won:
        return None
    mean, spread = statistics.fmean(won), max(5.0, statistics.pstdev(won))
    reach = {}
    for term in project.terms.get(locale, ()):
        hard = known.get(split.fold(term.phrase))
        if hard is not None:
            near, far = mean + spread, mean + 2 * spread
            reach[term.phrase] = "within reach" if hard <= near else "a stretch" if hard <= far else "out of reach"
    return Fit(mean, spread, len(won), reach)
