"""What a fresh stand-in holds: app records, and seeded metrics and reviews."""

import random
from datetime import date, timedelta
from typing import Any

from tavolan.standins.console.state import State

_SOURCES = {"search": 0.6, "browse": 0.25, "links": 0.1, "paid": 0.05}
_STOREFRONTS = {"US": 900, "DE": 260, "FR": 180, "JP": 220, "BR": 140}
_WORDS = (
    (5, "en-US", "US", "The live curve is just what my kiln needed."),
    (4, "en-US", "US", "Great glaze recipes. I wish cones were sorted."),
    (2, "en-US", "US", "It stops when the phone sleeps."),
    (5, "de-DE", "DE", "Endlich sehe ich die Brennkurve unterwegs."),
    (3, "de-DE", "DE", "Gut, aber die Glasurliste lädt langsam."),
    (1, "fr-FR", "FR", "Plantage à chaque cuisson."),
    (5, "ja", "JP", "焼成の様子がよく分かります。"),
)


def add_app(state: State, app: str, store: str, default_locale: str) -> None:
    """Add an app record without texts, with an editable version 1.0, unless it's there."""
    if state.get("app", "", app) is None:
        with state.change():
            state.put("app", "", app, {"store": store, "default_locale": default_locale})


def add_reports(state: State, app: str, days: int = 60, seed: int = 7, last: date | None = None) -> None:
    """Add metrics of some days, and reviews; the same for the same seed. Figures below five are withheld."""
    rng = random.Random(f"{seed} {app}")
    end = last or date(2026, 11, 25)
    with state.change():
        for back in range(days):
            day = end - timedelta(days=back)
            for storefront, size in _STOREFRONTS.items():
                for source, share in _SOURCES.items():
                    row = _metric(rng, day, storefront, source, size * share)
                    if row["installs"] is not None:
                        state.put("metric", app, f"{day} {storefront} {source}", row)
        for number, (stars, locale, storefront, text) in enumerate(_WORDS):
            day = end - timedelta(days=number)
            review = {
                "id": f"r{number:04d}",
                "day": day.isoformat(),
                "storefront": storefront,
                "locale": locale,
                "version": "2.3",
                "stars": stars,
                "text": text,
                "reply": "",
            }
            state.put("review", app, f"r{number:04d}", review)


def _metric(rng: random.Random, day: date, storefront: str, source: str, size: float) -> dict[str, Any]:
    impressions = round(size * rng.uniform(0.8, 1.2))
    views = round(impressions * rng.uniform(0.25, 0.35))
    installs = round(views * rng.uniform(0.2, 0.3))
    return {
        "day": day.isoformat(),
        "storefront": storefront,
        "source": source,
        "impressions": impressions,
        "page_views": views,
        "installs": installs if installs >= 5 else None,
        "revenue": round(installs * 0.4, 2),
    }
