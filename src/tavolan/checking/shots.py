"""Checks of the shots that need no picture library: captions, screens, counts."""

import difflib
from collections.abc import Iterator

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.registry import check, run_checks
from tavolan.checking.review import Review
from tavolan.errors import nearest
from tavolan.project.model import Project
from tavolan.project.screens import Screen
from tavolan.support.number_words import counted, some_of


@check("caption-missing", "error")
def caption_missing(review: Review, this: Rule) -> Iterator[Finding]:
    """A shot has no caption in this locale, so its picture shows the source locale's words."""
    project = review.project
    level = review.missing_level or this.level
    for tag, copy in project.copy.items():
        for key in project.caption_keys:
            value = copy.caption(key)
            if value.written or not key:
                continue
            instead = "" if tag == project.source_locale else f"; the picture shows the {project.source_locale} caption"
            message = f"the shot has no caption in this locale{instead}"
            remedy = f'Write {key} = "…" under [captions].'
            at = Location(locale=tag, field=f"captions.{key}", path=copy.source.shown, line=value.line)
            yield this.finding(at, message, remedy, level=level)


def foreign_captions(project: Project) -> dict[str, str]:
    """Return why a locale's pictures can't go out: captions of the source locale stand on them, and none is waived."""
    missing: dict[str, list[str]] = {}
    for finding in run_checks(project, only={"caption-missing"}):
        if finding.locale != project.source_locale and not finding.waived:
            missing.setdefault(finding.locale, []).append(finding.field.partition(".")[2])
    source = project.source_locale
    return {tag: f"shows captions in {source}: {', '.join(names)}" for tag, names in missing.items()}


@check("graphic-caption", "warning")
def graphic_caption(review: Review, this: Rule) -> Iterator[Finding]:
    """A graphic has no caption in the source locale, so it goes out without words.

    It may share the caption of another picture (`caption = "feature"` in its table); `caption = ""` says that none is
    meant.
    """
    project = review.project
    level = review.missing_level or this.level
    copy = project.copy[project.source_locale]
    for table in project.graphics:
        key = table.caption_key
        if not key or copy.caption(key).written:
            continue
        line = project.shots_source.line(("graphic", project.shots.graphic.index(table)))
        remedy = f'Write {key} = "…" under [captions], or share another picture\'s: caption = "…" in its [[graphic]].'
        at = Location(field=f"graphic.{table.name}", path=project.shots_source.shown, line=line)
        yield this.finding(at, f"{table.name} has no caption", remedy, subject=table.name, level=level)


@check("caption-unused", "warning")
def caption_unused(review: Review, this: Rule) -> Iterator[Finding]:
    """A caption belongs to no shot and no graphic of `shots.toml`: nothing prints it.

    It's a note while `shots.toml` has no shots at all: captions may be written before the pictures are planned.
    """
    project = review.project
    known = [picture.name for picture in (*project.shots.shot, *project.shots.graphic)]
    used = {picture.caption_key for picture in (*project.shots.shot, *project.shots.graphic)}
    for tag, copy in project.copy.items():
        for name in copy.data.get("captions", {}):
            if name in used:
                continue
            entry = copy.entry("captions", name)
            remedy = nearest(name, known) or f'Add [[shot]] with name = "{name}" to shots.toml.'
            at = Location(locale=tag, field=f"captions.{name}", path=copy.source.shown, line=entry.line)
            yield this.finding(at, "belongs to no shot of shots.toml", remedy, level=None if known else "note")


@check("screen-stands-in", "warning")
def screen_stands_in(review: Review, this: Rule) -> Iterator[Finding]:
    """Some shots have no raw screen of their own locale, so the source locale's stands in: visitors see a foreign app.

    One finding says it for all locales and size classes. A locale that is `like` another one takes its screens.
    """
    project = review.project
    lent: dict[str, dict[str, None]] = {}
    count = total = 0
    for tag, _, shot, screen in _needed_screens(review):
        total += 1
        if screen and not screen.exact:
            count += 1
            lent.setdefault(tag, {})[shot] = None
    if lent:
        source = project.source_locale
        message = f"{count} of {total} pictures show screens of {source}: {_by_same(lent, len(project.shots.shot))}"
        remedy = "Capture them in those languages: tavolan shots take FILES --locale TAG"
        at = Location(field="screens", path=project.shots_source.shown, line=project.shots_source.line(("shot",)))
        yield this.finding(at, message, remedy, measured=count, limit=0, unit="pictures")


@check("screen-missing", "error")
def screen_missing(review: Review, this: Rule) -> Iterator[Finding]:
    """A shot has no raw screen, and none can stand in for it, so its picture can't be made.

    Another size class of the same form could lend one, and the source locale could. While the project is being written
    it's a note.
    """
    project = review.project
    gone: dict[str, dict[str, None]] = {}
    count = 0
    for _, name, shot, screen in _needed_screens(review):
        if screen is None:
            count += 1
            gone.setdefault(name, {})[shot] = None
    if gone:
        message = f"{count} pictures have no raw screen: {_by_same(gone, len(project.shots.shot))}"
        name, shots = next((name, list(shots)) for name, shots in gone.items())
        screen_name = next(shot.screen for shot in project.shots.shot if shot.name == shots[0])
        near = difflib.get_close_matches(screen_name, review.screens.names(), n=1)
        hint = f' Or did you mean the screen "{near[0]}"?' if near else ""
        remedy = f"Put them at screens/{project.source_locale}/{name}/{screen_name}.png and so on.{hint}"
        level = review.missing_level or this.level
        at = Location(field="screens", path=project.shots_source.shown, line=project.shots_source.line(("shot",)))
        yield this.finding(at, message, remedy, measured=count, limit=0, unit="pictures", level=level)


def _needed_screens(review: Review) -> Iterator[tuple[str, str, str, Screen | None]]:
    """Yield locale, size class and shot of every picture, with the raw screen that serves it."""
    project = review.project
    for store in project.stores.values():
        for name in project.classes_of(store):
            for tag in store.locales:
                for shot in project.shots_for(name, tag):
                    yield tag, name, shot.name, review.screens.find(shot.screen, tag, name)


def _by_same(found: dict[str, dict[str, None]], total: int) -> str:
    """Say which shots are meant where; places that share their shots are named together."""
    groups: dict[tuple[str, ...], list[str]] = {}
    for place, shots in found.items():
        groups.setdefault(tuple(shots), []).append(place)
    return "; ".join(
        f"{', '.join(places)} ({f'all {total} shots' if len(shots) == total > 1 else ', '.join(shots)})"
        for shots, places in groups.items()
    )


def order_command(project: Project, size_class: str) -> str:
    """Return the command that has a size class keep the shots that are made for it now."""
    names = " ".join(shot.name for shot in project.shots_for(size_class))
    return f"tavolan shots order {names} --device {size_class}"


@check("shot-count", "error")
def shot_count(review: Review, this: Rule) -> Iterator[Finding]:
    """A store takes a certain number of screenshots per size class, and this project has fewer, or more.

    Of more than it takes the first ones are made; an order of its own, `tavolan shots order … --device`, settles it.
    """
    project = review.project
    source = project.shots_source
    level = review.missing_level or this.level
    for store in project.stores.values():
        rule = store.rulebook.pictures
        for name, size_class in project.classes_of(store).items():
            least = size_class.min_count if size_class.min_count is not None else rule.min_count
            most = size_class.max_count or rule.max_count
            shots = project.ordered_shots(name)
            count = len(shots)
            at = Location(store=store.id, field=f"class.{name}", path=source.shown, line=source.line(("shot",)))
            if count < least:
                message = f"{name} takes {least} to {most} screenshots, and shots.toml has {count}"
                remedy = f"Add {counted(least - count, 'shot')} with: tavolan shots new FOLDER"
                yield this.finding(at, message, remedy, level=level, measured=count, limit=least, unit="screenshots")
            elif count > most and not project.order_for(name, project.source_locale):
                left = some_of([shot.name for shot in shots[most:]], 4)
                message = f"{name} takes {most} screenshots, of {count} the first ones: without {left}"
                remedy = f"Say which come first: {order_command(project, name)}"
                yield this.finding(at, message, remedy, level="warning", measured=count, limit=most, unit="screenshots")
