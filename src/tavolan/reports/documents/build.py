"""Build the JSON documents that commands print: plain data, each with a `schema` key. `schemas` has their shapes."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import asdict, replace
from typing import TYPE_CHECKING, Any

from tavolan.checking.findings import Finding, count_levels

if TYPE_CHECKING:
    from tavolan.checking.status import Status
    from tavolan.consoles.comparison import Comparison
    from tavolan.consoles.forecast import Risk
    from tavolan.consoles.push import Pushed, PushPlan
    from tavolan.pictures.making.render import Rendered
    from tavolan.project.journal import Line
    from tavolan.project.locale_suggestions import Suggestion
    from tavolan.project.model import Project
    from tavolan.project.texts import Texts
    from tavolan.project.translation_progress import Translation
    from tavolan.rulebooks.model import Rulebook
    from tavolan.words.coverage import Answer
    from tavolan.words.known_ranks import KnownRank
    from tavolan.words.mined import Mined
    from tavolan.words.plan_model import Plan
    from tavolan.words.plan_prices import WordPrice
    from tavolan.words.score import Fit, Score
    from tavolan.words.swap import Swap

Document = dict[str, Any]


def check_document(findings: list[Finding], locales: int, stores: int, hidden: int = 0) -> Document:
    """Return findings as `tavolan/check@1`; `hidden` counts those that a baseline holds."""
    rows = [finding_part(one) for one in findings]
    counts = {**count_levels(findings), "waived": sum(bool(f.waived) for f in findings), "hidden": hidden}
    return {"schema": "tavolan/check@1", "findings": rows, "summary": {**counts, "locales": locales, "stores": stores}}


def finding_part(one: Finding) -> dict[str, Any]:
    """Return a finding as documents have it."""
    return {"id": one.id, **asdict(one), "stores": list(one.stores)}


def compare_document(found: Iterable[Comparison]) -> Document:
    """Return who changed what as `tavolan/compare@1`."""
    from tavolan.consoles.merge import counted_by_side

    stores = [
        {
            "store": one.store.id,
            "versions": [version.model_dump(mode="json") for version in one.remote.versions],
            "sections": [section.model_dump() for section in one.remote.app.sections],
            "counts": counted_by_side(one.cells),
            "places": [
                {**cell.place._asdict(), "side": cell.side, "base": cell.base, "here": cell.here, "there": cell.there}
                for cell in one.cells
                if cell.side != "same"
            ],
        }
        for one in found
    ]
    return {"schema": "tavolan/compare@1", "stores": stores}


def push_document(done: Iterable[tuple[Comparison, PushPlan, Pushed | None]]) -> Document:
    """Return what a push sent, or would send, as `tavolan/push@1`."""
    stores = [
        {
            "store": found.store.id,
            "to_send": [str(cell.place) for cell in plan.send],
            "conflicts": [str(cell.place) for cell in plan.conflicts],
            "changed_there": [str(cell.place) for cell in plan.theirs],
            "version": plan.version,
            "sent": [str(cell.place) for cell in pushed.sent] if pushed else [],
            "uploaded": pushed.uploaded if pushed else 0,
            "refused": {str(place): fault for place, fault in pushed.refused.items()} if pushed else {},
            "overtaken": [str(cell.place) for cell in pushed.overtaken] if pushed else [],
        }
        for found, plan, pushed in done
    ]
    return {"schema": "tavolan/push@1", "stores": stores}


def journal_document(lines: Iterable[Line]) -> Document:
    """Return dated changes as `tavolan/journal@1`."""
    return {"schema": "tavolan/journal@1", "changes": [asdict(line) for line in lines]}


def forecast_document(found: Mapping[str, tuple[list[Risk], str]]) -> Document:
    """Return what reviewers may refuse as `tavolan/forecast@1`."""
    stores = [
        {
            "store": store,
            "notes_draft": notes,
            "risks": [
                {"likelihood": one.likelihood, "why": one.why, "finding": finding_part(one.finding)} for one in risks
            ],
        }
        for store, (risks, notes) in found.items()
    ]
    return {"schema": "tavolan/forecast@1", "stores": stores}


def status_document(found: Status) -> Document:
    """Return who is done as `tavolan/status@3`."""
    rows = []
    for (tag, store), counts in found.texts.items():
        pictures = found.pictures[tag, store]
        rows.append({"locale": tag, "store": store, **asdict(counts), "pictures": asdict(pictures)})
    facts = {store: asdict(counts) for store, counts in found.facts.items()}
    return {"schema": "tavolan/status@3", "rows": rows, "facts": facts}


def text_document(texts: Texts, locale: str, address: str) -> Document:
    """Return one text as it ships, as `tavolan/text@1`."""
    text, lent_by = texts.shown(locale, address)
    return {"schema": "tavolan/text@1", "locale": locale, "field": address, "text": text, "like": lent_by}


def copy_document(texts: Texts, locale: str) -> Document:
    """Return all texts of a locale as `tavolan/copy@1`."""
    values = {address: texts.project.copy[locale].at(texts.key(address)).content for address in texts.addresses()}
    there = {address: value for address, value in values.items() if value is not None}
    return {"schema": "tavolan/copy@1", "locale": locale, "texts": there}


def field_document(texts: Texts, address: str, answers: list[Answer]) -> Document:
    """Return one field in all locales as `tavolan/field@1`."""
    from tavolan.words.coverage import phrases_served

    rows = []
    for tag in texts.project.app.locales:
        text, lent_by = texts.shown(tag, address)
        length = texts.length(tag, address, text)
        served = phrases_served(answers, tag, address)
        rows.append(
            {
                "locale": tag,
                "text": text,
                "like": lent_by,
                "length": length.measured,
                "limit": length.limit,
                "unit": length.unit,
                "phrases": len(served),
                "served": [phrase for phrase, helps in served.items() if helps],
            }
        )
    return {"schema": "tavolan/field@1", "field": address, "locales": rows}


def locales_document(found: dict[str, list[Translation]]) -> Document:
    """Return how far the translations are as `tavolan/locales@1`."""
    from tavolan.project.translation_progress import NEEDS_WORK, STANDINGS

    locales: Document = {}
    for tag, texts in found.items():
        counts = Counter(text.standing for text in texts)
        todo = [
            {"field": text.address, "state": text.standing, "over": text.over}
            for text in texts
            if text.standing in NEEDS_WORK
        ]
        locales[tag] = {"total": len(texts), **{name: counts[name] for name in STANDINGS}, "needs_work": todo}
    return {"schema": "tavolan/locales@1", "locales": locales}


def suggestions_document(found: Iterable[Suggestion]) -> Document:
    """Return locales that would pay as `tavolan/suggestions@1`."""
    return {"schema": "tavolan/suggestions@1", "suggestions": [asdict(item) for item in found]}


def render_document(project: Project, done: Rendered) -> Document:
    """Return what a run made as `tavolan/render@1`."""
    files = [file.relative_to(project.root).as_posix() for file in done.files]
    counts = {"kept": done.kept, "copied": done.copied, "removed": done.removed}
    return {"schema": "tavolan/render@1", "files": files, "made": done.why, **counts}


def rulebooks_document(books: Iterable[Rulebook]) -> Document:
    """Return the rulebooks at hand as `tavolan/rules@1`."""
    listed = [{"id": b.id, "name": b.name, "as_of": b.as_of, "confidence": b.confidence} for b in books]
    return {"schema": "tavolan/rules@1", "rulebooks": listed}


def coverage_document(answers: list[Answer]) -> Document:
    """Return coverage as `tavolan/cover@1`."""
    from tavolan.words.coverage import coverage_by_storefront

    rows = [
        {
            "store": a.store,
            "storefront": a.storefront,
            "phrase": a.phrase,
            "terms_locale": a.terms_locale,
            "covered": a.covered,
            "tier": a.tier,
            "locale": a.locale,
            "confidence": a.confidence,
            "used": a.used,
            "missing": list(a.missing),
            "reads": list(a.reads),
            "value": round(a.value, 4),
            "value_at_best": round(a.worth.value, 4),
            "demand": round(a.worth.demand, 4),
            "demand_from": a.worth.demand_from,
            "difficulty": a.worth.difficulty,
            "difficulty_from": a.worth.difficulty_from,
            **_rank(a.rank),
            **({"mentions": asdict(a.mentions)} if a.mentions else {}),
        }
        for a in answers
    ]
    return {"schema": "tavolan/cover@1", "answers": rows, "summary": coverage_by_storefront(answers)}


def _rank(known: KnownRank | None) -> dict[str, float | None]:
    """Return a rank and the one before; null where the app wasn't found, or nobody looked."""
    pair = {"rank": known and known.rank, "rank_before": known and known.before}
    return {name: None if rank == math.inf else rank for name, rank in pair.items()}


def plan_document(made: Plan, prices: list[WordPrice] | None) -> Document:
    """Return a plan of words as `tavolan/plan@1`, with what each keyword earns where that was asked for."""
    priced = {} if prices is None else {"prices": [asdict(price) for price in prices]}
    return {"schema": "tavolan/plan@1", **asdict(made), "gap": made.gap, "proven": made.proven, **priced}


def swap_document(found: Swap) -> Document:
    """Return what a swap of words does as `tavolan/swap@1`."""
    phrases = [
        {
            "store": one.store,
            "storefront": one.storefront,
            "phrase": one.phrase,
            "kind": one.kind,
            "before": one.before,
            "after": one.after,
            "value": round(one.value, 4),
            **_rank(one.rank),
        }
        for one in found.phrases
    ]
    return {
        "schema": "tavolan/swap@1",
        "texts": [asdict(change) for change in found.texts],
        "over": found.over,
        "phrases": phrases,
        "before": found.before,
        "after": found.after,
    }


def title_document(locale: str, served: dict[str, list[Answer]]) -> Document:
    """Return what each word of a title serves as `tavolan/title@1`."""
    rows = [
        {
            "word": word,
            "phrases": [{"phrase": a.phrase, "storefront": a.storefront, **_rank(a.rank)} for a in answers],
        }
        for word, answers in served.items()
    ]
    return {"schema": "tavolan/title@1", "locale": locale, "words": rows}


def mine_document(locale: str, found: Iterable[Mined]) -> Document:
    """Return candidate words as `tavolan/mine@1`."""
    return {"schema": "tavolan/mine@1", "locale": locale, "candidates": [asdict(one) for one in found]}


def score_document(found: Iterable[Score]) -> Document:
    """Return difficulty and demand of phrases as `tavolan/score@1`."""
    return {"schema": "tavolan/score@1", "scores": [asdict(one) for one in found]}


def fit_document(locale: str, found: Fit) -> Document:
    """Return which phrases are within reach as `tavolan/fit@1`."""
    ranks = {
        phrase: [{"storefront": front, "store": store, **_rank(known)} for front, store, known in own]
        for phrase, own in found.ranks.items()
    }
    return {"schema": "tavolan/fit@1", "locale": locale, **asdict(replace(found, ranks={})), "ranks": ranks}


def lists_document(rows: list[dict[str, Any]]) -> Document:
    """Return counts per list of phrases as `tavolan/lists@2`."""
    return {"schema": "tavolan/lists@2", "lists": rows}
