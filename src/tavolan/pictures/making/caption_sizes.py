"""Find the size of captions: the largest at which every caption of a set fits, so that a set looks of one piece."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from tavolan.errors import Problem
from tavolan.pictures.making.job import Job
from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.text.fonts import Fonts, MissingCharactersError, describe
from tavolan.project.caption_markup import MarkupError
from tavolan.project.model import Project
from tavolan.project.picture_records import digest_of

if TYPE_CHECKING:
    from tavolan.pictures.design.layout import PixelBox
    from tavolan.pictures.design.look import CaptionBox
    from tavolan.pictures.text.caption import Setter


_FONT_REMEDY = "Put a font that has it into art/fonts, or write it otherwise."


class Setters:
    """The setters of a project's locales, each made when it's first asked for, with what they know of texts and fonts.

    For one thread at a time.
    """

    def __init__(self, root: Path) -> None:
        self.root = root
        self._made: dict[str, Setter] = {}

    def of(self, tag: str) -> Setter:
        """Return a locale's setter."""
        if tag not in self._made:
            # Slow to load, and not needed when every caption's size is known from before.
            from tavolan.pictures.text.caption import Setter
            from tavolan.pictures.text.typeset import Typesetter

            self._made[tag] = Setter(Typesetter(Fonts(self.root, tag), tag))
        return self._made[tag]


def fitted_size(
    setter: Setter,
    text: str,
    rules: CaptionBox,
    box: PixelBox,
    scale: float,
    report: Callable[[str, str], None],
    too_long: tuple[str, str],
    share: float = 1.0,
) -> int | None:
    """Return the largest size in pixels at which a text fits its box, and at most a share of its full size.

    None where it can't be set: `report` gets what's wrong and what to do, `too_long` where no size is small enough.
    """
    from tavolan.pictures.text.caption import split

    try:
        size = setter.fitted(split(text), rules, box, scale, share)
    except MarkupError as error:
        report(str(error), "Write \\* for a star that is meant as one.")
        return None
    except MissingCharactersError as error:
        report(f"has a character that no font has: {describe(error.characters)}", _FONT_REMEDY)
        return None
    if size is None:
        report(*too_long)
    return size


class Fitter:
    """Fits captions; what was found for the same texts and boxes before is taken from the ledger."""

    def __init__(self, project: Project, ledger: Ledger, problems: list[Problem], version: str) -> None:
        self.project, self.ledger, self.problems, self.version = project, ledger, problems, version
        self.setters = Setters(project.root)

    def set_of(self, tag: str, jobs: list[Job]) -> list[Job]:
        """Return the jobs of one set with their captions' sizes in pixels.

        Looks may set captions in different sizes; all of a set shrink by the same share.
        """
        written = [job for job in jobs if job.caption]
        if not written:
            return jobs
        inputs = [[job.caption, job.caption_locale, job.laid_by] for job in written]
        key = digest_of(json.dumps([self.version, tag, inputs], ensure_ascii=False).encode())
        sizes = self.ledger.fitted(key)
        if sizes is None:
            fitted, share = {}, 1.0
            for job in written:
                # Where an earlier one had to shrink, whether this would fit in a larger size makes no difference.
                fitted[job.target.name] = size = self._fit(job, share)
                share = min(share, size / self._full(job)) if size else share
            sizes = {
                job.target.name: min(size, max(round(share * self._full(job)), self._least(job)))
                for job in written
                if (size := fitted[job.target.name])
            }
            if all(fitted.values()):
                self.ledger.keep_fitted(key, sizes)
        return [replace(job, caption_size=sizes.get(job.target.name, 0)) if job.caption else job for job in jobs]

    @staticmethod
    def _full(job: Job) -> float:
        return max(1.0, job.look.caption.size * job.scene.scale)

    @staticmethod
    def _least(job: Job) -> int:
        return max(1, round(job.look.caption.min_size * job.scene.scale))

    def _fit(self, job: Job, share: float) -> int | None:
        too_long = f"is too long for the look {job.look.name} at {job.target.place}: not even its smallest size fits"
        return fitted_size(
            self.setters.of(job.caption_locale),
            job.caption,
            job.look.caption,
            job.scene.caption,
            job.scene.scale,
            lambda message, remedy: self._problem(job, message, remedy),
            (too_long, "Shorten it, or choose a look with more room for words."),
            share,
        )

    def _problem(self, job: Job, message: str, remedy: str) -> None:
        shots = self.project.shots
        key = next(picture.caption_key for picture in (*shots.shot, *shots.graphic) if picture.name == job.target.name)
        self._tell(job.caption_locale, "captions", key, message, remedy)

    def _tell(self, tag: str, table: str, key: str, message: str, remedy: str) -> None:
        value = self.project.copy[tag].entry(table, key)
        problem = Problem(value.source.shown, value.line, f"{table}.{key}", message, remedy)
        if problem not in self.problems:
            self.problems.append(problem)

    def check_showcase(self, jobs: list[Job]) -> None:
        """Note the showcase values of pictures to be painted that no font can set."""
        retouches = {step for job in jobs for screen in job.screens for step in screen.retouches if step.name}
        for locale, name, text in sorted({(step.locale, step.name, step.text) for step in retouches}):
            if faults := self.setters.of(locale).type.fonts.missing(text):
                message = f"has a character that no font has: {describe(faults)}"
                self._tell(locale, "showcase", name, message, _FONT_REMEDY)
