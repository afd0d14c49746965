"""How a back office behaves: what it refuses, what it still needs, and how versions and builds move on."""

import time
import unicodedata
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from functools import cache
from typing import Any

from tavolan.consoles.content import VIDEO
from tavolan.consoles.protocol import EDITABLE, Section
from tavolan.rulebooks.load import shipped_rulebook
from tavolan.rulebooks.model import FieldRule, Rulebook, Size
from tavolan.standins.console.state import Kept, State
from tavolan.support.image_headers import ImageFacts

rulebook = cache(shipped_rulebook)


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


def book_of(app: dict[str, Any]) -> Rulebook:
    """Return the rulebook of an app's store."""
    return rulebook(app["store"])


def rule_of(book: Rulebook, name: str) -> FieldRule | None:
    """Return the rule of a text's field, `items.<item>.<field>` for one of an in-app item."""
    key = name.rsplit(".", maxsplit=1)[-1] if name.startswith("items.") else name
    rule = book.fields.get(key)
    scope = "item" if name.startswith("items.") else "locale"
    return rule if rule and rule.scope == scope else None


def text_faults(book: Rulebook, locale: str, texts: dict[str, Any]) -> dict[str, str]:
    """Return what's wrong with new texts, by locale and field."""
    faults = {}
    for name, value in texts.items():
        rule, place = rule_of(book, name), f"{locale} {name}"
        if rule is None:
            faults[place] = "isn't a field of this store"
        elif value is not None and isinstance(value, list) != (rule.kind == "list"):
            faults[place] = "must be a list" if rule.kind == "list" else "must be a text"
        elif value is not None:
            length = rule.length(rule.separator.join(value) if isinstance(value, list) else value)
            if length.over:
                faults[place] = f"is {length.measured} {length.unit} long; {length.limit} are allowed"
            elif length.measured < rule.min:
                faults[place] = f"is {length.measured} {length.unit} long; {rule.min} are the least"
    return faults


def folded_title(title: str) -> str:
    """Return a title as it's compared with others: whatever its case and spacing."""
    return " ".join(unicodedata.normalize("NFKC", title).casefold().split())


def refuse_taken_title(state: State, app: str, book: Rulebook, locale: str, title: Any, taken: tuple[str, ...]) -> None:
    """Raise RefusedError for a title that another app has."""
    if not book.console.unique_title or not isinstance(title, str):
        return
    wanted = folded_title(title)
    name = book.field_with("title")
    others = [kept for kept in state.all("app") if kept.key != app and kept.value["store"] == book.id]
    used = {folded_title(other) for other in taken}
    for other in others:
        for listing in state.all("listing", other.key):
            used.add(folded_title(str(listing.value["texts"].get(name, ""))))
    if wanted in used:
        raise RefusedError(409, "title-taken", f'another app is called "{title}"', {f"{locale} title": "is taken"})


def needs_version(book: Rulebook, name: str) -> bool:
    """Whether a text changes in an editable version only."""
    rule = rule_of(book, name)
    return book.console.needs_version and rule is not None and not rule.anytime


def editable_version(state: State, app: str) -> Kept | None:
    """Return the version that can be edited, or None."""
    return next((kept for kept in state.all("version", app) if kept.value["state"] in EDITABLE), None)


def require_editable(state: State, app: str, what: str) -> None:
    """Raise RefusedError where nothing can be edited now."""
    if editable_version(state, app) is None:
        raise RefusedError(409, "no-editable-version", f"{what} changes in an editable version only; there's none")


def most_in_set(book: Rulebook, place: str, kind: str) -> int:
    """Return how many pictures a set may have. Raises RefusedError for a place that the store doesn't have."""
    videos = book.video.places if book.video and not book.video.hosted_by else {}
    known = {"graphic": [*book.graphics], "shots": [*book.classes], "video": [f"{VIDEO}{name}" for name in videos]}
    if place not in known[kind]:
        raise RefusedError(422, "not-valid", f"this store has no {kind} {place}")
    if kind == "shots":
        return book.classes[place].max_count or book.pictures.max_count
    # A video and its still picture.
    return 2 if kind == "video" else 1


def _asked_of(book: Rulebook, place: str, kind: str) -> tuple[tuple[Size, ...], tuple[str, ...], bool, float | None]:
    """Return sizes, formats, whether transparency is allowed, and the megabytes that a place's pictures may have."""
    if kind == "video":
        # Its still picture: of the size that's asked for, of any where none is.
        asked = book.video.sizes.get(place.removeprefix(VIDEO)) if book.video else None
        return (asked,) if asked else (), ("png", "jpeg"), False, None
    if kind == "graphic":
        graphic = book.graphics[place]
        return graphic.sizes, graphic.formats, graphic.alpha is not False, graphic.max_megabytes
    rule, size_class = book.pictures, book.classes[place]
    turned = tuple((b, a) for a, b in size_class.sizes) if size_class.turn == "both" else ()
    return (*size_class.sizes, *turned), rule.formats, rule.alpha, rule.max_megabytes


def picture_fault(book: Rulebook, place: str, kind: str, facts: ImageFacts | None, size: int) -> str:
    """Return what's wrong with a picture, or nothing."""
    if facts is None:
        return "is no picture"
    sizes, formats, alpha, most = _asked_of(book, place, kind)
    if sizes and (facts.width, facts.height) not in sizes:
        return f"is {facts.width} x {facts.height} pixels, which {place} doesn't take"
    if facts.format not in formats:
        return f"is {facts.format}, which isn't taken"
    if facts.alpha and not alpha:
        return "has an alpha channel"
    if most and size > most * 1e6:
        return f"has more than {most:g} MB"
    return "" if facts.complete else "is cut short"


def sections_of(state: State, app: str, record: dict[str, Any]) -> list[Section]:
    """Return what a hand-over needs, part by part."""
    book = book_of(record)
    listings = {kept.key: kept.value["texts"] for kept in state.all("listing", app)}
    required = [key for key, rule in book.fields.items() if rule.scope == "locale" and rule.required == "always"]
    places = listings or {record["default_locale"]: {}}
    missing = [f"{tag} {key}" for tag, texts in places.items() for key in required if not texts.get(key)]
    found = [Section(id="texts", done=not missing, missing=missing)]
    sets = [kept for kept in state.all("set", app) if kept.value["pictures"]]
    shown = any(kept.key.startswith(f"{record['default_locale']} ") for kept in sets)
    lacking = [] if shown else [record["default_locale"]]
    lacking += [f"{kept.key} is still processed" for kept in sets if time.time() < kept.value["ready_at"]]
    found.append(Section(id="pictures", done=not lacking, missing=lacking))
    facts = (state.get("facts", app) or Kept("", {}, 0)).value
    for key, rule in book.fields.items():
        if rule.scope == "once" and rule.required == "always":
            value = facts.get(key)
            parts = [p for p in rule.parts if isinstance(value, dict) and value.get(p) in (None, "")]
            done = value not in (None, "", [], {}) and (rule.kind == "answers" or not parts)
            found.append(Section(id=key, done=done, missing=[] if done else parts or [key]))
    usable = any(builds_state(kept.value) == "usable" for kept in state.all("build", app))
    version = editable_version(state, app)
    chosen = bool(version and version.value["build"])
    found.append(Section(id="build", done=chosen, missing=[] if chosen else ["a usable build"]))
    locked = set(book.console.locked_until_build)
    found = [section.model_copy(update={"locked": section.id in locked and not usable}) for section in found]
    waiting = [section.id for section in found if not section.done]
    closed = "hand-over" in locked and not usable
    return [*found, Section(id="hand-over", done=False, locked=closed, missing=waiting)]


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


def meddle(state: State, manners: Manners, app: str, book: Rulebook, locale: str) -> None:
    """Write what somebody else is about to write into a locale, once."""
    names = {at: at.partition(" ")[2] for at in manners.meddling if at.startswith(f"{locale} ")}
    texts = {name: manners.meddling.pop(at) for at, name in names.items() if name in book.fields}
    if texts:
        write_behind_your_back(state, app, locale, texts)
