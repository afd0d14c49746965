"""Checks of what ages: release notes, rulebooks, waivers."""

import calendar
from collections.abc import Callable, Iterable, Iterator
from datetime import date
from pathlib import Path

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.notes.versions import apart
from tavolan.project.datafile import DATA_FILES
from tavolan.project.origins import unknown_origins
from tavolan.project.state import digest
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import is_drafted, is_outdated

_DAYS = 366


@check("notes-repeated", "warning")
def notes_repeated(review: Review, this: Rule) -> Iterator[Finding]:
    """The release notes are those of an earlier version, kept under `[history]`: nobody wrote what's new."""
    project = review.project
    seen = set()
    for place in review.places:
        if place.rule.role != "notes" or not place.value.written or place.value.inherited_from:
            continue
        if (place.locale, place.value.key) in seen:
            continue
        seen.add((place.locale, place.value.key))
        notes = " ".join(str(place.value.content).split())
        for name, earlier in project.copy[place.locale].history().items():
            version, _ = apart(project, name)
            if version != project.app.version and " ".join(earlier.split()) == notes:
                message = f"are word for word the notes of version {version}"
                yield place.finding(this, message, "Write what's new in this version.", subject=version)
                break


@check("drafted", "warning")
def drafted(review: Review, this: Rule) -> Iterator[Finding]:
    """A machine wrote this text and nobody has looked at it since. Nothing like that should reach visitors.

    Change it, or let somebody review it (`tavolan locale send`, then `receive`): what's touched counts as theirs.
    """
    for at in _remembered(review, review.project.state, is_drafted):
        remedy = f"Review it: tavolan locale send --locale {at.locale}"
        yield this.finding(at, "was drafted by a machine and not reviewed", remedy)


@check("locked-changed", "warning")
def locked_changed(review: Review, this: Rule) -> Iterator[Finding]:
    """A locked text doesn't say any more what was approved: somebody changed it in its file, where no command asks.

    Put it back (`git` or `tavolan undo`), or let who locked it approve it again.
    """

    def changed(texts: Texts, locale: str, address: str) -> bool:
        entry = review.project.approvals[locale, address]
        return entry.locked and digest(texts.get(locale, address)) != entry.text

    for at in _remembered(review, review.project.approvals, changed):
        entry = review.project.approvals[at.locale, at.field]
        remedy = f"Put it back, or approve it: tavolan locale approve {at.locale} --field {at.field} --lock"
        yield this.finding(at, f"was locked by {entry.who} on {entry.day}, and changed since", remedy)


def _remembered(
    review: Review, state: Iterable[tuple[str, str]], holds: Callable[[Texts, str, str], bool]
) -> Iterator[Location]:
    """Yield where the remembered texts stand that something holds for."""
    project = review.project
    texts = Texts(project)
    for locale, address in state:
        if locale in project.copy and address in texts.known and holds(texts, locale, address):
            source = project.copy[locale].source
            line = source.line(texts.key(address))
            yield Location(locale=locale, field=address, path=source.shown, line=line)


@check("outdated", "warning")
def outdated(review: Review, this: Rule) -> Iterator[Finding]:
    """The source text changed since this translation was made.

    `copy/state.csv` remembers, by a digest, what each translation was made from; every command that writes texts keeps
    it. Of a text that came in by hand, the history in git shows which source it was made from.
    """
    message = f"the {review.project.source_locale} text changed since this was translated"
    for at in _remembered(review, review.project.origins, is_outdated):
        remedy = f"Translate it again, then run: tavolan copy set {at.locale} {at.field} -"
        yield this.finding(at, message, remedy)


@check("origin-unknown", "note")
def origin_unknown(review: Review, this: Rule) -> Iterator[Finding]:
    """Nobody knows which source text some translations were made from, so they never become outdated.

    They came in by hand, and neither `copy/state.csv` nor git knows their source. The next command that writes texts
    adopts them, and so does `tavolan locale approve --all --fits-source`: as made from the source as it is now.
    """
    unknown = unknown_origins(review.project)
    if unknown:
        count = sum(map(len, unknown.values()))
        places = ", ".join(f"{tag} {len(addresses)}" for tag, addresses in unknown.items())
        message = f"of {count} translations nobody knows which source they were made from ({places})"
        remedy = "If they fit the source as it is now, run: tavolan locale approve --all --fits-source"
        at = Location(field="state", path="copy/state.csv")
        yield this.finding(at, message, remedy, measured=count, limit=0, unit="texts")


def last_day(as_of: str) -> date:
    """Return the last day that a date of reduced precision (`2025`, `2025-06`) may mean."""
    year, month, day = (*map(int, as_of.split("-")), 0, 0)[:3]
    month = month or 12
    return date(year, month, day or calendar.monthrange(year, month)[1])


@check("old-rulebook", "note")
def old_rulebook(review: Review, this: Rule) -> Iterator[Finding]:
    """A rulebook's numbers are more than a year old; stores move their limits.

    Look them up in the store, correct what changed in `rules/<id>.toml`, and set `as_of` there: even when nothing
    changed, that says somebody looked.
    """
    source = review.project.config_source
    for store in review.project.stores.values():
        age = (review.today - last_day(store.rulebook.as_of)).days
        if age > _DAYS:
            message = f"the rulebook is as of {store.rulebook.as_of}, more than a year ago"
            remedy = f'Check its numbers and write as_of = "{review.today:%Y-%m}" in rules/{store.id}.toml.'
            line = source.line(("store", store.id))
            at = Location(store=store.id, field="as_of", path=source.shown, line=line)
            yield this.finding(at, message, remedy, measured=age, limit=_DAYS, unit="days")


@check("waiver-ended", "warning")
def waiver_ended(review: Review, this: Rule) -> Iterator[Finding]:
    """A waiver's end date has passed: what it covered counts again."""
    source = review.project.config_source
    for index, waiver in enumerate(review.project.check.waive):
        if review.today > waiver.until:
            message = f"the waiver of {waiver.rule} ended on {waiver.until} ({waiver.reason})"
            line = source.line(("check", "waive", index))
            remedy = "Put right what it covered, or give it a new date."
            yield Finding(
                this.id,
                this.level,
                waiver.store,
                waiver.locale,
                waiver.field,
                source.shown,
                line,
                message,
                remedy,
                subject=waiver.rule,
            )


@check("old-file-name", "note")
def old_file_name(review: Review, this: Rule) -> Iterator[Finding]:
    """A data file has a name of earlier versions. It's still read; its new name says better what's in it."""
    for file in DATA_FILES:
        if file.old_name and (path := file.path_in(review.project.root)).exists() and path.name != Path(file.name).name:
            remedy = f"Rename it: git mv {file.old_name} {file.name}"
            yield this.finding(Location(path=file.old_name), f"is called {file.name} now", remedy)
