"""Texts and facts: read in pages, changed by merge patches (RFC 7396) under the entity tag that was seen."""

from typing import Any

from fastapi import APIRouter, Response

from tavolan.consoles.protocol import Fact, Facts, Listing, Page, Shape, Tagged, Text
from tavolan.standins.console.back_office import (
    RefusedError,
    meddle,
    needs_version,
    refuse_taken_title,
    require_editable,
    text_faults,
)
from tavolan.standins.console.desk import PAGE, After, AppId, Desk, IfMatch, IfNoneMatch, Locale, paged, precondition
from tavolan.standins.console.state import Kept


class ListingPatch(Shape):
    """New texts by field; null takes one away."""

    texts: dict[str, Text | None]


class FactsPatch(Shape):
    """New facts by field; null takes one away."""

    facts: dict[str, Fact | None]


def add_routes(router: APIRouter, desk: Desk) -> None:
    """Add the endpoints."""
    _add_listings(router, desk)
    _add_deletion(router, desk)
    _add_facts(router, desk)


def _add_listings(router: APIRouter, desk: Desk) -> None:

    @router.get("/apps/{app}/listings", tags=["listings"])
    def list_listings(app: AppId, after: After = "") -> Page[Tagged[Listing]]:
        """Return the texts of all locales."""
        desk.record(app)
        return paged(desk.state.all("listing", app, after, PAGE + 1), _listing)

    @router.get("/apps/{app}/listings/{locale}", tags=["listings"])
    def get_listing(app: AppId, locale: Locale) -> Tagged[Listing]:
        """Return the texts of a locale."""
        desk.record(app)
        return _listing(_there(desk, "listing", app, locale))

    @router.patch("/apps/{app}/listings/{locale}", tags=["listings"])
    def change_listing(
        app: AppId, locale: Locale, patch: ListingPatch, if_match: IfMatch = None, if_none_match: IfNoneMatch = None
    ) -> Tagged[Listing]:
        """Change texts of a locale."""
        limits = desk.limits(app)
        meddle(desk.state, desk.manners, app, limits, locale)
        with desk.state.change():
            kept = desk.state.get("listing", app, locale)
            precondition(kept, if_match, if_none_match)
            if faults := text_faults(limits, locale, patch.texts):
                raise RefusedError(422, "not-valid", "; ".join(f"{at} {what}" for at, what in faults.items()), faults)
            before: dict[str, Any] = kept.value["texts"] if kept else {}
            changed = {name: value for name, value in patch.texts.items() if before.get(name) != value}
            if any(needs_version(limits, name) for name in changed):
                require_editable(desk.state, app, "this text")
            if limits.title in changed:
                refuse_taken_title(desk.state, app, limits, locale, changed[limits.title], desk.manners.taken)
            texts = {name: value for name, value in {**before, **changed}.items() if value is not None}
            return _listing(desk.state.put("listing", app, locale, {"texts": texts}))


def _add_deletion(router: APIRouter, desk: Desk) -> None:
    @router.delete("/apps/{app}/listings/{locale}", tags=["listings"], status_code=204)
    def delete_listing(app: AppId, locale: Locale, if_match: IfMatch = None) -> Response:
        """Take a locale away, with its texts and pictures."""
        with desk.state.change():
            record = desk.record(app)
            kept = _there(desk, "listing", app, locale)
            precondition(kept, if_match, None)
            if locale == record["default_locale"]:
                raise RefusedError(409, "default-locale", f"{locale} is the app's default locale")
            if desk.limits(app).needs_version:
                require_editable(desk.state, app, "a locale")
            desk.state.delete("listing", app, locale)
            for one in desk.state.all("set", app):
                if one.key.startswith(f"{locale} "):
                    desk.state.delete("set", app, one.key)
        return Response(status_code=204)


def _add_facts(router: APIRouter, desk: Desk) -> None:
    @router.get("/apps/{app}/facts", tags=["facts"])
    def get_facts(app: AppId) -> Tagged[Facts]:
        """Return the facts."""
        desk.record(app)
        return _facts(desk.state.get("facts", app))

    @router.patch("/apps/{app}/facts", tags=["facts"])
    def change_facts(
        app: AppId, patch: FactsPatch, if_match: IfMatch = None, if_none_match: IfNoneMatch = None
    ) -> Tagged[Facts]:
        """Change facts."""
        with desk.state.change():
            limits, kept = desk.limits(app), desk.state.get("facts", app)
            precondition(kept or Kept("", {}, 0), if_match, if_none_match)
            if unknown := {key: "isn't a fact of this store" for key in patch.facts if key not in limits.facts}:
                raise RefusedError(422, "not-valid", f"no facts of this store: {', '.join(unknown)}", unknown)
            before: dict[str, Any] = kept.value if kept else {}
            stays_free = limits.free_stays_free and before.get("price") == "free"
            if stays_free and patch.facts.get("price", "free") != "free":
                raise RefusedError(409, "stays-free", "an app that was free can't become paid", {"price": "stays free"})
            merged = {key: value for key, value in {**before, **patch.facts}.items() if value is not None}
            return _facts(desk.state.put("facts", app, "", merged))


def _there(desk: Desk, kind: str, app: str, key: str) -> Kept:
    kept = desk.state.get(kind, app, key)
    if kept is None:
        raise RefusedError(404, "nothing-there", f"there's no {kind} {key}")
    return kept


def _listing(kept: Kept) -> Tagged[Listing]:
    return Tagged(etag=kept.etag, value=Listing(locale=kept.key, texts=kept.value["texts"]))


def _facts(kept: Kept | None) -> Tagged[Facts]:
    return Tagged(etag=kept.etag if kept else '"0"', value=Facts(facts=kept.value if kept else {}))
