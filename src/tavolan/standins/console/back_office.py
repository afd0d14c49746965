"""How a back office behaves: what it refuses, what it still needs, and how versions and builds move on."""

import time
import unicodedata
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from typing import Any

from tavolan.consoles.protocol import EDITABLE, Section
from tavolan.standins.console.limits import FactLimit, StoreLimits
from tavolan.standins.console.state import Kept, State


@dataclass
class Manners:
    """How the stand-in behaves; times in seconds. Counts are of requests that go wrong before others go right.

    `drop` cuts connections off, each time before or after the change was made, by turns. `refusals` are given in the
    next review, by field as `de-DE title`. `taken` are titles of other apps. `meddling` are texts, by field too, that
    somebody else writes just before the next change of that locale arrives. A day of an experiment passes in `day`
    seconds, all at once where it's 0; `truths` are what variants do to the share of those who do it, by name.
    """

    slow: float = 0.0
    busy: int = 0
    fail: int = 0
    drop: int = 0
    token: float = 3600.0
    build: float = 2.0
    review: float = 2.0
    picture: float = 0.0
    part_bytes: int = 1_000_000
    refusals: dict[str, str] = field(default_factory=dict)
    taken: tuple[str, ...] = ()
    meddling: dict[str, str] = field(default_factory=dict)
    day: float = 0.0
    truths: dict[str, float] = field(default_factory=dict)


class RefusedError(Exception):
    """What the back office doesn't take: status and problem details (RFC 9457)."""

    def __init__(self, status: int, kind: str, detail: str, fields: dict[str, str] | None = None) -> None:
        self.status, self.kind, self.detail, self.fields = status, kind, detail, fields or {}
        super().__init__(detail)


def folded_title(title: str) -> str:
    """Return a title as it's compared with others: whatever its case and spacing."""
    return " ".join(unicodedata.normalize("NFKC", title).casefold().split())


def text_faults(limits: StoreLimits, locale: str, texts: dict[str, Any]) -> dict[str, str]:
    """Return what's wrong with new texts, by locale and field."""
    faults = {}
    for name, value in texts.items():
        limit = limits.text(name)
        fault = "isn't a field of this store" if limit is None else "" if value is None else limit.fault(value)
        if fault:
            faults[f"{locale} {name}"] = fault
    return faults


def refuse_taken_title(
    state: State, app: str, limits: StoreLimits, locale: str, title: Any, taken: tuple[str, ...]
) -> None:
    """Raise RefusedError for a title that another app of the store has."""
    if not limits.unique_title or not isinstance(title, str):
        return
    wanted, name = folded_title(title), limits.title
    own = state.get("app", "", app)
    store = own.value["store"] if own else ""
    others = [kept for kept in state.all("app") if kept.key != app and kept.value["store"] == store]
    used = {folded_title(other) for other in taken}
    for other in others:
        for listing in state.all("listing", other.key):
            used.add(folded_title(str(listing.value["texts"].get(name, ""))))
    if wanted in used:
        raise RefusedError(409, "title-taken", f'another app is called "{title}"', {f"{locale} title": "is taken"})


def needs_version(limits: StoreLimits, name: str) -> bool:
    """Whether a text changes in an editable version only."""
    limit = limits.text(name)
    return limits.needs_version and limit is not None and not limit.anytime


def editable_version(state: State, app: str) -> Kept | None:
    """Return the version that can be edited, or None."""
    return next((kept for kept in state.all("version", app) if kept.value["state"] in EDITABLE), None)


def require_editable(state: State, app: str, what: str) -> None:
    """Raise RefusedError where nothing can be edited now."""
    if editable_version(state, app) is None:
        raise RefusedError(409, "no-editable-version", f"{what} changes in an editable version only; there's none")


def sections_of(state: State, app: str, record: dict[str, Any], limits: StoreLimits) -> list[Section]:
    """Return what a hand-over needs, part by part."""
    found = [_texts_section(state, app, record, limits), _pictures_section(state, app, record, limits)]
    facts = (state.get("facts", app) or Kept("", {}, 0)).value
    for key, limit in limits.facts.items():
        if limit.required:
            missing = _missing_parts(key, limit, facts.get(key))
            found.append(Section(id=key, done=not missing, missing=missing))
    usable = any(builds_state(kept.value) == "usable" for kept in state.all("build", app))
    version = editable_version(state, app)
    chosen = bool(version and version.value["build"])
    found.append(Section(id="build", done=chosen, missing=[] if chosen else ["a usable build"]))
    locked = set(limits.locked_until_build)
    found = [section.model_copy(update={"locked": section.id in locked and not usable}) for section in found]
    waiting = [section.id for section in found if not section.done]
    closed = "hand-over" in locked and not usable
    return [*found, Section(id="hand-over", done=False, locked=closed, missing=waiting)]


def _texts_section(state: State, app: str, record: dict[str, Any], limits: StoreLimits) -> Section:
    listings = {kept.key: kept.value["texts"] for kept in state.all("listing", app)}
    required = [key for key, limit in limits.texts.items() if limit.required and not limit.of_item]
    places = listings or {record["default_locale"]: {}}
    missing = [f"{tag} {key}" for tag, texts in places.items() for key in required if not texts.get(key)]
    return Section(id="texts", done=not missing, missing=missing)


def _pictures_section(state: State, app: str, record: dict[str, Any], limits: StoreLimits) -> Section:
    """Return what lacks of pictures: shots in the default locale, graphics that are asked for, what's processed."""
    default = record["default_locale"]
    sets = {kept.key: kept for kept in state.all("set", app) if kept.value["pictures"]}
    shown = any(kept.value["kind"] == "shots" and key.startswith(f"{default} ") for key, kept in sets.items())
    lacking = [] if shown else [default]
    wanted = (f"{default} {name}" for name, limit in limits.graphics.items() if limit.required)
    lacking += [place for place in wanted if place not in sets]
    lacking += [f"{key} is still processed" for key, kept in sets.items() if time.time() < kept.value["ready_at"]]
    return Section(id="pictures", done=not lacking, missing=lacking)


def _missing_parts(key: str, limit: FactLimit, value: Any) -> list[str]:
    """Return what a fact lacks: parts of it, or all of it."""
    if value in (None, "", [], {}):
        return [*limit.parts] or [key]
    return [part for part in limit.parts if isinstance(value, dict) and value.get(part) in (None, "")]


def builds_state(build: dict[str, Any]) -> str:
    """Return the state of a build now."""
    return "usable" if time.time() >= build["usable_at"] else "processing"


def moved_on(state: State, app: str, kept: Kept, manners: Manners) -> dict[str, Any]:
    """Return a version as it is now: review takes its time, then comes its outcome, then its release."""
    version: dict[str, Any] = dict(kept.value)
    since = time.time() - version.get("submitted_at", 0)
    if version["state"] in ("waiting", "in review"):
        if since >= 2 * manners.review:
            version["reasons"] = dict(version["refusals"])
            version["state"] = "refused" if version["reasons"] else "approved"
        elif since >= manners.review:
            version["state"] = "in review"
    if version["state"] == "approved" and _is_due(version):
        version["state"] = "live"
        for other in state.all("version", app):
            if other.value["state"] == "live" and other.key != kept.key:
                state.put("version", app, other.key, {**other.value, "state": "replaced"})
    if version != kept.value:
        state.put("version", app, kept.key, version)
    return version


def _is_due(version: dict[str, Any]) -> bool:
    if version["release"] == "automatic" or version.get("released"):
        return True
    due = version["release_date"]
    return version["release"] == "date" and bool(due) and date.fromisoformat(due) <= datetime.now(UTC).date()


def write_behind_your_back(state: State, app: str, locale: str, texts: dict[str, str]) -> None:
    """Change texts of a locale as somebody else would in the console."""
    with state.change():
        kept = state.get("listing", app, locale)
        before = kept.value["texts"] if kept else {}
        state.put("listing", app, locale, {"texts": {**before, **texts}})


def meddle(state: State, manners: Manners, app: str, limits: StoreLimits, locale: str) -> None:
    """Write what somebody else is about to write into a locale, once."""
    names = {at: at.partition(" ")[2] for at in manners.meddling if at.startswith(f"{locale} ")}
    texts = {name: manners.meddling.pop(at) for at, name in names.items() if limits.text(name)}
    if texts:
        write_behind_your_back(state, app, locale, texts)
