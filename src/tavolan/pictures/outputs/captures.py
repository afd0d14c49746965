"""Take raw captures into a project: find out what they are, name them, never lose one."""

import math
import re
from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import Problem, ProjectError, UnknownNameError, UsageError, one_problem
from tavolan.pictures.outputs.capture_names import read_name
from tavolan.pictures.raster import images, png
from tavolan.pictures.raster.canvas import Pixels
from tavolan.project.model import Project
from tavolan.project.schema import name_fault
from tavolan.project.screens import ScreenIndex
from tavolan.support.files import read_bytes, write_inside

# What captures' names end with.
ENDINGS = (".png", ".jpg", ".jpeg", ".heic", ".webp")
# Proportions that differ by no more than this are the same but for rounding.
_SAME = 0.004
# Sizes of a class whose proportions fit a capture about as well: the first one listed is meant.
_ALIKE = 0.01
# A capture may be cropped to a class whose proportions differ by no more than this.
_NEAR = 0.12
_NAME_ONE = "Name the one that's meant: --device CLASS."


# Asks which of several size classes a capture is of: what's said of it, and the classes. "" when nobody can be asked.
Ask = Callable[[str, list[str]], str]


@dataclass(frozen=True)
class Taken:
    """One capture and what becomes of it. `action` is taken, numbered, replaced or known; `cropped` in pixels.

    `by_order` says that nothing but its place among the files gave it its name.
    """

    source: Path
    target: str
    size_class: str
    size: tuple[int, int]
    action: str
    locale: str
    cropped: tuple[int, int] | None = None
    earlier: str = ""
    by_order: bool = False


def require_name_each(files: list[Path], names: list[str]) -> None:
    """Raise UsageError where there are names, but not one for each file."""
    if names and len(names) != len(files):
        message = f"--name is given {len(names)} times for {len(files)} files"
        raise UsageError(message, "Give one per file, or none.")


class Taker:
    """Plans and takes captures: of one locale, or of the locales that their names say.

    What's particular to pictures is in a few methods, which taking clips in overrides.
    """

    # Where they go, and what their files' names end with there.
    folder, ending = "screens", ".png"
    # Whether the order of the shots decides where a file's name says nothing.
    by_order = True

    def __init__(
        self,
        project: Project,
        locale: str | None = None,
        size_class: str = "",
        crop: bool = False,
        replace: bool = False,
        ask: Ask | None = None,
    ) -> None:
        if locale and locale not in project.app.locales:
            raise UnknownNameError("this project has no", locale, project.app.locales, option="--locale")
        self.project, self.locale, self.crop, self.replace = project, locale, crop, replace
        self._ask = ask or (lambda _said, _classes: "")
        self._all = self._sizes_of_classes()
        if size_class and size_class not in self._all:
            raise UsageError(
                f'no store here has "{size_class}"', f"Known here: {', '.join(sorted(self._all))}.", option="--device"
            )
        self.wanted = size_class
        self.screens = self.names_wanted()
        self._claimed: set[str] = set()

    def plan(self, files: list[Path], names: list[str]) -> list[Taken]:
        """Return what taking these files would do. Raises ProjectError with every file that doesn't fit.

        `names` has one for each file, or none; UsageError for any other number, and for what can't be a name.
        A file's name decides when it's a screen's name, also one with a number, a locale or a size class in it; else
        the order of the shots does, and without shots the file's own name.
        """
        require_name_each(files, names)
        if fault := next((fault for name in names if (fault := name_fault(name))), None):
            raise UsageError(*fault, option="--name")
        problems: list[Problem] = []
        planned: list[Taken] = []
        for number, file in enumerate(files):
            try:
                planned.append(self._planned(file, names[number] if number < len(names) else ""))
            except ProjectError as error:
                problems += error.problems
        if problems:
            raise ProjectError(problems)
        return planned

    def _planned(self, file: Path, given: str) -> Taken:
        size = self.size_of(file)
        said = read_name(file, self.screens, self.project.app.locales, self._all)
        if self.locale and said.locale not in ("", self.locale):
            message = f"says {said.locale} in its name, and --locale says {self.locale}"
            raise one_problem(file, None, "", message, "Leave --locale out, or rename the file.")
        tag = self.locale or said.locale or self.project.source_locale
        # A file's name may mean a class only where the size has its proportions.
        fits = any(_off(size, other) <= _SAME for other in self._all.get(said.size_class, ()))
        meant = self.wanted or (said.size_class if fits else "")
        name_class, cropped = self._class_of(file, size, meant)
        name = given or said.screen
        by_order = not name and bool(self.screens) and self.by_order
        if by_order and not cropped and (there := self._twin(file, tag, name_class)):
            return Taken(file, there, name_class, size, "known", tag)
        if by_order:
            name = self._next_name(tag, name_class)
        elif not name:
            name = re.sub(r"[^a-z0-9]+", "-", said.rest).strip("-") or self._next_name(tag, name_class)
        return self._one(file, tag, name, name_class, cropped or size, cropped, by_order)

    def names_wanted(self) -> list[str]:
        """Return the names that captures are wanted for, in order."""
        shots = self.project.shots.shot
        return list(dict.fromkeys([*(s.screen for s in shots), *(s.second for s in shots if s.second)]))

    def size_of(self, file: Path) -> tuple[int, int]:
        """Return a capture's size in pixels, upright. Raises ProjectError for a file that's none."""
        return images.screen_size(file, str(file))

    def same(self, one: Path, other: Path) -> bool:
        """Whether two files show the same."""
        return _same_pixels(one, other)

    def take(self, taken: Taken) -> None:
        """Write one capture: upright, in sRGB, without alpha, its pixels untouched otherwise."""
        if taken.action == "known":
            return
        root = self.project.root
        if taken.earlier:
            write_inside(root, taken.earlier, read_bytes(root / taken.target, taken.target))
        write_inside(root, taken.target, png.write(self._pixels(taken), png.TIGHT))

    def _pixels(self, taken: Taken) -> Pixels:
        width, height = images.screen_size(taken.source, str(taken.source))
        if not taken.cropped:
            return images.load_screen(taken.source, str(taken.source), width, height)
        wide, high = taken.cropped
        region = ((width - wide) / 2 / width, (height - high) / 2 / height, wide / width, high / height)
        return images.load_screen(taken.source, str(taken.source), wide, high, region)

    def _class_of(self, file: Path, size: tuple[int, int], meant: str) -> tuple[str, tuple[int, int] | None]:
        """Return the size class of a capture, and the size to crop it to, if it must be.

        `meant` is the class that the user or the file's name gives, or "".
        Of the classes that the project renders, one alone must have this size, or these proportions: else somebody
        must say which one is meant.
        """
        own = (
            {meant} if meant else {n for store in self.project.stores.values() for n in self.project.classes_of(store)}
        )
        exact = [name for name, sizes in self._all.items() if size in sizes and (not meant or name == meant)]
        mine = [name for name in exact if name in own]
        off = {name: min(_off(size, other) for other in self._all[name]) for name in own}
        if not mine and not exact:
            mine = [name for name in own if off[name] <= _SAME]
        if len(mine) == 1:
            return mine[0], None
        if mine or exact:
            return self._asked(file, size, sorted(mine or exact), rendered=bool(mine)), None
        if not off:
            raise one_problem(file, None, "", "has no size class to go to: this project renders none", _NAME_ONE)
        return self.cropped_to(file, size, min(off, key=lambda name: (off[name], _apart(size, self._all[name][0]))))

    def _asked(self, file: Path, size: tuple[int, int], classes: list[str], rendered: bool) -> str:
        """Return the class that somebody names. Raises ProjectError when nobody can be asked."""
        why = "which are all rendered here" if rendered else "which this project doesn't render"
        said = f"is {size[0]}×{size[1]}, a size of {', '.join(classes)}, {why}"
        if answer := self._ask(f"{file.name} {said}. Which one is it?", classes):
            return answer
        raise one_problem(file, None, "", said, _NAME_ONE)

    def cropped_to(self, file: Path, size: tuple[int, int], best: str) -> tuple[str, tuple[int, int] | None]:
        """Return the class nearest to a capture that fits none, and the size to crop it to. Raises ProjectError."""
        sizes = self._all[best]
        off = min(_off(size, other) for other in sizes)
        target = next(other for other in sizes if _off(size, other) <= off + _ALIKE)
        nearest_class = f"{best} ({target[0]}×{target[1]})"
        said = f"is {size[0]}×{size[1]}, the proportions of no size class here; {nearest_class} is nearest"
        if off > _NEAR:
            raise one_problem(file, None, "", said, "Capture it on another device, or name one with --device.")
        if not self.crop:
            raise one_problem(file, None, "", said, "Crop it to those proportions with --crop.")
        return best, _cropped(size, target)

    def _sizes_of_classes(self) -> dict[str, list[tuple[int, int]]]:
        """Return the sizes of every class of the project's stores, also turned where a store takes both."""
        found: dict[str, list[tuple[int, int]]] = {}
        for store in self.project.stores.values():
            for name, size_class in store.rulebook.classes.items():
                sizes = [*size_class.sizes, *((h, w) for w, h in size_class.sizes if size_class.turn == "both")]
                known = found.setdefault(name, [])
                known += [size for size in sizes if size not in known]
        return found

    def _next_name(self, tag: str, size_class: str) -> str:
        """Return the first shot's screen that this locale and class lack, or a number behind all of them."""
        for screen in self.screens:
            if not self._taken(tag, size_class, screen):
                return screen
        number = 1
        noun = self.folder.removesuffix("s")
        while self._taken(tag, size_class, f"{noun}-{number}"):
            number += 1
        return f"{noun}-{number}"

    def _twin(self, file: Path, tag: str, size_class: str) -> str:
        """Return the screen of this locale and class that shows the very same pixels, if there is one."""
        folder = self.project.root / self.folder / tag / size_class
        same = (path for path in sorted(folder.glob(f"*{self.ending}")) if self.same(file, path))
        found = next(same, None)
        return found.relative_to(self.project.root).as_posix() if found else ""

    def _path(self, tag: str, size_class: str, name: str) -> str:
        return f"{self.folder}/{tag}/{size_class}/{name}{self.ending}"

    def _taken(self, tag: str, size_class: str, name: str) -> bool:
        path = self._path(tag, size_class, name)
        return path in self._claimed or (self.project.root / path).exists()

    def _one(
        self,
        file: Path,
        tag: str,
        name: str,
        size_class: str,
        size: tuple[int, int],
        cropped: tuple[int, int] | None,
        by_order: bool,
    ) -> Taken:
        path, action, earlier = self._path(tag, size_class, name), "taken", ""
        if self._taken(tag, size_class, name):
            existing = self.project.root / path
            if existing.exists() and not cropped and self.same(file, existing):
                return Taken(file, path, size_class, size, "known", tag)
            if self.replace and existing.exists() and path not in self._claimed:
                action, earlier = "replaced", self._earlier(tag, size_class, name)
            else:
                action, path = "numbered", self._numbered(tag, size_class, name)
        self._claimed.add(path)
        return Taken(file, path, size_class, size, action, tag, cropped, earlier, by_order)

    def _numbered(self, tag: str, size_class: str, name: str) -> str:
        number = 2
        while self._taken(tag, size_class, f"{name}-{number}"):
            number += 1
        return self._path(tag, size_class, f"{name}-{number}")

    def _earlier(self, tag: str, size_class: str, name: str) -> str:
        folder, number = f"{self.folder}/{tag}/{size_class}/earlier", 1
        while (self.project.root / f"{folder}/{name}-{number}{self.ending}").exists():
            number += 1
        return f"{folder}/{name}-{number}{self.ending}"


def captures_in(paths: Iterable[Path], endings: Collection[str] = ENDINGS) -> list[Path]:
    """Return the captures among files and in folders, those of a folder in the order of their names: 2 before 10.

    Raises UsageError for a folder that has none.
    """
    found: list[Path] = []
    for path in paths:
        if not path.is_dir():
            found.append(path)
            continue
        inside = [file for file in path.iterdir() if file.is_file() and file.suffix.lower() in endings]
        inside = [file for file in inside if not file.name.startswith(".")]
        if not inside:
            raise UsageError(f"{path} has no captures", f"Their names end with {', '.join(endings)}.")
        found += sorted(inside, key=_as_people_sort)
    return found


def _as_people_sort(file: Path) -> list[tuple[int, int, str]]:
    """Return what sorts names as people do: numbers in them by their size."""
    parts = re.split(r"(\d+)", file.name.casefold())
    return [(0, int(part), "") if part.isdecimal() else (1, 0, part) for part in parts if part]


def rendered_classes(project: Project) -> list[str]:
    """Return the size classes that a project renders, each once."""
    return list(dict.fromkeys(name for store in project.stores.values() for name in project.classes_of(store)))


def missing_screens(project: Project, locale: str) -> dict[str, list[str]]:
    """Return, per size class to be rendered, the screens of the shots that a locale has no capture of its own for."""
    index = ScreenIndex(project)
    missing = {}
    for name in rendered_classes(project):
        wanted = dict.fromkeys(shot.screen for shot in project.shots_for(name))
        found = {screen: index.find(screen, locale, name) for screen in wanted}
        lacking = [screen for screen, use in found.items() if use is None or not use.exact]
        if lacking:
            missing[name] = lacking
    return missing


def _apart(one: tuple[int, int], other: tuple[int, int]) -> float:
    """Return how far two sizes' areas are apart, as a logarithm."""
    return abs(math.log((one[0] * one[1]) / (other[0] * other[1])))


def _off(one: tuple[int, int], other: tuple[int, int]) -> float:
    return abs(math.log((one[1] / one[0]) / (other[1] / other[0])))


def _cropped(size: tuple[int, int], target: tuple[int, int]) -> tuple[int, int]:
    """Return the largest size of the target's proportions within a capture."""
    scale = min(size[0] / target[0], size[1] / target[1])
    return max(1, round(target[0] * scale)), max(1, round(target[1] * scale))


def _same_pixels(one: Path, other: Path) -> bool:
    size = images.screen_size(one, str(one))
    if size != images.screen_size(other, str(other)):
        return False
    left, right = (images.load_screen(path, str(path), *size) for path in (one, other))
    return bool((left == right).all())
