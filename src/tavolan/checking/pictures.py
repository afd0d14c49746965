"""Checks of the shots that need no picture library: captions, screens, counts."""

from __future__ import annotations

from collections.abc import Iterator

from tavolan.checking.findings import Finding
from tavolan.checking.registry import Check, check
from tavolan.checking.review import Review


@check("caption-missing", "error")
def caption_missing(review: Review, this: Check) -> Iterator[Finding]:
    """A shot has no caption in this locale, so its picture shows the source locale's words."""
    project = review.project
    level = review.missing_level or this.level
    for tag, copy in project.copy.items():
        for shot in project.captioned:
            value = copy.caption(shot.name)
            if value.written:
                continue
            instead = "" if tag == project.source_locale else f"; the picture shows the {project.source_locale} caption"
            message = f"the shot has no caption in this locale{instead}"
            remedy = f'Write {shot.name} = "…" under [captions].'
            yield Finding(
                this.id, level, "", tag, f"captions.{shot.name}", copy.source.shown, value.line, message, remedy
            )


@check("screen-stands-in", "warning")
def screen_stands_in(review: Review, this: Check) -> Iterator[Finding]:
    """Some shots have no raw screen of their own locale, so the source locale's stands in: visitors see a foreign app.

    It's an error where nothing can stand in: then the picture can't be made. One finding tells all that a locale
    lacks for a size class.
    """
    project = review.project
    index = review.screens
    source, total = project.shots_source, len(project.shots.shot)
    for store in project.stores.values():
        for name in project.classes_of(store):
            for tag in store.locales:
                found = {shot.name: index.find(shot.screen, tag, name) for shot in project.shots.shot}
                lent = [shot for shot, screen in found.items() if screen and not screen.exact]
                none = [shot for shot, screen in found.items() if not screen]
                remedy = f"Add the screens under screens/{tag}/{name}/."
                place = (store.id, tag, f"screens.{name}", source.shown, source.line(("shot",)))
                if lent:
                    message = f"{len(lent)} of {total} raw screens are {project.source_locale}'s: {', '.join(lent)}"
                    yield Finding(this.id, this.level, *place, message, remedy, measured=len(lent), limit=0)
                if none:
                    message = (
                        f"{len(none)} of {total} raw screens are missing, with none to stand in: {', '.join(none)}"
                    )
                    yield Finding(this.id, "error", *place, message, remedy, measured=len(none), limit=0)


@check("shot-count", "error")
def shot_count(review: Review, this: Check) -> Iterator[Finding]:
    """A store takes a certain number of screenshots per size class, and this project has more or fewer."""
    project = review.project
    count, source = len(project.shots.shot), project.shots_source
    level = review.missing_level or this.level
    for store in project.stores.values():
        rule = store.rulebook.pictures
        for name, size_class in project.classes_of(store).items():
            least = size_class.min_count if size_class.min_count is not None else rule.min_count
            most = size_class.max_count or rule.max_count
            if least <= count <= most:
                continue
            few = count < least
            message = f"{name} takes {least} to {most} screenshots, and shots.toml has {count}"
            remedy = f"Add {least - count} [[shot]]." if few else f"Take out {count - most}."
            limit = least if few else most
            place = (store.id, "", f"class.{name}", source.shown, source.line(("shot",)))
            found_level = level if few else this.level
            yield Finding(
                this.id, found_level, *place, message, remedy, measured=count, limit=limit, unit="screenshots"
            )
