"""Build the JSON document about what to do next."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from tavolan.reports.documents.results import finite

if TYPE_CHECKING:
    from datetime import date

    from tavolan.advice.action import Action
    from tavolan.advice.next_actions import NextActions
    from tavolan.reports.documents.build import Document


def next_document(found: NextActions, day: date) -> Document:
    """Return what to do next as `tavolan/next@1`."""
    return {
        "schema": "tavolan/next@1",
        "day": str(day),
        "first_hand_over": found.is_new,
        "actions": [_action(one) for one in found.first],
        "more": dict(found.more),
    }


def _action(one: Action) -> dict[str, Any]:
    gain = {
        "value": finite(one.gain.value),
        "low": finite(one.gain.low),
        "high": finite(one.gain.high),
        "unit": one.gain.unit,
        "measured": one.gain.measured,
        "factors": dict(one.gain.factors),
    }
    return {
        "kind": one.kind,
        "what": one.what,
        "why": one.why,
        "command": one.command,
        "gain": gain,
        "minutes": one.minutes,
        "promise": one.promise,
        "blocks": one.blocks,
        "where": one.where,
    }
