"""A year of reviews of Kilnary from a seeded generator, with planted themes, which `REVIEW_TRUTHS` lists."""

from datetime import date, timedelta
from typing import Any

import numpy as np

from tavolan.project.datafile import REVIEWS

_SEED, _COUNT = 23, 900
# From which day on each version was out.
VERSIONS = (("2.2", date(2025, 11, 26)), ("2.3", date(2026, 5, 12)), ("2.4", date(2026, 9, 1)))
NEWEST = "2.4"
# (locale, storefront) and how often each is written in.
_PLACES = {("en-US", "US"): 0.55, ("en-GB", "GB"): 0.2, ("de-DE", "DE"): 0.25}
_PRAISE = {
    "en": (
        "The live curve is just what I needed.",
        "Best glaze recipes I have found.",
        "Firing schedules that work.",
        "My whole shelf in one place, lovely.",
        "Great support, quick answers.",
    ),
    "de": (
        "Die Brennkurve unterwegs zu sehen ist großartig.",
        "Endlich Ordnung in den Glasurrezepten.",
        "Brennprogramme, die passen.",
        "Sehr gelungen, danke.",
    ),
}
_NEUTRAL = {
    "en": ("Good, but I wish cones were sorted.", "Does what it says.", "Nice, though the search is slow."),
    "de": ("Gut, aber die Glasurliste lädt langsam.", "Macht, was es soll."),
}
_COMPLAINTS = {
    "en": (
        "Export to spreadsheet fails every time.",
        "Too expensive for a hobby.",
        "The kiln alarm never rings.",
        "I can't sign in any more.",
    ),
    "de": ("Der Export schlägt immer fehl.", "Zu teuer für ein Hobby.", "Der Alarm kommt nie."),
}
# Planted: far more often in the newest version.
NEW_COMPLAINT = {
    "en": "It drops the kiln connection when the phone sleeps.",
    "de": "Die Verbindung zum Ofen reißt ab, wenn das Handy schläft.",
}
NEW_SHARE, OLD_SHARE = 0.6, 0.08
_STARS, _CHANCES = (1, 2, 3, 4, 5), (0.12, 0.10, 0.13, 0.25, 0.40)
_ANSWERED, _BETTER = 0.35, 0.4
REVIEW_TRUTHS = (
    f"low stars speak of the kiln connection in {NEW_SHARE:.0%} of {NEWEST}, in {OLD_SHARE:.0%} before",
    f"{_ANSWERED:.0%} are answered; {_BETTER:.0%} of low stars that were get a star more",
)


def review_rows(last: date, days: int) -> list[list[Any]]:
    """Return the rows of `data/reviews.csv`, header first."""
    dice = np.random.default_rng(_SEED)
    places = list(_PLACES)
    rows: list[list[Any]] = [list(REVIEWS.columns)]
    ages = np.sort(dice.integers(0, days, _COUNT))[::-1]
    for number, age in enumerate(ages.tolist()):
        day = last - timedelta(days=age)
        locale, front = places[int(dice.choice(len(places), p=list(_PLACES.values())))]
        store = "ios" if dice.random() < 0.6 else "android"
        version = [name for name, begin in VERSIONS if day >= begin][-1]
        stars = int(dice.choice(_STARS, p=_CHANCES))
        text = _text(dice, locale[:2], stars, version)
        replied: Any = ""
        after: Any = ""
        if dice.random() < _ANSWERED:
            replied = min(last, day + timedelta(days=int(dice.integers(1, 9))))
            after = stars + 1 if stars <= 2 and dice.random() < _BETTER else ""
        reply = "" if not replied else "Thank you for writing." if locale[:2] == "en" else "Danke für die Rückmeldung."
        featured = "yes" if dice.random() < 0.02 else ""
        rows.append(
            [f"k{number:04d}", store, front, locale, day, version, stars, text, featured, reply, replied, after]
        )
    return rows


def _text(dice: np.random.Generator, language: str, stars: int, version: str) -> str:
    if stars <= 2:
        share = NEW_SHARE if version == NEWEST else OLD_SHARE
        usual = str(dice.choice(_COMPLAINTS[language]))
        return NEW_COMPLAINT[language] if dice.random() < share else usual
    return str(dice.choice((_NEUTRAL if stars == 3 else _PRAISE)[language]))
