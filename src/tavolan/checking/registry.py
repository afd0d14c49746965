"""The list of checks, and the one place that runs them.

A new check is one function with an id, a level and a docstring that says why it matters.
"""

import inspect
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass, replace
from datetime import date
from importlib import import_module

from tavolan.checking.findings import Finding, Level, Rule, merged
from tavolan.checking.review import Review
from tavolan.errors import ProjectError, nearest, one_problem
from tavolan.project.model import Project
from tavolan.project.schema import Waiver
from tavolan.project.seasons import on_day, span_on

FAMILIES = (
    "limits",
    "presence",
    "facts",
    "shots",
    "finished_pictures",
    "keywords",
    "word_use",
    "policy",
    "titles",
    "text_faults",
    "spelling_faults",
    "language",
    "freshness",
    "replies",
    "video",
    "data_tables",
    "refusals",
)


# The check of tables that can't be read.
DATA_TABLE = "data-table"
CheckFunction = Callable[[Review, Rule], Iterator[Finding]]


@dataclass(frozen=True)
class Check(Rule):
    """A registered check. One that's `off` runs only where the project gives it a level."""

    run: CheckFunction
    off: bool = False

    @property
    def explanation(self) -> str:
        """What `tavolan check --explain ID` prints: the function's docstring."""
        return inspect.cleandoc(self.run.__doc__ or "")


CHECKS: dict[str, Check] = {}


def check(id: str, level: Level, off: bool = False) -> Callable[[CheckFunction], CheckFunction]:
    """Register a function as a check under an id and a usual level."""

    def register(function: CheckFunction) -> CheckFunction:
        if id in CHECKS:
            raise RuntimeError(f"two checks are called {id}")
        CHECKS[id] = Check(id, level, function, off)
        return function

    return register


def all_checks() -> dict[str, Check]:
    """Return every check by its id, in the order of the families, whichever was loaded first."""
    places = {import_module(f"tavolan.checking.{family}").__name__: place for place, family in enumerate(FAMILIES)}
    return dict(sorted(CHECKS.items(), key=lambda named: places.get(named[1].run.__module__, len(places))))


def run_checks(
    project: Project,
    today: date | None = None,
    *,
    errors_only: bool = False,
    also: Collection[str] = (),
    only: Collection[str] = (),
) -> list[Finding]:
    """Run every check on a project, or `only` those of some ids; worst findings first.

    `errors_only` skips rules that can't find an error, but for those of `also`.

    `[check]` of the project sets levels, switches rules off and waives findings; `today` is the date that waivers,
    rulebooks and seasons are judged by. Raises ProjectError when `[check]` names a rule that doesn't exist.
    """
    checks = all_checks()
    _check_names(project, checks)
    project = on_day(project, today or date.today())
    review = Review(project, today or project.day or date.today())
    found: list[Finding] = []
    # A check that needs a table which can't be read finds nothing; what's wrong with the table is a finding of its own.
    unread: list[ProjectError] = []
    for item in checks.values():
        level = project.check.levels.get(item.id, "off" if item.off else item.level)
        if (
            level == "off"
            or (errors_only and level != "error" and item.id not in also)
            or (only and item.id not in only)
        ):
            continue
        fixed = item.id in project.check.levels
        try:
            found += [replace(finding, level=level) if fixed else finding for finding in item.run(review, item)]
        except ProjectError as error:
            unread.append(error)
    if unread and not any(finding.rule == DATA_TABLE for finding in found):
        raise unread[0]
    if errors_only:
        found = [finding for finding in found if finding.level == "error" or finding.rule in also]
    judged = merged(_waived(finding, project.check.waive, review.today) for finding in found)
    return sorted((_in_season(project, finding) for finding in judged), key=Finding.sort_key)


def _in_season(project: Project, finding: Finding) -> Finding:
    """Return a finding about a season's text with the place where that is written."""
    for number, season in enumerate(project.seasons if project.day else ()):
        table, _, key = finding.field.partition(".")
        own = season.captions if table == "captions" else season.texts
        texts = own.get(finding.locale, {})
        names = [key] if table == "captions" else [finding.field, *(f"{one}.{finding.field}" for one in finding.stores)]
        name = next((name for name in names if name in texts), "")
        if name and span_on(season, project.day or date.today()):
            source = project.config_source
            place = ("season", number, "captions" if table == "captions" else "texts", finding.locale, name)
            return replace(finding, path=source.shown, line=source.line(place))
    return finding


def _check_names(project: Project, checks: dict[str, Check]) -> None:
    source = project.config_source
    problems = []
    for rule in project.check.levels:
        if rule not in checks:
            line = source.line(("check", "levels", rule))
            problems += one_problem(
                source.shown, line, f"check.levels.{rule}", "is no rule", nearest(rule, checks)
            ).problems
    for index, waiver in enumerate(project.check.waive):
        if waiver.rule not in checks:
            line = source.line(("check", "waive", index, "rule"))
            where = f"check.waive.{index + 1}.rule"
            message = f'"{waiver.rule}" is no rule'
            problems += one_problem(source.shown, line, where, message, nearest(waiver.rule, checks)).problems
    if problems:
        raise ProjectError(problems)


def _waived(finding: Finding, waivers: list[Waiver], today: date) -> Finding:
    for waiver in waivers:
        wanted = (waiver.store, waiver.locale, waiver.field, waiver.subject)
        given = (finding.store, finding.locale, finding.field, finding.subject)
        matches = all(not want or want == have for want, have in zip(wanted, given, strict=True))
        if waiver.rule == finding.rule and matches and today <= waiver.until:
            return replace(finding, waived=waiver.reason)
    return finding
