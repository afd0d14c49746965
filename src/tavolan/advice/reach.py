"""How many installs a month, or how much answered value, each store and storefront has: what work is worth there.

installs of a place   installs of the last 28 days x 30.44 / days
value of a place      of its target phrases, value x weight of the tier that answers them (words.value)
installs of a point   installs from search / answered value of the same places
range of points       each phrase is taken to rank among the first ten, or to bring nothing: with the chance p that our
                      answered phrases with a known rank have, (hits + 1) / (phrases + 2). The middle four fifths of the
                      sum, as a normal distribution: mean -+ 1.28 sqrt(sum of (points x installs)^2 x (1 - p) / p)

A place without metrics has the installs of its value at the rate of all places with both.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from functools import cached_property
from typing import NamedTuple

from tavolan.advice.action import Gain, Unit
from tavolan.advice.kinds import Kind, kinds
from tavolan.project.model import Project, Store
from tavolan.results.metrics import of_places, read_metrics, rows_in
from tavolan.results.scope import days_up_to
from tavolan.results.worth import DAYS_OF_A_MONTH
from tavolan.support.number_words import some_of
from tavolan.words.coverage import Answer, cover, storefronts_of
from tavolan.words.value import Valuer

Place = tuple[str, str]
_FIRST_TEN = 10
# Of a normal distribution, four fifths are within so many standard deviations.
_FOUR_FIFTHS = 1.2816


class _Metrics(NamedTuple):
    """Installs a month by place, and those from search."""

    installs: dict[Place, float]
    search: dict[Place, float]


class Reach:
    """What work is worth in the places that it's for."""

    def __init__(self, project: Project, valuer: Valuer | None = None) -> None:
        self.project, self._valuer = project, valuer

    @property
    def unit(self) -> Unit:
        """Installs where there are metrics, value points else."""
        return "installs" if self._metrics.installs else "points"

    @cached_property
    def _answers(self) -> list[Answer]:
        return cover(self.project, list(self.project.stores), valuer=self._valuer)

    @cached_property
    def points(self) -> dict[Place, float]:
        """The value of answered phrases by store and storefront."""
        found: dict[Place, float] = {}
        for answer in self._answers:
            at = (answer.store, answer.storefront)
            found[at] = found.get(at, 0.0) + answer.value
        return found

    @cached_property
    def chance(self) -> float:
        """The chance that an answered phrase ranks among the first ten."""
        ranks = [answer.rank.rank for answer in self._answers if answer.covered and answer.rank]
        return (sum(rank <= _FIRST_TEN for rank in ranks) + 1) / (len(ranks) + 2)

    @cached_property
    def _metrics(self) -> _Metrics:
        frame = read_metrics(self.project).dropna(subset=["installs"])
        if frame.empty:
            return _Metrics({}, {})
        last = date.fromordinal(int(frame["date"].max()))
        recent = rows_in(frame, days_up_to(last))
        a_month = DAYS_OF_A_MONTH / recent["date"].nunique()

        def by_place(sources: list[str]) -> dict[Place, float]:
            rows = of_places(recent, sources=sources)
            sums = rows.groupby(["store", "storefront"], observed=True)["installs"].sum()
            table = sums.reset_index()
            places = zip(map(str, table["store"]), map(str, table["storefront"]), strict=True)
            return dict(zip(places, table["installs"] * a_month, strict=True))

        return _Metrics(by_place([]), by_place(["search"]))

    @cached_property
    def _rate(self) -> float:
        """Installs a month from search for each point of answered value, over all places with both."""
        both = [at for at in self._metrics.search if self.points.get(at)]
        value = sum(self.points[at] for at in both)
        return sum(self._metrics.search[at] for at in both) / value if value else 0.0

    def installs(self, at: Place) -> float:
        """Return the installs a month of a place: counted, else by its answered value."""
        return self._metrics.installs.get(at, self.points.get(at, 0.0) * self._rate)

    def places(self, locales: Iterable[str] = (), stores: Iterable[str] = ()) -> list[Place]:
        """Return the places whose visitors see the texts of some locales first; without locales all of the stores'."""
        wanted, chosen = set(locales), set(stores) or set(self.project.stores)
        return [
            (store.id, front)
            for store in self.project.stores.values()
            if store.id in chosen
            for front in storefronts_of(store)
            if not wanted or _first(store, front) in wanted
        ]

    def of_points(self, gains: Mapping[Place, Sequence[float]]) -> Gain:
        """Return what more answered value brings; `gains` are those of each phrase, by place."""
        points = sum(map(sum, gains.values()))
        shown = {"value points": f"{points:+.1f} by coverage, as it would be"}
        if self.unit == "points":
            return Gain(points, points, points, "points", True, shown)
        mean, squares, said = 0.0, 0.0, []
        for at, several in gains.items():
            own = self._metrics.search.get(at) if self.points.get(at) else None
            rate = own / self.points[at] if own is not None else self._rate
            mean += rate * sum(several)
            squares += sum((rate * gain) ** 2 for gain in several)
            if any(several):
                origin = "its installs from search ÷ its value" if own is not None else "no metrics: all places' rate"
                said.append(f"{' '.join(at)} {sum(several):+.1f} × {rate:.2f} ({origin})")
        width = _FOUR_FIFTHS * math.sqrt(squares * (1 - self.chance) / self.chance)
        shown |= {
            "installs": "; ".join(said[:4]),
            "range": f"{self.chance:.0%} of answered phrases rank among the first ten",
        }
        return Gain(mean, max(0.0, mean - width), mean + width, "installs", True, shown)

    def of_share(self, kind: Kind, places: list[Place], times: float = 1.0) -> Gain:
        """Return what a share brings that's assumed for a kind of work, in some places; `times` scales it.

        Nothing is known of a kind without such a share.
        """
        assumed = kinds()[kind].share
        if assumed is None:
            return Gain()
        if self.unit == "points":
            base, words = sum(self.points.get(at, 0.0) for at in places), "answered value"
        else:
            base, words = sum(map(self.installs, places)), "installs a month"
        shown = {
            words: f"{base:,.0f} in {_named(places)}",
            "assumed share": f"{assumed.mid:.1%} ({assumed.low:.0%} to {assumed.high:.0%}): {assumed.why}",
        }
        if times != 1:
            shown["part of it"] = f"{times:.2f}"
        low, mid, high = (base * share * times for share in (assumed.low, assumed.mid, assumed.high))
        return Gain(mid, low, high, self.unit, False, shown)

    def of_ratio(
        self, places: list[Place], value: float, low: float, high: float, words: str, *, measured: bool
    ) -> Gain:
        """Return what a change of the installs of some places brings: -1 to more, 0.1 is a tenth more."""
        if self.unit == "points":
            return Gain()
        base = sum(map(self.installs, places))
        shown = {"installs a month": f"{base:,.0f} in {_named(places)}", "change": words}
        return Gain(base * value, base * low, base * high, "installs", measured, shown)


def _first(store: Store, front: str) -> str:
    reads = store.reads(front)
    return reads[0] if reads else ""


def _named(places: list[Place]) -> str:
    return some_of(list(dict.fromkeys(" ".join(at) for at in places)), 4)
