"""Hand over to review, wait for its outcome, and turn a refusal into findings at the place it's about."""

import hashlib
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Literal

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.consoles.forecast import refusal_text
from tavolan.consoles.protocol import Build, Release, Section, Submission, Version
from tavolan.consoles.store_console import StoreConsole
from tavolan.consoles.versions import UNDER_WAY, version_to_submit
from tavolan.errors import OutsideError, UsageError
from tavolan.project.journal import add_lines, line_of, read_journal, refusal_note
from tavolan.project.model import Project
from tavolan.support.files import opened
from tavolan.support.transaction import changing

Goal = Literal["processed", "approved", "live"]
REFUSED = Rule("console-refused", "error")
_FIRST_WAIT, _LONGEST_WAIT = 0.25, 15.0


@dataclass
class Awaited:
    """How waiting ended: the version, the build, and a refusal as findings."""

    version: Version | None = None
    build: Build | None = None
    reached: bool = False
    findings: list[Finding] = field(default_factory=list)


def open_sections(client: StoreConsole) -> list[Section]:
    """Return what a hand-over still needs, the hand-over itself left out."""
    return [section for section in client.app().sections if not section.done and section.id != "hand-over"]


def current_version(client: StoreConsole) -> Version | None:
    """Return the version that's being worked on or reviewed, else the live one; None before the first."""
    versions = client.versions()
    order = ("editable", "refused", "waiting", "in review", "approved", "live")
    return min((v for v in versions if v.state in order), key=lambda v: order.index(v.state), default=None)


def add_build(client: StoreConsole, path: Path, version: str, number: str) -> Build:
    """Upload a build under a version and a number; one that's there already with the same file is that one."""
    with opened(path, str(path)) as file:
        sha256 = hashlib.file_digest(file, "sha256").hexdigest()
    for known in client.builds():
        if (known.number, known.sha256) == (number, sha256):
            return known
    client.upload(path, sha256)
    return client.add_build(version, number, sha256)


def submit(
    client: StoreConsole, project: Project, store: str, release: Release, release_date: date | None, build: str = ""
) -> Version:
    """Hand the editable version over, with the project's review notes; it's begun where none is.

    One that was handed over with this build already is returned as it is. Raises UsageError where none can be.
    """
    on_its_way = handed_over(client, build)
    if on_its_way:
        return on_its_way
    version = version_to_submit(client, project, store)
    rule = project.stores[store].rulebook.console
    if release not in rule.releases:
        raise UsageError(f"{store} has no {release} release", f"Choose one of: {', '.join(rule.releases)}.")
    chosen = build or _newest_usable(client, version.version)
    if chosen and chosen != version.build:
        client.choose_build(version.version, chosen)
    notes = project.once_value(store, "review_notes")
    text = str(notes.content) if notes.written else ""
    return client.submit(version.version, Submission(release=release, release_date=release_date, review_notes=text))


def handed_over(client: StoreConsole, build: str) -> Version | None:
    """Return the version that's in review with this build: a run that was killed may have handed it over."""
    on_their_way = (version for version in client.versions() if version.state in UNDER_WAY)
    return next((version for version in on_their_way if build and version.build == build), None)


def _newest_usable(client: StoreConsole, version: str) -> str:
    builds = client.builds()
    return next((build.number for build in builds if build.state == "usable" and build.version == version), "")


def wait(
    client: StoreConsole,
    goal: Goal,
    limit: float,
    progress: Callable[[str], None],
    sleep: Callable[[float], None] = time.sleep,
) -> Awaited:
    """Wait until the newest build is usable, or the version is approved or live; at most `limit` seconds.

    `progress` is called with the state when it changes. A refusal ends it. Raises UsageError when there's nothing to
    wait for, since somebody has to act first; OutsideError when time is up.
    """
    end, pause, said = time.monotonic() + limit, _FIRST_WAIT, ""
    while True:
        awaited = Awaited()
        if goal == "processed":
            builds = client.builds()
            awaited.build = builds[0] if builds else None
            state = f"build {builds[0].number} is {builds[0].state}" if builds else "no build yet"
            awaited.reached = bool(builds) and builds[0].state == "usable"
        else:
            awaited.version = current_version(client)
            state = (
                f"version {awaited.version.version} is {awaited.version.state}" if awaited.version else "no version yet"
            )
            reached = ("live",) if goal == "live" else ("approved", "live")
            awaited.reached = awaited.version is not None and awaited.version.state in reached
        if state != said:
            progress(state)
            said = state
        refused = awaited.version is not None and awaited.version.state == "refused"
        if awaited.reached or refused:
            return awaited
        if goal != "processed":
            _check_under_way(client.address.store, awaited.version, state)
        if time.monotonic() + pause > end:
            raise OutsideError(f"console {client.address.store}: {state} after {limit:g} s", "Wait again, or longer.")
        sleep(pause)
        pause = min(pause * 1.5, _LONGEST_WAIT)


def _check_under_way(store: str, version: Version | None, state: str) -> None:
    """Raise UsageError when a version won't move on by itself."""
    if version is None or version.state == "editable":
        remedy = f"Hand it over first: tavolan console submit --store {store}"
        raise UsageError(f"nothing of {store} is in review: {state}", remedy)
    if version.state == "approved" and version.release == "manual":
        raise UsageError(f"{state} in {store}, and released by hand", f"tavolan console wait --store {store} --go-live")


def release(client: StoreConsole) -> Version:
    """Put the approved version live. Raises UsageError when none is approved."""
    return client.release(version_to_release(client).version)


def version_to_release(client: StoreConsole) -> Version:
    """Return the approved version. Raises UsageError when none is approved."""
    version = current_version(client)
    if version is None or version.state != "approved":
        state = f"version {version.version} is {version.state}" if version else "there's no version"
        raise UsageError(f"nothing of {client.address.store} can be released: {state}", "Wait until it's approved.")
    return version


def attach_notes(client: StoreConsole, project: Project, store: str, build: str) -> list[str]:
    """Attach the notes for testers to a build; return the locales that have some, their own or lent ones."""
    field_id = project.stores[store].rulebook.field_with("tester_notes")
    noted = []
    for tag in project.stores[store].locales if field_id else ():
        value = project.value(store, tag, field_id)
        if value.written:
            client.set_tester_notes(build, tag, str(value.content))
            noted.append(tag)
    return noted


def note_refusals(project: Project, store: str, version: Version) -> None:
    """Write into the journal what was refused of a version, and with which text: each refusal once."""
    known = {(line.store, line.version, line.locale, line.field, line.note) for line in read_journal(project.root)}
    lines = []
    for (locale, name), reason in version.refused.items():
        text = refusal_text(project, store, locale, name)
        line = line_of(store, locale, name, version.version, None, text, "console", refusal_note(reason))
        if (store, version.version, locale, name, line.note) not in known:
            lines.append(line)
    if lines:
        with changing(project.root):
            add_lines(project.root, lines)


def refusals(
    project: Project, store: str, reasons: Mapping[tuple[str, str], str], why: str = "review refused it"
) -> list[Finding]:
    """Return a refusal as findings at the locales and fields it's about; for a title, with what could replace it."""
    found = []
    for (locale, name), reason in reasons.items():
        source, line = project.config_source.shown, None
        remedy = "Change it, push again, and submit."
        if locale in project.copy and name:
            value = project.value(store, locale, name) if name in project.stores[store].rulebook.fields else None
            source = value.source.shown if value else f"copy/{locale}.toml"
            line = value.line if value else None
            if name == project.stores[store].rulebook.field_with("title"):
                candidates = project.copy[locale].alternates(name).content
                if candidates:
                    remedy = f'Take "{candidates[0]}": tavolan copy set {locale} {name} --alternate 1, then push again.'
        at = Location(store=store, locale=locale, field=name, path=source, line=line)
        found.append(REFUSED.finding(at, f"{why}: {reason}", remedy))
    return found
