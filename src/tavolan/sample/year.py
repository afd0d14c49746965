"""A year of Kilnary's figures, from a seeded generator with planted effects, which `TRUTHS` lists.

The year ends on 2026-11-25. Files that are there are kept.
"""

import csv
import io
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from tavolan.project.journal import NAME as JOURNAL
from tavolan.project.journal import Line, add_lines, line_of
from tavolan.sample.write import HERE
from tavolan.sample.year_experiments import count_rows
from tavolan.sample.year_ranks import rank_rows
from tavolan.sample.year_reviews import review_rows
from tavolan.support.files import delete_file, read_bytes, write_text
from tavolan.support.shipped import shipped_bytes

LAST = date(2026, 11, 25)
DAYS = 365
_SEED = 2026
# Daily impressions in the first store's search, by storefront, at the end of the year.
_SIZES = {
    "US": 2600,
    "GB": 800,
    "DE": 700,
    "JP": 600,
    "FR": 420,
    "BR": 380,
    "IN": 330,
    "CN": 300,
    "ES": 280,
    "MX": 230,
    "IT": 220,
    "KR": 200,
    "SA": 140,
    "TH": 0.4,
}
_STORES = {"ios": 1.0, "android": 0.7}
_SOURCES = {"search": 1.0, "browse": 0.35, "referral": 0.12, "paid": 0.08}
# Of those who see the app, the share that opens its page; of those, the share that installs; and straight installs.
_PAGE, _INSTALL, _DIRECT = 0.11, 0.24, 0.012
_GROWTH, _WEEKEND, _DISPERSION = 0.3, 0.25, 0.04

TITLE_CHANGE, TITLE_FACTOR = date(2026, 3, 10), 1.35
# Storefronts whose search in ios reads en-US.
TITLE_FRONTS = ("US", "JP")
SUBTITLE_CHANGE = date(2026, 6, 16)
UPDATE = date(2026, 3, 17)
CAMPAIGN = (date(2026, 3, 19), date(2026, 4, 1))
CAMPAIGN_SEARCH, CAMPAIGN_PAID = 1.25, 6.0
LAGGING, LAG = "JP", 0.5
# What's planted, for people and tests.
TRUTHS = (
    f"{TITLE_CHANGE}: by a new en-US title, {' and '.join(TITLE_FRONTS)} see the app {TITLE_FACTOR:g} times as often",
    f"{CAMPAIGN[0]} to {CAMPAIGN[1]}: US ads: search times {CAMPAIGN_SEARCH:g}, paid times {CAMPAIGN_PAID:g}",
    f"{SUBTITLE_CHANGE}: a new de-DE subtitle had no effect",
    f"{LAGGING}: of those on the page, {LAG:g} times as many install as elsewhere",
    "TH: a handful of installs in the whole year",
)


def write_year(folder: Path) -> int:
    """Write the year's data files and the journal; return how many files were written."""
    files: dict[str, list[list[Any]]] = {
        "data/metrics.csv": _metrics(),
        "data/experiments.csv": count_rows(),
        "data/campaigns.csv": [
            ["from", "to", "store", "storefront", "what", "cost"],
            [CAMPAIGN[0], CAMPAIGN[1], "ios", "US", "Spring workshops, search ads", 1400],
        ],
        "data/benchmarks.csv": [
            ["store", "category", "step", "rate", "source"],
            *(
                [store, "", step, rate, "made-up peers, 2026"]
                for store in _STORES
                for step, rate in (("page", 0.1), ("install", 0.3))
            ),
        ],
    }
    written = 0
    # The short tables that come with the texts give way to a year's, unless somebody changed them.
    longer: dict[str, Callable[[], list[list[Any]]]] = {
        "data/ranks.csv": lambda: rank_rows(folder, LAST),
        "data/reviews.csv": lambda: review_rows(LAST, DAYS),
    }
    for name, rows_of in longer.items():
        path = folder / name
        if not path.exists() or read_bytes(path, name) == shipped_bytes(HERE / name):
            files[name] = rows_of()
            delete_file(path)
    for name, rows in files.items():
        if not (folder / name).exists():
            out = io.StringIO(newline="")
            csv.writer(out, lineterminator="\n").writerows(rows)
            write_text(folder / name, out.getvalue())
            written += 1
    if not (folder / JOURNAL).exists():
        add_lines(folder, _lines())
        written += 1
    return written


def _metrics() -> list[list[Any]]:
    dice = np.random.default_rng(_SEED)
    rows: list[list[Any]] = [
        ["date", "store", "storefront", "source", "impressions", "page_views", "installs", "revenue"]
    ]
    days = [LAST - timedelta(days=back) for back in range(DAYS - 1, -1, -1)]
    base = np.array(
        [np.exp(_GROWTH * (n / DAYS - 1)) * (1 + _WEEKEND * (day.weekday() >= 5)) for n, day in enumerate(days)]
    )
    season = np.exp(dice.normal(0, 0.06, DAYS))
    for store, weight in _STORES.items():
        for front, size in _SIZES.items():
            for source, share in _SOURCES.items():
                means = size * weight * share * base * season
                means = means * [_planted(store, front, source, day) for day in days]
                seen = dice.negative_binomial(1 / _DISPERSION, 1 / (1 + _DISPERSION * np.maximum(means, 1e-9)))
                views = dice.binomial(seen, _PAGE)
                installs = dice.binomial(views, _INSTALL * (LAG if front == LAGGING else 1))
                installs = installs + dice.binomial(seen - views, _DIRECT)
                revenue = np.round(installs * 0.35 * dice.uniform(0.8, 1.2, DAYS), 2)
                columns = zip(days, seen, views, installs, revenue, strict=True)
                rows += [
                    [day, store, front, source, *map(int, counts), float(worth)] for day, *counts, worth in columns
                ]
    return rows


def _planted(store: str, front: str, source: str, day: date) -> float:
    factor = 1.0
    if store == "ios" and source == "search" and front in TITLE_FRONTS and day >= TITLE_CHANGE:
        factor *= TITLE_FACTOR
    if store == "ios" and front == "US" and CAMPAIGN[0] <= day <= CAMPAIGN[1]:
        factor *= {"search": CAMPAIGN_SEARCH, "paid": CAMPAIGN_PAID}.get(source, 1.0)
    return factor


def _lines() -> list[Line]:
    title = ("Kilnary", "Kilnary: Kiln & Glaze Log")
    subtitle = ("Brennkurven für die Werkstatt", "Brennkurven und Glasurrezepte im Griff")
    return [
        line_of("ios", "en-US", "title", "2.1", *title, "project", "the words people search for", _at(TITLE_CHANGE)),
        line_of("ios", "", "", "2.2", None, None, "hand", "update 2.2: several kilns at once", _at(UPDATE)),
        line_of("ios", "de-DE", "subtitle", "2.3", *subtitle, "project", "a trial", _at(SUBTITLE_CHANGE)),
    ]


def _at(day: date) -> str:
    return f"{day}T09:00:00Z"
