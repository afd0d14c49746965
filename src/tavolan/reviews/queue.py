"""What to answer first.

Featured reviews without a reply come first, since most people see them; then those that were changed since our reply;
then low stars (1 to 3) without one, the longest waiting first; praise (4 and 5 stars) last.
"""

import math
from collections.abc import Collection
from dataclasses import dataclass
from datetime import date
from typing import Literal

import numpy as np
import pandas as pd

from tavolan.errors import UsageError
from tavolan.project.model import Project
from tavolan.results.intervals import Interval, wilson
from tavolan.reviews.table import read_reviews

Reason = Literal["featured", "changed since the reply", "low stars", "praise"]
REASONS: tuple[Reason, ...] = ("featured", "changed since the reply", "low stars", "praise")
# Up to so many stars a review isn't praise.
LOW_STARS = 3


@dataclass(frozen=True)
class Waiting:
    """A review that waits for an answer; `days` are those since it was written, None where the day isn't known."""

    id: str
    store: str
    storefront: str
    locale: str
    day: date | None
    version: str
    stars: int
    text: str
    reply: str
    reason: Reason
    days: int | None


@dataclass(frozen=True)
class ReviewQueue:
    """The reviews to answer first, and how answering goes.

    `answered` is the share with a reply, with Wilson's interval; `wait` the median of days until it; `before` and
    `after` the mean stars of those that were rated anew after a reply, NaN without any.
    """

    first: list[Waiting]
    waiting: int
    reviews: int
    answered: Interval
    wait: float
    rated_anew: int
    before: float
    after: float


def review_queue(
    project: Project,
    today: date,
    stores: Collection[str] = (),
    storefronts: Collection[str] = (),
    locales: Collection[str] = (),
    most: int = 20,
) -> ReviewQueue:
    """Return the first `most` reviews that wait for an answer. Raises ProjectError for faults in the file."""
    frame = read_reviews(project, stores, storefronts, locales)
    replied, stars = frame["reply"] != "", frame["stars"]
    dated = (frame["date"] > 0) & (frame["replied"] > 0)
    changed = replied & dated & (frame["date"] > frame["replied"])
    featured = ~replied & (frame["featured"].astype(str) != "")
    kinds = [featured, changed, ~replied & ~featured & (stars <= LOW_STARS), ~replied & ~featured & (stars > LOW_STARS)]
    order = np.select(kinds, range(len(kinds)), len(kinds))
    # A day that isn't known comes last in its group.
    day = np.where(frame["date"] > 0, frame["date"], np.iinfo(np.int64).max)
    places = np.lexsort((frame["id"].to_numpy(), day, stars.to_numpy(), order))
    waiting = int((order < len(kinds)).sum())
    chosen = places[: min(most, waiting)]
    first = [
        _waiting(row, REASONS[order[place]], today) for place, row in zip(chosen, _rows(frame, chosen), strict=True)
    ]
    waits = (frame["replied"] - frame["date"])[replied & dated & ~changed]
    anew = replied & frame["stars_after"].notna()
    return ReviewQueue(
        first,
        waiting,
        len(frame),
        wilson(int(replied.sum()), len(frame)),
        float(waits.median()) if len(waits) else math.nan,
        int(anew.sum()),
        float(stars[anew].mean()) if anew.any() else math.nan,
        float(frame["stars_after"][anew].mean()) if anew.any() else math.nan,
    )


def waiting_review(project: Project, today: date, review_id: str, store: str = "") -> Waiting:
    """Return a review by its id. Raises UsageError where there's none, or one in several stores."""
    frame = read_reviews(project, [store] if store else ())
    places = np.flatnonzero(frame["id"].to_numpy() == review_id)
    if len(places) != 1:
        message = f"there's no review {review_id}" if not len(places) else f"{len(places)} stores have {review_id}"
        raise UsageError(message, "Its id is in tavolan reviews queue; --store says of which store it is.")
    (row,) = _rows(frame, places)
    return _by_stars(row, today)


def reviews_by_id(project: Project, today: date, ids: Collection[str]) -> dict[tuple[str, str], Waiting]:
    """Return reviews by store and id; where a store isn't named, it's the only one."""
    frame = read_reviews(project)
    places = np.flatnonzero(frame["id"].isin(set(ids)).to_numpy())
    only = next(iter(project.stores)) if len(project.stores) == 1 else ""
    found = [_by_stars(row, today) for row in _rows(frame, places)]
    return {(one.store or only, one.id): one for one in found}


def _rows(frame: pd.DataFrame, places: "np.ndarray[tuple[int], np.dtype[np.int64]]") -> list[dict[str, object]]:
    return [dict(zip(frame.columns, row, strict=True)) for row in frame.iloc[places].itertuples(index=False, name=None)]


def _by_stars(row: dict[str, object], today: date) -> Waiting:
    return _waiting(row, "low stars" if float(str(row["stars"])) <= LOW_STARS else "praise", today)


def _waiting(row: dict[str, object], reason: Reason, today: date) -> Waiting:
    ordinal = int(str(row["date"]))
    day = date.fromordinal(ordinal) if ordinal else None
    texts = {name: str(row[name]) for name in ("id", "store", "storefront", "locale", "version", "text", "reply")}
    stars = int(float(str(row["stars"])))
    return Waiting(**texts, day=day, stars=stars, reason=reason, days=(today - day).days if day else None)
