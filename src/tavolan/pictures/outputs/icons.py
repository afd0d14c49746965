"""The icon in every size that a store asks for, from one master, and what's wrong with that master."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tavolan.errors import Problem, ProjectError, one_problem
from tavolan.pictures.raster import images
from tavolan.project.icon_records import icon_file, note_icons
from tavolan.project.model import ICON, Project, Store
from tavolan.support.content_digest import digest_of_file
from tavolan.support.files import write_inside


@dataclass(frozen=True)
class Icon:
    """One icon file: where, its side in pixels, and whether it may be transparent."""

    store: str
    file: str
    side: int
    alpha: bool
    master: str


def plan_icons(project: Project, stores: tuple[str, ...] = ()) -> list[Icon]:
    """Return all icon files: each store's sizes, and for alternatives (art/icon-*.png) the scales that tests need."""
    found = []
    alternatives = sorted((project.root / "art").glob("icon-*.png"))
    for store_id in project.pick("--store", list(stores), list(project.stores)):
        graphic = project.stores[store_id].rulebook.graphics.get("icon")
        if graphic is None:
            continue
        for side in dict.fromkeys(width for width, _ in graphic.sizes):
            found.append(Icon(store_id, icon_file(store_id, side), side, bool(graphic.alpha), ICON))
        for path in alternatives:
            name, folder = path.stem.removeprefix("icon-"), f"out/icons/{store_id}/tests"
            found += alternative_icons(project.stores[store_id], f"art/{path.name}", name, folder)
    return found


def alternative_icons(store: Store, master: str, name: str, folder: str) -> list[Icon]:
    """Return an alternative icon in every scale that the store's tests need, else in the store's sizes."""
    graphic, tested = store.rulebook.graphics["icon"], store.rulebook.graphics.get("alternate_icon")
    sides = sorted(width for width, _ in (tested or graphic).sizes)
    found = []
    for side in sides:
        times = side // sides[0]
        suffix = ("" if times == 1 else f"@{times}x") if tested else f"-{side}"
        found.append(Icon(store.id, f"{folder}/{name}{suffix}.png", side, bool(graphic.alpha), master))
    return found


def make_icons(project: Project, icons: list[Icon]) -> list[Path]:
    """Write icon files. Raises ProjectError with everything that's wrong with their masters, before any is written."""
    problems: list[Problem] = []
    masters: dict[str, Any] = {}
    for icon in icons:
        if icon.master not in masters:
            try:
                masters[icon.master] = _master(project.root / icon.master, icon.master)
            except ProjectError as error:
                masters[icon.master] = None
                problems += error.problems
        image = masters[icon.master]
        if image is not None:
            problems += _faults(image, icon, [problem.path + problem.where + problem.message for problem in problems])
    if problems:
        raise ProjectError(problems)
    files = []
    for icon in icons:
        write_inside(project.root, icon.file, _packed(masters[icon.master], icon))
        files.append(project.root / icon.file)
    note_icons(project.root, {icon.file: digest_of_file(project.root / icon.master, icon.master) for icon in icons})
    return files


def _master(path: Path, shown: str) -> Any:
    if not path.is_file():
        raise one_problem(shown, None, "", "is missing", "Put the icon there: a square PNG of 1024 pixels or more.")
    return images.load_whole(path, shown)


def _faults(image: Any, icon: Icon, known: list[str]) -> list[Problem]:
    """Return what's wrong with a master for one icon file."""
    found = []
    if image.width != image.height:
        found.append((f"is {image.width}×{image.height}, not square", "Make it square."))
    elif image.width < icon.side:
        found.append((f"is {image.width} pixels wide, and {icon.store} needs {icon.side}", "Make it larger."))
    if image.hasalpha() and not icon.alpha:
        corners = [(0, 0), (image.width - 1, 0), (0, image.height - 1), (image.width - 1, image.height - 1)]
        clear = sum(image.getpoint(x, y)[-1] < 255 for x, y in corners)
        least = image[image.bands - 1].min()
        if clear:
            found.append(
                (
                    f"has {clear} transparent corners, and {icon.store} rounds them itself",
                    "Fill it to all four corners.",
                )
            )
        elif least < 255:
            found.append((f"is transparent in places, and {icon.store} takes none of that", "Fill its ground."))
    return [
        Problem(icon.master, None, icon.store, message, remedy)
        for message, remedy in found
        if icon.master + icon.store + message not in known
    ]


def _packed(image: Any, icon: Icon) -> bytes:
    small = image.thumbnail_image(icon.side, height=icon.side, size="force") if image.width != icon.side else image
    if small.hasalpha() and not icon.alpha:
        small = small.flatten()
    elif icon.alpha and not small.hasalpha():
        # 32 bit, as stores that allow transparency ask for it.
        small = small.addalpha()
    data: bytes = small.cast("uchar").pngsave_buffer(compression=9, keep="none")
    return data
