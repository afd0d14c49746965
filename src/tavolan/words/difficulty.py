"""How hard a phrase is: given in its list, else measured on a saved search page. Everything that needs it asks here.

Difficulty, 0 to 100, from the first ten results of a saved search page:

    100 x (0.9 x strength + 0.1 x crowd)
    strength = mean over the results, weighted by 1 / log2(position + 1), of
               0.50 x ratings   log10(1 + ratings) / 6, at most 1: a million ratings is as strong as it gets
             + 0.15 x stars     (stars - 3) / 2, from 0 to 1
             + 0.15 x age       years since release / 5, at most 1; times 0.6 when it wasn't updated for half a year
             + 0.20 x name      1 where the name holds the phrase in order, else half the share of its words in the name
    crowd    = results found / 10, at most 1
"""

import math
from dataclasses import dataclass
from datetime import date
from typing import Literal

from tavolan.project.datafile import SEARCH_PAGES
from tavolan.project.model import Project, Term
from tavolan.project.tables import Row
from tavolan.words import split
from tavolan.words.phrases import phrase_of, words_of

TOP = 10
PARTS = {"ratings": 0.50, "stars": 0.15, "age": 0.15, "name": 0.20}
STRENGTH, CROWD = 0.9, 0.1
_STALE_DAYS = 182
_STALE = 0.6


DifficultyOrigin = Literal["list", "page", ""]


@dataclass(frozen=True)
class Difficulty:
    """A phrase's difficulty, 0 to 100, and where it's from; `page` is what a saved page says, `parts` its parts."""

    value: float | None
    origin: DifficultyOrigin
    page: float | None
    parts: dict[str, float]


class Difficulties:
    """The difficulties of a project's phrases. The list's own column has the last word."""

    def __init__(self, project: Project, today: date) -> None:
        self.today = today
        self._pages: dict[tuple[str, str], list[Row]] = {}
        for row in project.tables.rows(SEARCH_PAGES):
            self._pages.setdefault((split.fold(row.text("phrase")), row.text("storefront")), []).append(row)
        self._known: dict[tuple[str, str, str, float | None], Difficulty] = {}

    def storefronts(self, phrase: str) -> list[str]:
        """Return the storefronts that there's a saved page of a phrase for."""
        folded = split.fold(phrase)
        return sorted(front for known, front in self._pages if known == folded)

    def of(self, term: Term, storefront: str = "") -> Difficulty:
        """Return the difficulty of a phrase in a storefront; without one, that of the page it's hardest on."""
        key = (term.locale, term.phrase, storefront, term.difficulty)
        if key not in self._known:
            self._known[key] = self._of(term, storefront)
        return self._known[key]

    def _of(self, term: Term, storefront: str) -> Difficulty:
        # Most projects have no saved pages.
        fronts = ([storefront] if storefront else self.storefronts(term.phrase)) if self._pages else []
        match = split.language_matching(term.locale)
        found = [
            difficulty(term.phrase, rows, match, self.today)
            for front in fronts
            if (rows := self._pages.get((split.fold(term.phrase), front)))
        ]
        page, parts = max(found, key=lambda one: one[0], default=(None, {}))
        if term.difficulty is not None:
            return Difficulty(term.difficulty, "list", page, parts)
        return Difficulty(page, "page" if page is not None else "", page, parts)


def difficulty(phrase: str, results: list[Row], match: split.Matching, today: date) -> tuple[float, dict[str, float]]:
    """Return the difficulty of a phrase, 0 to 100, and the mean of each part, 0 to 1."""
    top = sorted(results, key=lambda row: row.numbers["position"])[:TOP]
    weights = [1 / math.log2(row.numbers["position"] + 1) for row in top]
    total = sum(weights)
    each = [_parts(phrase, row, match, today) for row in top]
    parts = {name: sum(w * one[name] for w, one in zip(weights, each, strict=True)) / total for name in PARTS}
    parts["crowd"] = min(1.0, len(results) / TOP)
    strength = sum(PARTS[name] * parts[name] for name in PARTS)
    return 100 * (STRENGTH * strength + CROWD * parts["crowd"]), parts


def _parts(phrase: str, row: Row, match: split.Matching, today: date) -> dict[str, float]:
    wanted, name = phrase_of(phrase, match), words_of(row.text("app"), match)
    exact = name.holds_in_order(wanted)
    share = sum(name.holds(word) for word in wanted.words) / len(wanted.words) if wanted.words else 0.0
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
