"""How many installs a month, or how much answered value, each store and storefront has: what work is worth there.

installs of a place   installs of the last 28 days x 30.44 / days
value of a place      of its target phrases, value x weight of the tier that answers them (words.value)
installs of words     by demand, ranks and a catch curve (`word_gain`), never more than the place has from search

A place without metrics has the installs of its value at the rate of all places with both: that much is assumed.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from functools import cached_property
from typing import NamedTuple

from tavolan.advice.action import Gain, Unit
from tavolan.advice.kinds import Kind, kinds
from tavolan.advice.word_gain import KNOWN_SHARE, PhraseChange, PhraseNow, PlaceSearch, word_gain
from tavolan.project.model import Project, Store
from tavolan.results.metrics import of_places, read_metrics, rows_in
from tavolan.results.scope import days_up_to
from tavolan.results.worth import DAYS_OF_A_MONTH
from tavolan.support.number_words import some_of
from tavolan.words.coverage import Answer, cover, storefronts_of
from tavolan.words.value import Valuer

Place = tuple[str, str]


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
    def _ranks(self) -> list[float]:
        """Our ranks under answered phrases, as far as they're known; infinite where the app wasn't found."""
        return [answer.rank.rank for answer in self._answers if answer.covered and answer.rank]

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

    def of_answers(self, before: Sequence[Answer], after: Sequence[Answer]) -> Gain:
        """Return what other answers to the same phrases bring."""
        points = sum(new.value - old.value for old, new in zip(before, after, strict=True))
        shown = {"value points": f"{points:+.1f} by coverage, as it would be"}
        if self.unit == "points":
            return Gain(points, points, points, "points", True, shown)
        changed: dict[Place, list[PhraseChange]] = {}
        for old, new in zip(before, after, strict=True):
            if old.value != new.value:
                change = PhraseChange(_phrase_now(old), _weight(old), _weight(new))
                changed.setdefault((new.store, new.storefront), []).append(change)
        # What's assumed of a place without metrics is no gain that can be promised.
        places = [at for at in changed if self._metrics.search.get(at)]
        if not places:
            return Gain(factors=shown | {"installs": f"no installs from search are known in {_named(list(changed))}"})
        searches = [PlaceSearch(self._metrics.search[at], self._phrases.get(at, []), changed[at]) for at in places]
        mean, low, high = word_gain(searches, self._ranks, self.project.results.depth)
        known = f"{len(self._ranks)} known ranks of ours" if self._ranks else "no rank of ours is known: usual ones"
        shares = f"{KNOWN_SHARE[0]:.0%} to {KNOWN_SHARE[1]:.0%}"
        assumed = f"new phrases rank as ours do, or up to three times as far down ({known})"
        shown |= {
            "installs from search": "; ".join(f"{' '.join(at)} {self._metrics.search[at]:,.0f}" for at in places[:4]),
            "assumed": f"{assumed}; {shares} of those installs come from target phrases",
            "range": "nine draws in ten: docs/next.md",
        }
        return Gain(mean, low, high, "installs", False, shown, self._parted(places, self._metrics.search, mean))

    @cached_property
    def _phrases(self) -> dict[Place, list[PhraseNow]]:
        """The target phrases of each place, as they're answered today."""
        found: dict[Place, list[PhraseNow]] = {}
        for answer in self._answers:
            found.setdefault((answer.store, answer.storefront), []).append(_phrase_now(answer))
        return found

    def _parted(self, places: Sequence[Place], sizes: Mapping[Place, float], value: float) -> dict[Place, float]:
        """Return a gain by place, in parts as large as the places are."""
        whole = sum(sizes.get(at, 0.0) for at in places)
        return {at: value * sizes.get(at, 0.0) / whole for at in places} if whole else {}

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
        return Gain(mid, low, high, self.unit, False, shown, self._of_places(places, mid))

    def _of_places(self, places: list[Place], value: float) -> dict[Place, float]:
        """Return a gain of installs by place; nothing where it's in points."""
        return {} if self.unit == "points" else self._parted(places, {at: self.installs(at) for at in places}, value)

    def of_ratio(
        self, places: list[Place], value: float, low: float, high: float, words: str, *, measured: bool
    ) -> Gain:
        """Return what a change of the installs of some places brings: -1 to more, 0.1 is a tenth more."""
        if self.unit == "points":
            return Gain()
        base = sum(map(self.installs, places))
        shown = {"installs a month": f"{base:,.0f} in {_named(places)}", "change": words}
        mid = base * value
        return Gain(mid, base * low, base * high, "installs", measured, shown, self._of_places(places, mid))


def _phrase_now(answer: Answer) -> PhraseNow:
    rank = answer.rank.rank if answer.rank else math.nan
    return PhraseNow(answer.worth.demand, rank, answer.covered)


def _weight(answer: Answer) -> float:
    """Return how strongly a phrase is answered: the weight of its tier, 0 where it isn't."""
    return answer.value / answer.worth.value if answer.covered and answer.worth.value else 0.0


def _first(store: Store, front: str) -> str:
    reads = store.reads(front)
    return reads[0] if reads else ""


def _named(places: list[Place]) -> str:
    return some_of(list(dict.fromkeys(" ".join(at) for at in places)), 4)
