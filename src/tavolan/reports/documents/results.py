"""Build the JSON documents about results."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import asdict
from datetime import date
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from tavolan.reports.documents.build import Document
    from tavolan.results.effect import ChangeEffect
    from tavolan.results.funnel import Funnel, FunnelReport, Step
    from tavolan.results.history import RankHistory
    from tavolan.results.intervals import Interval
    from tavolan.results.month import MonthResults
    from tavolan.results.moved import Move, Moved
    from tavolan.results.periods import Period
    from tavolan.results.rank_effect import RankShift
    from tavolan.results.rivals import ListingChange, Rivals
    from tavolan.results.share import ShareLine
    from tavolan.results.wins import Win, Wins
    from tavolan.results.worth import ListingWorth


def effect_document(effects: Iterable[ChangeEffect]) -> Document:
    """Return effects of changes as `tavolan/effect@1`."""
    return {"schema": "tavolan/effect@1", "effects": [_effect(one) for one in effects]}


def _effect(one: ChangeEffect) -> dict[str, Any]:
    found = one.found
    return {
        "day": str(one.change.day),
        "store": one.change.store,
        "places": one.change.places,
        "metric": one.question.metric,
        "sources": list(one.question.sources),
        "storefronts": one.storefronts,
        "before": _period(one.before),
        "after": _period(one.after),
        "left_out": one.left_out,
        "ratio": interval_part(found.ratio) if found else None,
        "rate_before": found.rate_before if found else None,
        "rate_after": found.rate_after if found else None,
        "verdict": found.verdict if found else "unknown",
        "method": found.method if found else "",
        "reasons": found.reasons if found else [one.why_not],
        "days_more": found.days_more if found else None,
        "control": one.control,
        "suspects": one.suspects,
        "ranks": one.ranks
        and {
            "ratio": interval_part(one.ranks.ratio),
            "verdict": one.ranks.verdict,
            "touched": [_shift(shift) for shift in one.ranks.touched],
            "others": [_shift(shift) for shift in one.ranks.others],
        },
    }


def funnel_document(report: FunnelReport) -> Document:
    """Return funnels as `tavolan/funnel@1`."""
    repair = None
    if report.repair:
        funnel, step = report.repair
        repair = {
            "store": funnel.store,
            "storefront": funnel.storefront,
            "step": step.name,
            "installs": funnel.gain(step),
        }
    return {
        "schema": "tavolan/funnel@1",
        "period": _period(report.period),
        "sources": list(report.sources),
        "withheld": report.withheld,
        "funnels": [_funnel(one) for one in report.funnels],
        "repair": repair,
    }


def _funnel(one: Funnel) -> dict[str, Any]:
    return {
        "store": one.store,
        "storefront": one.storefront,
        "counts": one.counts,
        "steps": [_step(step) for step in one.steps],
    }


def _step(step: Step) -> dict[str, Any]:
    return {
        "step": step.name,
        "share": interval_part(step.share),
        "before": interval_part(step.before),
        "goal": finite(step.goal),
        "goal_from": step.benchmark_source or "our other storefronts",
        "lags": step.lags,
    }


def moved_document(digest: Moved) -> Document:
    """Return the digest of a period as `tavolan/moved@1`."""
    return {
        "schema": "tavolan/moved@1",
        "period": _period(digest.period),
        "installs": [
            {
                "store": one.store,
                "before": one.before,
                "now": one.now,
                "ratio": interval_part(one.found.ratio) if one.found else None,
                "verdict": one.found.verdict if one.found else "unknown",
            }
            for one in digest.installs
        ],
        "funnels": [_funnel(one) for one in digest.funnels],
        "moves": [_move(one) for one in digest.moves],
        "not_targeted": [_move(one) for one in digest.not_targeted],
        "unfound": [asdict(one) for one in digest.unfound],
        "changes": [{"day": str(one.day), "store": one.store, "places": one.places} for one in digest.changes],
        "campaigns": [
            {**_period(one.period), "store": one.store, "storefront": one.storefront, "what": one.what}
            for one in digest.campaigns
        ],
    }


def _move(one: Move) -> dict[str, Any]:
    return {
        "store": one.store,
        "storefront": one.storefront,
        "phrase": one.phrase,
        "before": finite(one.before),
        "now": finite(one.now),
        "mark": one.mark,
    }


def _period(period: Period) -> dict[str, str]:
    return {"first": str(period.first), "last": str(period.last)}


def interval_part(interval: Interval) -> dict[str, float | None]:
    """Return an estimate and its bounds as JSON has them."""
    return {name: finite(value) for name, value in interval._asdict().items()}


def finite(value: float) -> float | None:
    """Return a number that JSON knows; null for one that isn't known or has no bound."""
    return value if math.isfinite(value) else None


def ranks_document(history: RankHistory) -> Document:
    """Return ranks over time as `tavolan/ranks@1`."""
    lines = [
        {
            "store": one.store,
            "app": one.app,
            "storefront": one.storefront,
            "phrase": one.phrase,
            "lists": list(one.lists),
            "ranks": {_day(day): finite(rank) for day, rank in one.ranks.items()},
        }
        for one in history.lines
    ]
    return {"schema": "tavolan/ranks@1", "lines": lines}


def share_document(lines: Iterable[ShareLine]) -> Document:
    """Return search shares over time as `tavolan/share@1`."""
    rows = [
        {
            "store": one.store,
            "storefront": one.storefront,
            "app": one.app,
            "list": one.list,
            "phrases": one.phrases,
            "shares": {_day(day): share for day, share in one.shares.items()},
        }
        for one in lines
    ]
    return {"schema": "tavolan/share@1", "lines": rows}


def rivals_document(found: Rivals, within: int) -> Document:
    """Return our ranks beside those of others as `tavolan/rivals@1`."""
    rows = [
        {
            "store": row.store,
            "storefront": row.storefront,
            "phrase": row.phrase,
            "gap": row.is_gap(found.ours, within),
            "ranks": [
                {
                    "app": app,
                    "rank": finite(known.rank),
                    "rank_before": None if known.before is None else finite(known.before),
                }
                for app, known in row.ranks.items()
            ],
        }
        for row in found.rows
    ]
    return {
        "schema": "tavolan/rivals@1",
        "period": _period(found.period),
        "ours": found.ours,
        "within": within,
        "rows": rows,
        "changes": [_listing_change(one) for one in found.changes],
    }


def _listing_change(change: ListingChange) -> dict[str, Any]:
    return {
        "app": change.app,
        "locale": change.locale,
        "day": str(change.day),
        "words": {name: {"gone": list(words.gone), "came": list(words.came)} for name, words in change.words.items()},
        "shifts": [{"theirs": _shift(theirs), "ours": ours and _shift(ours)} for theirs, ours in change.shifts],
    }


def _shift(shift: RankShift) -> dict[str, Any]:
    return {
        "storefront": shift.storefront,
        "phrase": shift.phrase,
        "before": finite(shift.before),
        "after": finite(shift.after),
    }


def wins_document(found: Wins) -> Document:
    """Return the next wins as `tavolan/wins@1`."""
    return {"schema": "tavolan/wins@1", "in_all": found.in_all, "wins": [_win(one) for one in found.best]}


def _win(one: Win) -> dict[str, Any]:
    answer, move = one.answer, one.move
    return {
        "store": answer.store,
        "storefront": answer.storefront,
        "phrase": answer.phrase,
        "rank": answer.rank.rank if answer.rank else None,
        "rank_before": answer.rank and (None if answer.rank.before is None else finite(answer.rank.before)),
        "value_at_best": answer.worth.value,
        "reach": one.reach,
        "score": one.score,
        "tier": answer.tier,
        "move": move
        and {
            "words": list(move.words),
            "field": move.field,
            "locale": move.locale,
            "instead_of": move.instead_of,
            "tier": move.tier,
            "gain": move.gain,
            "texts": [asdict(change) for change in move.texts],
        },
    }


def report_document(found: MonthResults, within: int) -> Document:
    """Return the figures of a month's report as `tavolan/report@1`; each part is as its own document."""
    parts: dict[str, Document | None] = {
        "moved": moved_document(found.moved),
        "effect": effect_document(found.effects),
        "funnel": funnel_document(found.funnel) if found.funnel else None,
        "share": share_document(found.shares),
        "rivals": rivals_document(found.rivals, within) if found.rivals else None,
        "wins": wins_document(found.wins) if found.wins else None,
    }
    own = {
        name: part and {key: value for key, value in part.items() if key != "schema"} for name, part in parts.items()
    }
    return {"schema": "tavolan/report@1", "period": _period(found.period), **own}


def worth_document(found: ListingWorth) -> Document:
    """Return what changes of the listing are worth as `tavolan/worth@1`."""
    changes = [
        {
            "day": str(one.effect.change.day),
            "store": one.effect.change.store,
            "places": one.effect.change.places,
            "ratio": interval_part(one.effect.found.ratio) if one.effect.found else None,
            "won": interval_part(one.won) if one.won else None,
        }
        for one in found.changes
    ]
    paid = found.paid
    return {
        "schema": "tavolan/worth@1",
        "changes": changes,
        "won": interval_part(found.won),
        "install_value": finite(found.install_value),
        "value_source": found.value_source,
        "cost": found.cost,
        "value": interval_part(found.value),
        "gain": interval_part(found.gain),
        "profit_share": interval_part(found.profit_share),
        "break_even": finite(found.break_even),
        "paid": paid and {"cost": paid.cost, "installs": paid.installs, "price": finite(paid.price)},
    }


def _day(ordinal: int) -> str:
    return str(date.fromordinal(ordinal))
