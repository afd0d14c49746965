"""Build the JSON documents about reviews."""

from __future__ import annotations

import math
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from tavolan.reports.documents.build import Document
    from tavolan.results.intervals import Interval
    from tavolan.reviews.queue import ReviewQueue
    from tavolan.reviews.themes import Theme, Themes


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _interval(interval: Interval) -> dict[str, float | None]:
    return {name: _finite(value) for name, value in interval._asdict().items()}


def queue_document(queue: ReviewQueue) -> Document:
    """Return what to answer first as `tavolan/queue@1`."""
    first = [{**asdict(one), "day": one.day and str(one.day)} for one in queue.first]
    return {
        "schema": "tavolan/queue@1", "first": first, "waiting": queue.waiting, "reviews": queue.reviews,
        "answered": _interval(queue.answered), "wait": _finite(queue.wait), "rated_anew": queue.rated_anew,
        "before": _finite(queue.before), "after": _finite(queue.after),
    }  # fmt: skip


def themes_document(found: Themes) -> Document:
    """Return themes as `tavolan/themes@1`."""
    return {
        "schema": "tavolan/themes@1", "locale": found.locale, "reviews": found.reviews, "version": found.version,
        "themes": [_theme(one) for one in found.themes],
    }  # fmt: skip


def _theme(one: Theme) -> dict[str, Any]:
    shares = {name: _interval(getattr(one, name)) for name in ("share", "newest", "earlier")}
    return {
        "phrase": one.phrase, "kind": one.kind, "score": one.score, "texts": one.texts, **shares, "stars": one.stars,
        "example": one.example, "trend": one.trend, "target": one.target, "shown": one.shown,
        "storefronts": one.storefronts, "also": list(one.also),
    }  # fmt: skip
