"""Our ranks beside those of other apps, and what those apps changed in their listings, word by word.

A listing of `data/listings.csv` holds from its date until the next one of the same app and locale.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from itertools import pairwise
from typing import NamedTuple

import pandas as pd

from tavolan.errors import UsageError
from tavolan.project.datafile import LISTINGS
from tavolan.project.model import Project
from tavolan.project.tables import Row
from tavolan.results.figures import Figures
from tavolan.results.periods import Period
from tavolan.results.rank_effect import RankShift, rank_shifts
from tavolan.results.ranks import RankQuery, check_names, last_of, newest_day, phrases_of, read_ranks, written_phrases
from tavolan.results.scope import Scope
from tavolan.words.changed_words import ChangedWords, changed_words, forms_of, holds_any
from tavolan.words.known_ranks import KnownRank
from tavolan.words.split import fold, language_matching

# Ranks are compared in so many days before a change and after it, without the first ones after it.
WINDOW, SETTLE = 42, 3
# Others' changes are rare: the usual period is half a year.
RIVAL_DAYS = 182
# Where another app is among the first so many and ours isn't.
WITHIN = 20
_FIELDS = ("title", "subtitle", "description")


@dataclass(frozen=True)
class RivalRow:
    """The ranks of all apps under a phrase: the last one of the period, and the last one of the period before.

    `gap` says that some other app is among the first, and ours isn't.
    """

    store: str
    storefront: str
    phrase: str
    ranks: dict[str, KnownRank]
    gap: bool


class ShiftPair(NamedTuple):
    """What moved under a phrase: another app's ranks, and ours; None where nobody looked for ours in both windows."""

    theirs: RankShift
    ours: RankShift | None


@dataclass(frozen=True)
class ListingChange:
    """What an app changed in a locale's listing on a day, and what moved under the phrases with these words."""

    app: str
    locale: str
    day: date
    words: dict[str, ChangedWords]
    shifts: list[ShiftPair] = field(default_factory=list)


@dataclass(frozen=True)
class Rivals:
    """Ranks of `ours` and of the other apps, and the changes of their listings, all in a period.

    `within` is how far down an app counts as one of the first.
    """

    period: Period
    ours: str
    within: int
    apps: list[str]
    rows: list[RivalRow]
    changes: list[ListingChange]


def rivals(
    figures: Figures, scope: Scope, lists: tuple[str, ...] = (), apps: tuple[str, ...] = (), within: int = WITHIN
) -> Rivals:
    """Return the ranks of our app and others, phrase by phrase, and what the others changed in the period.

    Without one it's half a year up to the newest rank. Raises UsageError where there are no ranks, and for lists and
    apps that aren't there; ProjectError for faults in the files.
    """
    project, ours = figures.project, figures.app
    check_names(project, lists, apps)
    phrases = written_phrases(project, {fold(phrase) for phrase in phrases_of(project, lists)}) if lists else ()
    wanted = RankQuery.of(scope, phrases, (ours, *apps) if apps else ())
    newest = newest_day(project, wanted)
    if newest is None or (lists and not phrases):
        raise UsageError("there are no such ranks", "Add them: tavolan import FILE --app NAME.")
    period = scope.period_up_to(newest, RIVAL_DAYS)
    # Windows of changes at its beginning reach before it.
    around = Period(min(period.before().first, period.first - timedelta(days=WINDOW)), period.last)
    frame = read_ranks(project, replace(wanted, period=around))
    names = sorted({str(app) for app in frame["app"].unique()} - {ours})
    listings = [row for row in project.tables.rows(LISTINGS) if not apps or row.text("app") in apps]
    changes = [_with_shifts(project, frame, ours, change) for change in listing_changes(listings, period)]
    return Rivals(period, ours, within, names, _rows(frame, period, ours, within), changes)


def _rows(frame: pd.DataFrame, period: Period, ours: str, within: int) -> list[RivalRow]:
    now, before = last_of(frame, period), last_of(frame, period.before())
    rows: dict[tuple[str, str, str], dict[str, KnownRank]] = {}
    for key, rank in now.items():
        store, app, front, phrase = key
        rows.setdefault((store, front, phrase), {})[app] = KnownRank(rank, before.get(key))
    nowhere = KnownRank(math.inf, None)
    found = []
    for place, ranks in rows.items():
        best = min((known.rank for app, known in ranks.items() if app != ours), default=math.inf)
        gap = best <= within < ranks.get(ours, nowhere).rank
        found.append(RivalRow(*place, ranks, gap))
    return sorted(found, key=lambda row: (row.store, row.storefront, row.ranks.get(ours, nowhere).rank, row.phrase))


def listing_changes(rows: Iterable[Row], period: Period) -> list[ListingChange]:
    """Return what apps changed in their listings in a period, oldest first; listings without a date are the oldest."""
    histories: dict[tuple[str, str], list[Row]] = {}
    for row in rows:
        histories.setdefault((row.text("app"), row.text("locale")), []).append(row)
    found = []
    for (app, locale), versions in histories.items():
        versions.sort(key=lambda row: row.text("date"))
        for old, new in pairwise(versions):
            day = date.fromisoformat(new.text("date")) if new.text("date") else date.min
            words = {name: changed_words(old.text(name), new.text(name), language_matching(locale)) for name in _FIELDS}
            changed = {name: each for name, each in words.items() if each}
            if changed and period.holds(day):
                found.append(ListingChange(app, locale, day, changed))
    return sorted(found, key=lambda change: (change.day, change.app, change.locale))


def _with_shifts(project: Project, frame: pd.DataFrame, ours: str, change: ListingChange) -> ListingChange:
    """Return a change with what moved under the phrases that hold one of its words."""
    match = language_matching(change.locale)
    forms = set().union(*(forms_of(words, match) for words in change.words.values()))
    fronts = {
        front
        for store in project.stores.values()
        for front, reads in store.rulebook.storefronts.reads.items()
        if change.locale in reads
    }
    here = frame[frame["storefront"].isin(list(fronts))]
    before = Period(change.day - timedelta(days=WINDOW), change.day - timedelta(days=1))
    begin = change.day + timedelta(days=SETTLE)
    after = Period(begin, begin + timedelta(days=WINDOW - 1))
    theirs = rank_shifts(here[here["app"] == change.app], before, after)
    own = {(one.storefront, one.phrase): one for one in rank_shifts(here[here["app"] == ours], before, after)}
    touched = [one for one in theirs if holds_any(one.phrase, forms, match)]
    touched.sort(key=lambda one: (-abs(one.gain), one.phrase))
    pairs = [ShiftPair(one, own.get((one.storefront, one.phrase))) for one in touched]
    return ListingChange(change.app, change.locale, change.day, change.words, pairs)
