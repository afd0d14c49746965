"""Render shots: plan every picture, set all captions of a locale in one size, then paint and encode on all cores."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tavolan.errors import Problem, ProjectError, UsageError
from tavolan.files import write_bytes
from tavolan.markup import MarkupError, Run, parse
from tavolan.pictures import encode, paint
from tavolan.pictures.backdrop import paint_backdrop
from tavolan.pictures.colour import argb
from tavolan.pictures.fonts import Fonts, MissingCharactersError, describe
from tavolan.pictures.look import Look, load_look
from tavolan.pictures.scene import Scene, lay_out
from tavolan.pictures.typeset import Block, Style, Typesetter
from tavolan.project.locales import is_right_to_left
from tavolan.project.model import Project, Store
from tavolan.project.schema import Palette, Shot
from tavolan.project.screens import Screen, ScreenIndex
from tavolan.rulebooks.model import SizeClass

Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class Selection:
    """What to render; empty means all."""

    stores: tuple[str, ...] = ()
    locales: tuple[str, ...] = ()
    classes: tuple[str, ...] = ()
    shots: tuple[str, ...] = ()


@dataclass(frozen=True)
class Job:
    """One picture to make."""

    store: str
    size_class: str
    locale: str
    number: int
    shot: Shot
    screen: Screen
    scene: Scene
    look: Look
    palette: Palette
    caption: Block | None
    caption_locale: str

    @property
    def file(self) -> str:
        """Path of the finished picture in the project; its number carries the order."""
        return f"out/shots/{self.store}/{self.size_class}/{self.locale}/{self.number:02d}-{self.shot.name}.png"


class Planner:
    """Turns a selection into jobs; collects every problem before a single picture is painted."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self.index = ScreenIndex(project)
        self.problems: list[Problem] = []
        self._sizes: dict[Path, tuple[int, int]] = {}
        self._looks: dict[tuple[str, str], Look] = {}
        self._setters: dict[str, Typesetter] = {}

    def jobs(self, selection: Selection) -> list[Job]:
        """Return all jobs in the order: store, size class, shot, locale. Raises ProjectError with all problems."""
        found: list[Job] = []
        for store, name, size_class in _places(self.project, selection):
            locales = self.project.pick("--locale", list(selection.locales), self.project.app.locales)
            for tag in [tag for tag in locales if tag in store.locales]:
                found += self._set(store, name, size_class, tag, selection.shots)
        if self.problems:
            raise ProjectError(self.problems)
        return sorted(found, key=lambda job: (job.store, job.size_class, job.number))

    def _set(self, store: Store, name: str, size_class: SizeClass, tag: str, shots: tuple[str, ...]) -> list[Job]:
        """Plan the whole set of a locale, so that its captions share one size; return the selected ones."""
        everything = self.project.shots.shot
        wanted = self.project.pick("--shot", list(shots), [shot.name for shot in everything])
        scenes = {shot.name: self._scene(name, size_class, tag, shot) for shot in everything}
        captions = self._captions(tag, {key: value for key, value in scenes.items() if value}, everything)
        jobs = []
        for number, shot in enumerate(everything, 1):
            found = scenes[shot.name]
            if shot.name not in wanted or not found:
                continue
            scene, look, screen = found
            palette = self._palette(shot)
            caption = captions.get(shot.name)
            block = self._block(caption, scene, look, palette) if caption else None
            _, caption_locale = self.project.caption(tag, shot)
            jobs.append(Job(store.id, name, tag, number, shot, screen, scene, look, palette, block, caption_locale))
        return jobs

    def _palette(self, shot: Shot) -> Palette:
        patch = shot.palette.model_dump(exclude_none=True)
        return self.project.palette.model_copy(update=patch)

    def _look(self, shot: Shot, form: str) -> Look:
        key = (shot.look or self.project.shots.look, form)
        if key not in self._looks:
            self._looks[key] = load_look(self.project.root, *key)
        return self._looks[key]

    def _setter(self, tag: str) -> Typesetter:
        if tag not in self._setters:
            self._setters[tag] = Typesetter(Fonts(self.project.root, tag), tag)
        return self._setters[tag]

    def _scene(self, name: str, size_class: SizeClass, tag: str, shot: Shot) -> tuple[Scene, Look, Screen] | None:
        screen = self.index.find(shot.screen, tag, name)
        if screen is None:
            # The source locale's screen would serve all locales, so that one message says it for all.
            shown = f"screens/{self.project.source_locale}/{name}/{shot.screen}.png"
            remedy = f"Add it, or a {size_class.form} screen of another size class."
            self.problems.append(Problem(shown, None, f"shot.{shot.name}", "is missing", remedy))
            return None
        if screen.path not in self._sizes:
            try:
                self._sizes[screen.path] = encode.screen_size(screen.path, self._shown(screen.path))
            except ProjectError as error:
                self.problems += error.problems
                return None
        width, height = self._sizes[screen.path]
        look = self._look(shot, size_class.form)
        finish = shot.frame or self.project.shots.frame
        scene = lay_out(look, size_class.size, size_class.form, finish, size_class.cutout, height / width)
        return scene, look, screen

    def _shown(self, path: Path) -> str:
        return path.relative_to(self.project.root).as_posix()

    def _captions(
        self, tag: str, scenes: dict[str, tuple[Scene, Look, Screen]], shots: list[Shot]
    ) -> dict[str, tuple[list[Run], int, str]]:
        """Return runs and size in pixels of every caption; the size is the largest at which all of them fit."""
        fitted: dict[str, tuple[list[Run], int, str]] = {}
        for shot in shots:
            text, locale = self.project.caption(tag, shot)
            if shot.name not in scenes or not text:
                continue
            scene, look, _ = scenes[shot.name]
            size = self._fit(text, locale, shot, scene, look)
            if size:
                fitted[shot.name] = (parse(text), size, locale)
        smallest = min((size for _, size, _ in fitted.values()), default=0)
        return {key: (runs, smallest, locale) for key, (runs, _, locale) in fitted.items()}

    def _fit(self, text: str, locale: str, shot: Shot, scene: Scene, look: Look) -> int | None:
        box = look.caption
        span = (round(box.min_size * scene.width), round(box.size * scene.width))
        style = Style(box.weight, argb("#000000"), argb("#000000"))
        place = (scene.caption.width, scene.caption.height)
        try:
            size = self._setter(locale).largest(parse(text), style, place, span, box.max_lines)
        except MarkupError as error:
            self._caption_problem(locale, shot, str(error), "Write \\* for a star that is meant as one.")
            return None
        except MissingCharactersError as error:
            message = f"has a character that no font has: {describe(error.characters)}"
            self._caption_problem(
                locale, shot, message, "Put a font that has it into art/fonts, or write it otherwise."
            )
            return None
        if size is None:
            message = f"is too long for the look {look.name}: it doesn't fit even at its smallest size"
            self._caption_problem(locale, shot, message, "Shorten it.")
        return size

    def _caption_problem(self, locale: str, shot: Shot, message: str, remedy: str) -> None:
        value = self.project.copy[locale].caption(shot.name)
        problem = Problem(value.source.shown, value.line, f"captions.{shot.name}", message, remedy)
        if problem not in self.problems:
            self.problems.append(problem)

    def _block(self, caption: tuple[list[Run], int, str], scene: Scene, look: Look, palette: Palette) -> Block:
        runs, size, locale = caption
        style = Style(look.caption.weight, argb(palette.ink), argb(palette.accent))
        return self._setter(locale).balanced(runs, style, size, scene.caption.width)


def _places(project: Project, selection: Selection) -> Iterator[tuple[Store, str, SizeClass]]:
    stores = project.pick("--store", list(selection.stores), list(project.stores))
    known = [name for store in stores for name in project.classes_of(project.stores[store])]
    names = project.pick("--device", list(selection.classes), list(dict.fromkeys(known)))
    for store_id in stores:
        store = project.stores[store_id]
        for name, size_class in project.classes_of(store).items():
            if name in names:
                yield store, name, size_class


class _Layers:
    """Remembers the layers made last."""

    def __init__(self, most: int) -> None:
        self.most = most
        self.held: dict[Any, paint.Pixels] = {}

    def get(self, key: Any, make: Callable[[], paint.Pixels]) -> paint.Pixels:
        """Return the layer of a key, made when it isn't held; the oldest one gives way."""
        if key not in self.held:
            while len(self.held) >= self.most:
                self.held.pop(next(iter(self.held)))
            self.held[key] = make()
        return self.held[key]


class Painter:
    """Paints jobs on several threads. Encoding and decoding run beside each other; Skia draws one picture at a time."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self._backdrops, self._bases = _Layers(2), _Layers(4)
        self._lock = threading.Lock()
        self._local = threading.local()

    def make(self, job: Job) -> Path:
        """Paint, encode and write one picture."""
        frame = job.scene.frame
        shown = job.screen.path.relative_to(self.project.root).as_posix()
        screen = encode.load_screen(job.screen.path, shown, frame.width, frame.height)
        base = self._base(job)
        pixels = self._buffer(base.shape)
        paint.paint_shot(pixels, base, frame, screen, job.caption, job.scene)
        target = self.project.root / job.file
        write_bytes(target, encode.png(pixels))
        return target

    def _base(self, job: Job) -> paint.Pixels:
        """Return the layers that neighbouring jobs share; only the last few are kept, so memory stays flat."""
        scene = (job.scene, job.look.name, job.palette.model_dump_json())
        mirrored = is_right_to_left(job.locale)
        with self._lock:
            backdrop = self._backdrops.get(scene, lambda: paint_backdrop(job.scene, job.look, job.palette))
            return self._bases.get((*scene, mirrored), lambda: paint.paint_base(backdrop, job.scene, mirrored))

    def _buffer(self, shape: tuple[int, ...]) -> paint.Pixels:
        held = getattr(self._local, "buffer", None)
        if held is None or held.shape != shape:
            held = self._local.buffer = np.empty(shape, np.uint8)
        return held


def worker_count() -> int:
    """Return how many threads to use: all cores, or what TAVOLAN_WORKERS says."""
    told = os.environ.get("TAVOLAN_WORKERS")
    if told and not told.isdecimal():
        raise UsageError(f'TAVOLAN_WORKERS is "{told}". Set it to a whole number, or to nothing for all cores.')
    return max(1, int(told) if told else os.cpu_count() or 1)


def render(project: Project, selection: Selection, progress: Progress | None = None) -> list[Path]:
    """Render the selected shots under `out/` and return their files in order.

    Raises ProjectError with every caption and screen that can't be used, before anything is painted; a screen that
    turns out damaged while painting is reported at the end, when all others are done.
    """
    jobs = Planner(project).jobs(selection)
    painter = Painter(project)
    problems: list[Problem] = []
    made: dict[int, Path] = {}
    with ThreadPoolExecutor(worker_count()) as pool:
        pending = {pool.submit(painter.make, job): number for number, job in enumerate(jobs)}
        try:
            for done, future in enumerate(as_completed(pending), 1):
                try:
                    made[pending[future]] = future.result()
                except ProjectError as error:
                    problems += error.problems
                if progress:
                    progress(done, len(jobs))
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    if problems:
        raise ProjectError(problems)
    return [made[number] for number in sorted(made)]
