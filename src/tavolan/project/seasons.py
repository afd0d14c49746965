"""Seasons: what holds on a day beside the usual page, and when it begins and ends."""

from collections.abc import Iterator
from dataclasses import replace
from datetime import date
from typing import NamedTuple

from tavolan.errors import Problem, UsageError, nearest
from tavolan.project.hypothetical import with_texts
from tavolan.project.model import Project
from tavolan.project.page_changes import changed_shots
from tavolan.project.schema import SeasonTable, Shots
from tavolan.project.texts import TextChange, Texts

_CONFIG = "tavolan.toml"


class Span(NamedTuple):
    """The days of a season in one year, both of them counted."""

    first: date
    last: date


def spans_around(season: SeasonTable, day: date) -> list[Span]:
    """Return a season's spans near a day, in order: those of the years around it, or its only one."""
    if len(season.to) > len("12-01"):
        return [Span(date.fromisoformat(season.from_), date.fromisoformat(season.to))]
    wraps = season.to < season.from_
    years = range(day.year - 1, day.year + 2)
    return [Span(_in_year(year, season.from_), _in_year(year + wraps, season.to)) for year in years]


def _in_year(year: int, text: str) -> date:
    month, day = map(int, text.split("-"))
    # 29 February is the 28th in other years.
    return date(year, month, day if (month, day) != (2, 29) or year % 4 == 0 else 28)


def span_on(season: SeasonTable, day: date) -> Span | None:
    """Return the span that a day is in."""
    return next((span for span in spans_around(season, day) if span.first <= day <= span.last), None)


def seasons_on(project: Project, day: date) -> list[SeasonTable]:
    """Return the seasons that hold on a day, in the order of the file."""
    return [season for season in project.seasons if span_on(season, day)]


def locales_of(project: Project, season: SeasonTable) -> list[str]:
    """Return the locales whose pages a season changes: those that its storefronts read first, and those it names."""
    if not season.storefronts:
        return list(project.app.locales) if season.changes_pictures else [*{**season.texts, **season.captions}]
    first = {next(iter(store.reads(front)), "") for store in project.stores.values() for front in season.storefronts}
    wanted = {*season.texts, *season.captions, *(first if season.changes_pictures else ())}
    return [tag for tag in project.app.locales if tag in wanted]


def on_day(project: Project, day: date) -> Project:
    """Return the project as it is on a day, with the seasons that hold then. One that's of a day already stays."""
    if project.day is not None:
        return project
    holding = seasons_on(project, day)
    if not holding:
        return replace(project, day=day)
    changed = with_texts(project, [change for season in holding for change in text_changes(project, season)])
    shots: dict[str, Shots] = {}
    for season in holding:
        for tag in locales_of(project, season) if season.changes_pictures else ():
            shots[tag] = _shots(shots.get(tag, project.shots), season)
    return replace(changed, day=day, season_shots=shots)


def text_changes(project: Project, season: SeasonTable) -> list[TextChange]:
    """Return the texts and captions that a season changes. Raises UsageError for one that isn't there."""
    texts = Texts(project)
    wanted = [(tag, address, text) for tag, own in season.texts.items() for address, text in own.items()]
    wanted += [(tag, f"captions.{key}", text) for tag, own in season.captions.items() for key, text in own.items()]
    return [TextChange(tag, address, texts.get(tag, address), text) for tag, address, text in wanted]


def _shots(shots: Shots, season: SeasonTable) -> Shots:
    """Return shots as a season changes them: its colours go before those of single shots too."""
    given = {name: colour for name, colour in season.palette.model_dump().items() if colour is not None}
    changed = changed_shots(shots, season)
    own = [shot.model_copy(update={"palette": shot.palette.model_copy(update=given)}) for shot in changed.shot]
    return changed.model_copy(update={"shot": own, "palette": shots.palette.model_copy(update=given)})


def season_faults(project: Project) -> Iterator[Problem]:
    """Yield what's wrong with the names in seasons: locales, fields, shots, storefronts, and names that are taken."""
    source = project.config_source
    names = [season.name for season in project.seasons]
    for number, season in enumerate(project.seasons):
        for key, message, remedy in (*_unknown_names(project, season), *_text_faults(project, season)):
            yield Problem(_CONFIG, source.line(("season", number, key)), f"season.{season.name}.{key}", message, remedy)
        if season.name in names[:number]:
            where = f"season.{season.name}.name"
            line = source.line(("season", number, "name"))
            yield Problem(_CONFIG, line, where, "is taken by another season", "Rename one.")


def _unknown_names(project: Project, season: SeasonTable) -> Iterator[tuple[str, str, str]]:
    """Yield key, message and remedy of names that the project doesn't have."""
    fronts = {front for store in project.stores.values() for front in store.rulebook.storefronts.reads}
    shots = [shot.name for shot in project.shots.shot]
    for key, given, known, what in (
        ("storefronts", season.storefronts, fronts, "storefront"),
        ("order", season.order, shots, "shot"),
        ("looks", season.looks, shots, "shot"),
        ("screens", season.screens, shots, "shot"),
        ("texts", season.texts, project.copy, "locale"),
        ("captions", season.captions, project.copy, "locale"),
    ):
        for name in given:
            if name not in known:
                yield key, f'"{name}" is no {what} of this project', nearest(name, known)


def _text_faults(project: Project, season: SeasonTable) -> Iterator[tuple[str, str, str]]:
    if all(tag in project.copy for tag in (*season.texts, *season.captions)):
        try:
            text_changes(project, season)
        except UsageError as error:
            yield "texts", str(error), ""
