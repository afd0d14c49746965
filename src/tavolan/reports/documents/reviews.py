"""Build the JSON documents about reviews."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from tavolan.reports.documents.results import finite, interval_part

if TYPE_CHECKING:
    from tavolan.reports.documents.build import Document
    from tavolan.reviews.queue import ReviewQueue
    from tavolan.reviews.themes import Theme, Themes


def queue_document(queue: ReviewQueue) -> Document:
    """Return what to answer first as `tavolan/queue@1`."""
    first = [{**asdict(one), "day": one.day and str(one.day)} for one in queue.first]
    return {
        "schema": "tavolan/queue@1", "first": first, "waiting": queue.waiting, "reviews": queue.reviews,
        "answered": interval_part(queue.answered), "wait": finite(queue.wait), "rated_anew": queue.rated_anew,
        "before": finite(queue.before), "after": finite(queue.after),
    }  # fmt: skip


def themes_document(found: Themes) -> Document:
    """Return themes as `tavolan/themes@1`."""
    return {
        "schema": "tavolan/themes@1", "locale": found.locale, "reviews": found.reviews, "version": found.version,
        "themes": [_theme(one) for one in found.themes],
    }  # fmt: skip


def _theme(one: Theme) -> dict[str, Any]:
    shares = {name: interval_part(getattr(one, name)) for name in ("share", "newest", "earlier")}
    return {
        "phrase": one.phrase, "kind": one.kind, "score": one.score, "texts": one.texts, **shares, "stars": one.stars,
        "example": one.example, "trend": one.trend, "target": one.target, "shown": one.shown,
        "storefronts": one.storefronts, "also": list(one.also),
    }  # fmt: skip
