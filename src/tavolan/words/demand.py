"""How often people ask for a phrase: one demand for each, and where it's from. Everything that needs it asks here.

Demand, 0 to 1: the volume of its list, where there's one, as

    log(1 + volume) / log(1 + the largest volume of any list)

since volumes of search phrases spread over orders of magnitude; else from saved search suggestions:

    sqrt(1 - typed) x (11 - position) / 10
    typed = letters of the seed / letters of the phrase: what's suggested after few letters is asked for often

The best of all suggestions counts. Where there's neither, `[words] demand` is assumed.
"""

import math
from typing import Literal

from tavolan.project.datafile import SUGGESTIONS
from tavolan.project.model import Project, Term
from tavolan.project.tables import Row
from tavolan.words import split

DemandOrigin = Literal["volume", "suggestions", "assumed"]


def _letters(phrase: str) -> str:
    return "".join(split.fold(phrase).split())


class Demands:
    """The demand of a project's phrases."""

    def __init__(self, project: Project) -> None:
        """Raises ProjectError for faults in `data/suggestions.csv`."""
        volumes = [term.volume for terms in project.terms.values() for term in terms if term.volume]
        self._scale = math.log1p(max(volumes, default=1.0))
        self._assumed = project.words.demand
        self._suggested: dict[tuple[str, str], float] = {}
        for row in project.tables.rows(SUGGESTIONS):
            key = row.text("locale"), _letters(row.text("phrase"))
            self._suggested[key] = max(self._suggested.get(key, 0.0), _of_suggestion(key[1], row))

    def of(self, term: Term) -> tuple[float, DemandOrigin]:
        """Return the demand of a phrase, 0 to 1, and where it's from."""
        if term.volume is not None:
            return math.log1p(term.volume) / self._scale, "volume"
        if self._suggested:
            found = self._suggested.get((term.locale, _letters(term.phrase)))
            if found is not None:
                return found, "suggestions"
        return self._assumed, "assumed"


def _of_suggestion(letters: str, row: Row) -> float:
    typed = min(1.0, len(_letters(row.text("seed"))) / max(1, len(letters)))
    return math.sqrt(1 - typed) * max(0.0, 11 - row.numbers["position"]) / 10
