"""Build the JSON documents about experiments."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from tavolan.reports.documents.results import finite, interval_part

if TYPE_CHECKING:
    from tavolan.experiments.backlog import Entry, Learned
    from tavolan.experiments.files import Experiment
    from tavolan.experiments.running import Judged, OwnRates
    from tavolan.experiments.sizes import Size
    from tavolan.reports.documents.build import Document


def backlog_document(entries: Iterable[Entry]) -> Document:
    """Return experiments as `tavolan/experiments@1`."""
    return {"schema": "tavolan/experiments@1", "experiments": [_entry(one) for one in entries]}


def _entry(entry: Entry) -> dict[str, Any]:
    table = entry.experiment.table
    return {
        "id": entry.experiment.id,
        "state": entry.state,
        "hypothesis": table.hypothesis,
        "metric": table.metric,
        "expected": table.expected,
        "store": table.store,
        "storefronts": table.storefronts,
        "locales": table.locales,
        "variants": list(table.variant),
        "confidence": table.confidence,
        "effort": table.effort,
        "gain": entry.gain,
        "in_installs": entry.in_installs,
        "priority": entry.priority,
        "start": table.start,
        "end": table.end,
        "outcome": table.outcome,
        "winner": table.winner,
        "why": table.why,
    }


def size_document(one: Experiment, size: Size, rates: OwnRates) -> Document:
    """Return the size of an experiment as `tavolan/size@1`."""
    facts = {**asdict(size), "smallest": finite(size.smallest)}
    period = {"first": str(rates.period.first), "last": str(rates.period.last)}
    return {"schema": "tavolan/size@1", "experiment": one.id, **facts, "rates_of": period}


def verdict_document(found: Judged) -> Document:
    """Return the verdict on an experiment as `tavolan/verdict@1`."""
    judgements = [
        {
            "variant": one.variant,
            "visitors": one.visitors,
            "share": finite(one.share),
            "control": finite(one.control),
            "ratio": interval_part(one.ratio),
            "outcome": one.outcome,
            "decided": one.decided,
        }
        for one in found.verdict.judgements
    ]
    return {
        "schema": "tavolan/verdict@1",
        "experiment": found.experiment.id,
        "first": found.first and str(found.first),
        "last": found.last and str(found.last),
        "judgements": judgements,
        "progress": found.verdict.progress,
        "split_chance": found.verdict.split_chance,
        "split_as_planned": not found.verdict.is_split_wrong,
        "looks": found.verdict.looks,
        "left_out": found.left_out,
        "overlaps": found.overlaps,
        "days_to_go": found.days_to_go,
        "winner": found.winner,
    }


def learned_document(found: Learned) -> Document:
    """Return what was learned as `tavolan/learned@1`."""
    rows = [
        {
            "id": one.id,
            "expected": one.table.expected,
            "outcome": one.table.outcome,
            "winner": one.table.winner,
            "why": one.table.why,
        }
        for one in found.entries
    ]
    return {
        "schema": "tavolan/learned@1",
        "experiments": rows,
        "as_expected": found.as_expected,
        "clear": found.clear,
        "factor": finite(found.factor),
    }
