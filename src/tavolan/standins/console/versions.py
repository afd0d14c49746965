"""Versions from editable to live, and builds from processing to usable."""

import time
from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter

from tavolan.consoles.protocol import (
    EDITABLE,
    Build,
    BuildChoice,
    NewBuild,
    NewVersion,
    Page,
    Submission,
    TesterNotes,
    Version,
)
from tavolan.standins.console.app_icons import icons_in
from tavolan.standins.console.back_office import (
    RefusedError,
    builds_state,
    editable_version,
    moved_on,
)
from tavolan.standins.console.desk import PAGE, After, AppId, Desk, IdempotencyKey, Locale, NameInPath, paged
from tavolan.standins.console.state import Kept

_OPEN = (*EDITABLE, "waiting", "in review", "approved")


def add_routes(router: APIRouter, desk: Desk) -> None:
    """Add the endpoints."""
    _add_versions(router, desk)
    _add_review(router, desk)
    _add_builds(router, desk)


def _add_versions(router: APIRouter, desk: Desk) -> None:
    state = desk.state

    @router.get("/apps/{app}/versions", tags=["versions"])
    def list_versions(app: AppId, after: After = "") -> Page[Version]:
        """Return all versions."""
        desk.record(app)
        return paged(state.all("version", app, after, PAGE + 1), lambda kept: _version(desk, app, kept))

    @router.post("/apps/{app}/versions", tags=["versions"])
    def begin_version(app: AppId, new: NewVersion, idempotency_key: IdempotencyKey) -> Version:
        """Begin a version; there's one at a time that isn't live."""

        def make() -> Version:
            desk.record(app)
            for kept in state.all("version", app):
                now = moved_on(state, app, kept, desk.manners)
                if now["version"] == new.version:
                    raise RefusedError(409, "version-used", f"there is a version {new.version} already")
                if now["state"] in _OPEN:
                    raise RefusedError(409, "version-open", f"version {now['version']} is {now['state']}")
            begun: dict[str, Any] = {
                "version": new.version,
                "state": "editable",
                "build": "",
                "release": "manual",
                "release_date": None,
                "reasons": {},
                "begun_at": _now(),
            }
            return _version(desk, app, state.put("version", app, new.version, begun))

        return desk.once(f"version {app} {idempotency_key}", new, make, Version)

    @router.put("/apps/{app}/versions/{version}/build", tags=["versions"])
    def choose_build(app: AppId, version: NameInPath, choice: BuildChoice) -> Version:
        """Say which build a version ships; it must be usable."""
        with state.change():
            kept = _editable(desk, app, version)
            build = state.get("build", app, choice.build)
            if build is None or builds_state(build.value) != "usable":
                raise RefusedError(409, "build-not-usable", f"build {choice.build} can't be used yet")
            return _version(desk, app, state.put("version", app, version, {**kept.value, "build": choice.build}))


def _add_review(router: APIRouter, desk: Desk) -> None:
    state = desk.state

    @router.post("/apps/{app}/versions/{version}/submission", tags=["review"])
    def submit_version(
        app: AppId, version: NameInPath, submission: Submission, idempotency_key: IdempotencyKey
    ) -> Version:
        """Hand a version over to review."""

        def make() -> Version:
            kept = _editable(desk, app, version)
            if submission.release not in desk.limits(app).releases:
                raise RefusedError(422, "not-valid", f"this store has no {submission.release} release")
            if submission.release == "date" and submission.release_date is None:
                raise RefusedError(422, "not-valid", "say the date of the release")
            missing = {
                section.id: ", ".join(section.missing) or "locked"
                for section in desk.sections(app)
                if section.id != "hand-over" and not section.done
            }
            if missing:
                raise RefusedError(409, "not-complete", f"not done: {', '.join(missing)}", missing)
            value = {
                **kept.value,
                **submission.model_dump(mode="json"),
                "state": "waiting",
                "reasons": {},
                "submitted_at": time.time(),
                "refusals": dict(desk.manners.refusals),
            }
            desk.manners.refusals.clear()
            return _version(desk, app, state.put("version", app, version, value))

        return desk.once(f"submission {app} {idempotency_key}", submission, make, Version)

    @router.post("/apps/{app}/versions/{version}/release", tags=["review"])
    def release_version(app: AppId, version: NameInPath, idempotency_key: IdempotencyKey) -> Version:
        """Put an approved version live."""

        def make() -> Version:
            kept = _there(desk, app, version)
            now = moved_on(state, app, kept, desk.manners)
            if now["state"] != "approved":
                raise RefusedError(409, "not-approved", f"version {version} is {now['state']}")
            return _version(desk, app, state.put("version", app, version, {**now, "released": True}))

        return desk.once(f"release {app} {idempotency_key}", None, make, Version)


def _add_builds(router: APIRouter, desk: Desk) -> None:
    state = desk.state

    @router.get("/apps/{app}/builds", tags=["builds"])
    def list_builds(app: AppId, after: After = "") -> Page[Build]:
        """Return all builds."""
        desk.record(app)
        return paged(state.all("build", app, after, PAGE + 1), _build)

    @router.post("/apps/{app}/builds", tags=["builds"])
    def add_build(app: AppId, new: NewBuild, idempotency_key: IdempotencyKey) -> Build:
        """Make an uploaded file a build; its number is never used twice."""

        def make() -> Build:
            data = state.file(new.sha256)
            if data is None:
                raise RefusedError(409, "no-file", "the build wasn't uploaded")
            if state.get("build", app, new.number) is not None:
                raise RefusedError(409, "number-used", f"build number {new.number} was used before")
            value = {
                "version": new.version,
                "sha256": new.sha256,
                "usable_at": time.time() + desk.manners.build,
                "tester_notes": {},
                "added_at": _now(),
                "icons": icons_in(data, desk.limits(app).icons),
            }
            return _build(state.put("build", app, new.number, value))

        return desk.once(f"build {app} {idempotency_key}", new, make, Build)

    @router.put("/apps/{app}/builds/{number}/tester-notes/{locale}", tags=["builds"])
    def set_tester_notes(app: AppId, number: NameInPath, locale: Locale, notes: TesterNotes) -> Build:
        """Attach notes for the testers of a build, once it's processed."""
        with state.change():
            kept = state.get("build", app, number)
            if kept is None:
                raise RefusedError(404, "no-build", f"there's no build {number}")
            if builds_state(kept.value) != "usable":
                raise RefusedError(409, "build-not-usable", f"build {number} is still processed")
            value = {**kept.value, "tester_notes": {**kept.value["tester_notes"], locale: notes.text}}
            return _build(state.put("build", app, number, value))


def _there(desk: Desk, app: str, version: str) -> Kept:
    desk.record(app)
    kept = desk.state.get("version", app, version)
    if kept is None:
        raise RefusedError(404, "no-version", f"there's no version {version}")
    return kept


def _editable(desk: Desk, app: str, version: str) -> Kept:
    kept = _there(desk, app, version)
    moved_on(desk.state, app, kept, desk.manners)
    found = editable_version(desk.state, app)
    if found is None or found.key != version:
        raise RefusedError(409, "no-editable-version", f"version {version} can't be edited now")
    return found


def _version(desk: Desk, app: str, kept: Kept) -> Version:
    now: dict[str, Any] = moved_on(desk.state, app, kept, desk.manners)
    return Version(**{name: now[name] for name in Version.model_fields})


def _build(kept: Kept) -> Build:
    return Build(
        version=kept.value["version"],
        number=kept.key,
        sha256=kept.value.get("sha256", ""),
        state=builds_state(kept.value),
        added_at=kept.value["added_at"],
        tester_notes=kept.value["tester_notes"],
        icons=kept.value.get("icons", []),
    )


def _now() -> str:
    return datetime.now(UTC).isoformat()
