"""Build the JSON documents about reviews."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from tavolan.reports.documents.results import finite, interval_part

if TYPE_CHECKING:
    from tavolan.checking.findings import Finding
    from tavolan.reports.documents.build import Document
    from tavolan.reviews.queue import ReviewQueue, Waiting
    from tavolan.reviews.reply_table import Reply
    from tavolan.reviews.replying import Drafts
    from tavolan.reviews.sending import SentReplies
    from tavolan.reviews.themes import Theme, Themes


def queue_document(queue: ReviewQueue) -> Document:
    """Return what to answer first as `tavolan/queue@1`."""
    first = [_waiting(one) for one in queue.first]
    return {
        "schema": "tavolan/queue@1",
        "first": first,
        "waiting": queue.waiting,
        "reviews": queue.reviews,
        "answered": interval_part(queue.answered),
        "wait": finite(queue.wait),
        "rated_anew": queue.rated_anew,
        "before": finite(queue.before),
        "after": finite(queue.after),
    }


def replies_document(done: Drafts) -> Document:
    """Return drafts of replies as `tavolan/replies@1`."""
    return {
        "schema": "tavolan/replies@1",
        "drafts": [
            {
                "review": _waiting(one.review),
                "template": one.reply.template,
                "text": one.reply.text,
                "standing": one.standing,
                "findings": [_fault(found) for found in one.findings],
            }
            for one in done.drafts
        ],
        "without": [{"review": _waiting(review), "why": why} for review, why in done.without],
    }


def sent_document(done: SentReplies) -> Document:
    """Return what was sent as `tavolan/sent@1`."""
    return {
        "schema": "tavolan/sent@1",
        "sent": [_reply(one) for one in done.sent],
        **{
            kind: [
                {**_reply(one.reply), "why": one.why, "findings": [_fault(found) for found in one.findings]}
                for one in several
            ]
            for kind, several in (("held", done.held), ("conflicts", done.conflicts), ("refused", done.refused))
        },
    }


def _waiting(one: Waiting) -> dict[str, Any]:
    return {**asdict(one), "day": one.day and str(one.day)}


def _reply(one: Reply) -> dict[str, Any]:
    return {
        "store": one.store,
        "id": one.id,
        "locale": one.locale,
        "template": one.template,
        "text": one.text,
        "sent": one.sent and str(one.sent),
    }


def _fault(found: Finding) -> dict[str, Any]:
    return {
        "rule": found.rule,
        "level": found.level,
        "message": found.message,
        "remedy": found.remedy,
        "subject": found.subject,
    }


def themes_document(found: Themes) -> Document:
    """Return themes as `tavolan/themes@1`."""
    return {
        "schema": "tavolan/themes@1",
        "locale": found.locale,
        "reviews": found.reviews,
        "version": found.version,
        "themes": [_theme(one) for one in found.themes],
    }


def _theme(one: Theme) -> dict[str, Any]:
    shares = {name: interval_part(getattr(one, name)) for name in ("share", "newest", "earlier")}
    return {
        "phrase": one.phrase,
        "kind": one.kind,
        "score": one.score,
        "texts": one.texts,
        **shares,
        "stars": one.stars,
        "example": one.example,
        "trend": one.trend,
        "target": one.target,
        "shown": one.shown,
        "storefronts": one.storefronts,
        "also": list(one.also),
    }
