"""Take raw captures into a project: find out what they are, name them, never lose one."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import Problem, ProjectError, UsageError
from tavolan.files import write_bytes
from tavolan.pictures import encode, png
from tavolan.pictures.canvas import Pixels
from tavolan.project.model import Project
from tavolan.project.screens import ScreenIndex

# Proportions that differ by no more than this are the same but for rounding.
_SAME = 0.004
# Classes whose proportions fit about as well: the project's own goes first, then the one nearest in size.
_ALIKE = 0.01
# A capture may be cropped to a class whose proportions differ by no more than this.
_NEAR = 0.12


@dataclass(frozen=True)
class Taken:
    """One capture and what becomes of it. `action` is taken, numbered, replaced or known; `cropped` in pixels."""

    source: Path
    target: str
    size_class: str
    size: tuple[int, int]
    action: str
    cropped: tuple[int, int] | None = None
    earlier: str = ""


class Taker:
    """Plans and takes captures for one locale."""

    def __init__(self, project: Project, locale: str, size_class: str = "", crop: bool = False, replace: bool = False):
        if locale not in project.app.locales:
            raise UsageError(f'--locale: this project has no "{locale}". Known here: {", ".join(project.app.locales)}.')
        self.project, self.locale, self.crop, self.replace = project, locale, crop, replace
        known = {name for store in project.stores.values() for name in store.rulebook.classes}
        if size_class and size_class not in known:
            raise UsageError(f'--device: no store here has "{size_class}". Known here: {", ".join(sorted(known))}.')
        self.wanted = size_class
        self._claimed: set[str] = set()

    def plan(self, files: list[Path], names: list[str]) -> list[Taken]:
        """Return what taking these files would do. Raises ProjectError with every file that doesn't fit."""
        problems: list[Problem] = []
        planned: list[Taken] = []
        for number, file in enumerate(files):
            try:
                size = encode.screen_size(file, str(file))
                name_class, cropped = self._class_of(file, size)
                there = "" if names or cropped else self._twin(file, name_class)
                if there:
                    planned.append(Taken(file, there, name_class, size, "known"))
                    continue
                name = names[number] if number < len(names) else self._next_name(name_class)
                planned.append(self._one(file, name, name_class, cropped or size, cropped))
            except ProjectError as error:
                problems += error.problems
        if problems:
            raise ProjectError(problems)
        return planned

    def take(self, taken: Taken) -> None:
        """Write one capture: upright, in sRGB, without alpha, its pixels untouched otherwise."""
        if taken.action == "known":
            return
        root = self.project.root
        if taken.earlier:
            kept = root / taken.earlier
            kept.parent.mkdir(parents=True, exist_ok=True)
            (root / taken.target).rename(kept)
        write_bytes(root / taken.target, png.write(self._pixels(taken), png.TIGHT))

    def _pixels(self, taken: Taken) -> Pixels:
        width, height = encode.screen_size(taken.source, str(taken.source))
        if not taken.cropped:
            return encode.load_screen(taken.source, str(taken.source), width, height)
        wide, high = taken.cropped
        region = ((width - wide) / 2 / width, (height - high) / 2 / height, wide / width, high / height)
        return encode.load_screen(taken.source, str(taken.source), wide, high, region)

    def _class_of(self, file: Path, size: tuple[int, int]) -> tuple[str, tuple[int, int] | None]:
        """Return the size class of a capture, and the size to crop it to, if it must be."""
        classes = self._classes()
        exact = [name for name, sizes in classes.items() if size in sizes]
        if exact:
            return exact[0], None
        off = {name: min(_off(size, other) for other in sizes) for name, sizes in classes.items()}
        own = {name for store in self.project.stores.values() for name in self.project.classes_of(store)}
        near = [name for name in off if off[name] <= min(off.values()) + _ALIKE]
        best = min(near, key=lambda name: (name not in own, abs(math.log(_area(size) / _area(classes[name][0])))))
        if off[best] <= _SAME:
            return best, None
        target = next(other for other in classes[best] if _off(size, other) <= off[best] + _ALIKE)
        nearest = f"{best} ({target[0]}×{target[1]})"
        said = f"is {size[0]}×{size[1]}, the proportions of no size class here; {nearest} is nearest"
        if off[best] > _NEAR:
            raise ProjectError(
                [Problem(str(file), None, "", said, "Capture it on another device, or name one with --device.")]
            )
        if not self.crop:
            raise ProjectError([Problem(str(file), None, "", said, "Crop it to those proportions with --crop.")])
        return best, _cropped(size, target)

    def _classes(self) -> dict[str, list[tuple[int, int]]]:
        """Return the sizes of every class, also turned where a store takes both; the project's own classes first."""
        chosen: dict[str, list[tuple[int, int]]] = {}
        others: dict[str, list[tuple[int, int]]] = {}
        for store in self.project.stores.values():
            own = self.project.classes_of(store)
            for name, size_class in store.rulebook.classes.items():
                sizes = [*size_class.sizes, *((h, w) for w, h in size_class.sizes if size_class.turn == "both")]
                (chosen if name in own else others).setdefault(name, sizes)
        both = {**chosen, **{name: sizes for name, sizes in others.items() if name not in chosen}}
        return {self.wanted: both[self.wanted]} if self.wanted else both

    def _next_name(self, size_class: str) -> str:
        """Return the first shot's screen that this locale and class lack, or a number behind all of them."""
        for shot in self.project.shots.shot:
            if not self._taken(size_class, shot.screen):
                return shot.screen
        number = 1
        while self._taken(size_class, f"screen-{number}"):
            number += 1
        return f"screen-{number}"

    def _twin(self, file: Path, size_class: str) -> str:
        """Return the screen of this locale and class that shows the very same pixels, if there is one."""
        folder = self.project.root / "screens" / self.locale / size_class
        same = (path for path in sorted(folder.glob("*.png")) if _same_pixels(file, path))
        found = next(same, None)
        return found.relative_to(self.project.root).as_posix() if found else ""

    def _path(self, size_class: str, name: str) -> str:
        return f"screens/{self.locale}/{size_class}/{name}.png"

    def _taken(self, size_class: str, name: str) -> bool:
        path = self._path(size_class, name)
        return path in self._claimed or (self.project.root / path).exists()

    def _one(
        self, file: Path, name: str, size_class: str, size: tuple[int, int], cropped: tuple[int, int] | None
    ) -> Taken:
        path, action, earlier = self._path(size_class, name), "taken", ""
        if self._taken(size_class, name):
            existing = self.project.root / path
            if existing.exists() and not cropped and _same_pixels(file, existing):
                return Taken(file, path, size_class, size, "known")
            if self.replace and existing.exists():
                action, earlier = "replaced", self._earlier(size_class, name)
            else:
                action, path = "numbered", self._numbered(size_class, name)
        self._claimed.add(path)
        return Taken(file, path, size_class, size, action, cropped, earlier)

    def _numbered(self, size_class: str, name: str) -> str:
        number = 2
        while self._taken(size_class, f"{name}-{number}"):
            number += 1
        return self._path(size_class, f"{name}-{number}")

    def _earlier(self, size_class: str, name: str) -> str:
        number = 1
        while (self.project.root / f"screens/{self.locale}/{size_class}/earlier/{name}-{number}.png").exists():
            number += 1
        return f"screens/{self.locale}/{size_class}/earlier/{name}-{number}.png"


def missing_screens(project: Project, locale: str) -> dict[str, list[str]]:
    """Return, per size class to be rendered, the screens of the shots that a locale has no capture of its own for."""
    index = ScreenIndex(project)
    wanted = list(dict.fromkeys(shot.screen for shot in project.shots.shot))
    names = dict.fromkeys(name for store in project.stores.values() for name in project.classes_of(store))
    missing = {}
    for name in names:
        found = {screen: index.find(screen, locale, name) for screen in wanted}
        lacking = [screen for screen, use in found.items() if use is None or not use.exact]
        if lacking:
            missing[name] = lacking
    return missing


def _area(size: tuple[int, int]) -> int:
    return size[0] * size[1]


def _off(one: tuple[int, int], other: tuple[int, int]) -> float:
    return abs(math.log((one[1] / one[0]) / (other[1] / other[0])))


def _cropped(size: tuple[int, int], target: tuple[int, int]) -> tuple[int, int]:
    """Return the largest size of the target's proportions within a capture."""
    scale = min(size[0] / target[0], size[1] / target[1])
    return max(1, round(target[0] * scale)), max(1, round(target[1] * scale))


def _same_pixels(one: Path, other: Path) -> bool:
    size = encode.screen_size(one, str(one))
    if size != encode.screen_size(other, str(other)):
        return False
    left, right = (encode.load_screen(path, str(path), *size) for path in (one, other))
    return bool((left == right).all())
