"""A year of weekly ranks of Kilnary and four made-up others, with planted effects, which `RANK_TRUTHS` lists."""

import csv
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from tavolan.support.files import read_text
from tavolan.support.toml_file import read_toml

_SEED = 61
_WEEKS, _DEPTH = 53, 200
# Storefront, and the locale whose phrases are looked for there.
_FRONTS = {"US": "en-US", "GB": "en-GB", "DE": "de-DE", "JP": "ja"}
_RIVALS = {
    "US": ("Claywise", "Emberloom", "Slipshelf", "Wheelhouse Notes"),
    "DE": ("Tonspur Ofen", "Glasurlager"),
    "GB": ("Claywise", "Emberloom"),
    "JP": ("Hidane", "Yunomi"),
}

TITLE_CHANGE, TITLE_PHRASES, TITLE_GAIN = (
    date(2026, 3, 10),
    ("kiln log", "kiln controller", "glaze recipe", "glaze calculator"),
    2.2,
)
RIVAL_CHANGE, RIVAL, RIVAL_PHRASE, RIVAL_GAIN, OUR_LOSS = date(2026, 8, 20), "Emberloom", "firing schedule", 4.0, 1.8
NEVER_INDEXED = "pottery studio"
NOT_TARGETED = ("kiln timer", 14)
RANK_TRUTHS = (
    f"{TITLE_CHANGE}: by a new en-US title, US ranks of {', '.join(TITLE_PHRASES)} are {TITLE_GAIN:g} times as good",
    f"{RIVAL_CHANGE}: {RIVAL} took up {RIVAL_PHRASE} in the US, which cost us ranks",
    f"{NEVER_INDEXED} is in the listing and was never found in the US",
    f"{NOT_TARGETED[0]} is no target phrase, and we're found under it",
)


def rank_rows(folder: Path, last: date) -> list[list[Any]]:
    """Return the rows of `data/ranks.csv`, header first, for a project with the sample's lists of phrases."""
    dice = np.random.default_rng(_SEED)
    days = [last - timedelta(weeks=back) for back in range(_WEEKS - 1, -1, -1)]
    rows: list[list[Any]] = []
    for front, locale in _FRONTS.items():
        phrases = {phrase: 6 + 26 * dice.random() for phrase in _phrases(folder, locale)}
        if front == "US":
            phrases[NOT_TARGETED[0]] = float(NOT_TARGETED[1])
        for phrase, middle in phrases.items():
            for app in ("", *_RIVALS[front]):
                base = middle if not app else 4 + 40 * dice.random()
                wander = np.cumsum(dice.normal(0, 0.05, _WEEKS))
                for day, drift in zip(days, wander - wander.mean(), strict=True):
                    place = base * float(np.exp(drift + dice.normal(0, 0.08))) * _planted(front, phrase, app, day)
                    rank = max(1, round(place))
                    found = rank <= _DEPTH and (app or front != "US" or phrase != NEVER_INDEXED)
                    rows.append([day, "ios", app, front, phrase, rank if found else "", _DEPTH])
    header = ["date", "store", "app", "storefront", "phrase", "rank", "depth"]
    return [header, *sorted(rows, key=lambda row: row[:5])]


def _planted(front: str, phrase: str, app: str, day: date) -> float:
    factor = 1.0
    if front == "US" and not app and phrase in TITLE_PHRASES and day >= TITLE_CHANGE:
        factor /= TITLE_GAIN
    if front == "US" and phrase == RIVAL_PHRASE and day >= RIVAL_CHANGE and app in ("", RIVAL):
        factor *= OUR_LOSS if not app else 1 / RIVAL_GAIN
    return factor


def _phrases(folder: Path, locale: str) -> list[str]:
    config = read_toml(folder / "tavolan.toml", "tavolan.toml")[0]
    own_name = config["app"]["name"].casefold()
    text = read_text(folder / "terms" / f"{locale}.csv", f"terms/{locale}.csv")
    return [row["phrase"] for row in csv.DictReader(text.splitlines()) if row["phrase"] != own_name]
