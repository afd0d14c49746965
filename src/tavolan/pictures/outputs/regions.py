"""Say which part of a screen a shot enlarges, or where a showcase value stands, by what's shown there or by a box."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from tavolan.errors import UnknownNameError, UsageError
from tavolan.pictures.design.look import Shares, load_look
from tavolan.pictures.outputs.captures import rendered_classes
from tavolan.pictures.outputs.new_shots import shots_editor
from tavolan.pictures.raster.images import load_screen, screen_size
from tavolan.pictures.text.reading import TextOnScreen, places_of, read_screen
from tavolan.project.model import Project
from tavolan.project.schema import Picture
from tavolan.project.screens import Screen, ScreenIndex
from tavolan.project.toml_edit import TomlEditor, TomlValue

# A part to enlarge keeps air around the text, in heights of a line, and is at least so wide and high.
_AIR, _LEAST = 0.6, (0.4, 0.08)
# A text to replace keeps just enough for strokes that the reader left out.
_SEAM = 0.12
_DIGITS = 4


@dataclass(frozen=True)
class RegionOf:
    """What a region is for: the part that a shot enlarges, or what's done to its screen there.

    `value` names a showcase value to set there; `blur` makes it unreadable. With neither, it's the part to enlarge.
    """

    shot: str
    value: str = ""
    blur: bool = False

    @property
    def enlarged(self) -> bool:
        """Whether it's the part that a look enlarges."""
        return not self.value and not self.blur


@dataclass(frozen=True)
class FoundRegion:
    """A region on the screens of a size class; without a box, `read` has what was read there instead."""

    size_class: str
    box: Shares | None
    read: tuple[str, ...] = ()


@dataclass(frozen=True)
class ScreenOfClass:
    """The screen of a shot in a size class."""

    size_class: str
    form: str
    screen: Screen


def screens_of(project: Project, wanted: RegionOf, device: str = "", locale: str = "") -> list[ScreenOfClass]:
    """Return the screens that a shot has of its own: one for each size class, or for one.

    Raises UsageError for a shot, a size class or a showcase value that isn't there, and for a screen that isn't.
    """
    shot = _shot(project, wanted.shot)
    if wanted.value and not project.copy[project.source_locale].entry("showcase", wanted.value).written:
        raise UsageError(
            f'there is no showcase value "{wanted.value}"',
            f"Write it first: tavolan copy set {project.source_locale} showcase.{wanted.value} TEXT",
            option="--value",
        )
    rendered = rendered_classes(project)
    if device and device not in rendered:
        raise UnknownNameError("this project renders no", device, rendered, option="--device")
    index, found = ScreenIndex(project), []
    for name in [device] if device else rendered:
        screen = index.find(str(shot.screen), locale or project.source_locale, name)
        if screen and (screen.size_class == name or device):
            found.append(ScreenOfClass(name, project.forms[name], screen))
    if not found:
        raise UsageError(
            f'there is no screen "{shot.screen}" of {device or "a size class that is rendered"}',
            "Take it in first: tavolan shots take FILE",
        )
    return found


def read_regions(
    project: Project,
    wanted: RegionOf,
    screens: Sequence[ScreenOfClass],
    texts: Sequence[str],
    progress: Callable[[int, int], None],
) -> list[FoundRegion]:
    """Return where texts are on screens; one region spans all of them.

    Raises UsageError where a screen shows one in several places, and OutsideError where the reader isn't installed.
    """
    found = []
    for number, each in enumerate(screens):
        progress(number, len(screens))
        shown = each.screen.path.relative_to(project.root).as_posix()
        width, height = screen_size(each.screen.path, shown)
        lines = read_screen(load_screen(each.screen.path, shown, width, height))
        found.append(_spanned(wanted, each.size_class, texts, lines))
    progress(len(screens), len(screens))
    return found


def _spanned(wanted: RegionOf, size_class: str, texts: Sequence[str], lines: list[TextOnScreen]) -> FoundRegion:
    boxes = []
    for text in texts:
        places = places_of(text, lines)
        if len(places) > 1:
            asked = " or ".join(f"--box {box_words(_rounded(place))}" for place in places[:4])
            raise UsageError(
                f'"{text}" is on the screen of {size_class} in {len(places)} places',
                f"Name more of it, or give --device {size_class} {asked}.",
            )
        boxes += places
    if len(boxes) < len(texts):
        return FoundRegion(size_class, None, tuple(line.text for line in lines))
    left, top = min(box[0] for box in boxes), min(box[1] for box in boxes)
    right, bottom = max(box[0] + box[2] for box in boxes), max(box[1] + box[3] for box in boxes)
    line = min(box[3] for box in boxes)
    air = _AIR if wanted.enlarged else _SEAM
    least = _LEAST if wanted.enlarged else (0.0, 0.0)
    x, width = _stretched(left - air * line, right + air * line, least[0])
    y, height = _stretched(top - air * line, bottom + air * line, least[1])
    return FoundRegion(size_class, _rounded((x, y, width, height)))


def _stretched(start: float, end: float, least: float) -> tuple[float, float]:
    """Return where a stretch begins and how long it is: at least `least`, around the same middle, within the screen."""
    more = max(0.0, least - (end - start)) / 2
    start, end = start - more, end + more
    start, end = (0.0, end - start) if start < 0 else (start, end)
    start, end = (start - (end - 1), 1.0) if end > 1 else (start, end)
    return max(0.0, start), min(1.0, end) - max(0.0, start)


def _rounded(box: Shares) -> Shares:
    x, y, width, height = (round(share, _DIGITS) for share in box)
    return (x, y, round(min(width, 1 - x), _DIGITS), round(min(height, 1 - y), _DIGITS))


def box_words(box: Shares) -> str:
    """Return a box as `--box` takes it."""
    return ",".join(f"{share:g}" for share in box)


def box_of_words(text: str) -> Shares:
    """Return the box that `--box` gives: x, y, width, height as shares of the screen. Raises UsageError for another."""
    try:
        x, y, width, height = (float(part) for part in text.split(","))
    except ValueError:
        x = y = width = height = -1.0
    if not (0 <= x < 1 and 0 <= y < 1 and 0 < width <= 1 - x + 1e-6 and 0 < height <= 1 - y + 1e-6):
        remedy = "Give x,y,width,height as shares of the screen, as 0.05,0.2,0.9,0.3."
        raise UsageError(f'"{text}" is no box on a screen', remedy, option="--box")
    return _rounded((x, y, width, height))


def set_regions(
    project: Project, wanted: RegionOf, screens: Sequence[ScreenOfClass], found: Sequence[FoundRegion], device: str = ""
) -> None:
    """Write regions into `shots.toml`; with `device` only that of this size class.

    What's enlarged gets the first one for all screens, and one of its own for each size class that differs. What's
    done to a screen is a `[[retouch]]` for each form; one that's there for this screen gets the new region.
    """
    shot, editor = _shot(project, wanted.shot), shots_editor(project)
    by_class = {each.size_class: each.box for each in found if each.box}
    if wanted.enlarged:
        kind = "shot" if shot in project.shots.shot else "graphic"
        rest = dict(by_class)
        if shot.region is None or not device:
            common = next(iter(by_class.values()))
            editor.set_in(kind, {"name": shot.name}, ("region",), list(common))
            rest = {name: box for name, box in by_class.items() if box != common or name in shot.regions}
        for name, box in rest.items():
            editor.set_in(kind, {"name": shot.name}, ("regions", name), list(box))
    else:
        by_form = {each.form: by_class[each.size_class] for each in reversed(screens) if each.size_class in by_class}
        for form, box in reversed(by_form.items()):
            _set_retouch(project, editor, wanted, (str(shot.screen), form), box)
    editor.save()


def look_without_card(project: Project, name: str) -> str:
    """Return the look of a shot where it enlarges no part of the screen; "" where it does."""
    look = _shot(project, name).look or project.shots.look
    return "" if load_look(project.root, look).card else look


def _set_retouch(project: Project, editor: TomlEditor, wanted: RegionOf, place: tuple[str, str], box: Shares) -> None:
    screen, form = place
    does: dict[str, TomlValue] = {"text": wanted.value} if wanted.value else {"blur": True}
    where: dict[str, TomlValue] = {**does, "screens": [screen], "forms": [form]}
    for number, retouch in enumerate(project.shots.retouch, 1):
        here = screen in (retouch.screens or [screen]) and (not retouch.forms or form in retouch.forms)
        if not (wanted.value and retouch.text == wanted.value and here):
            continue
        if {*retouch.screens} != {screen} or {*retouch.forms} != {form}:
            raise UsageError(
                f"retouch {number} of shots.toml sets {wanted.value} on other screens or forms too",
                "Split it there, or change its region in the file.",
            )
        editor.set_in("retouch", where, ("region",), list(box))
        return
    editor.add_to("retouch", {"screens": [screen], "forms": [form], "region": list(box), **does})


def _shot(project: Project, name: str) -> Picture:
    pictures = [*project.shots.shot, *project.shots.graphic]
    for picture in pictures:
        if picture.name == name:
            return picture
    raise UnknownNameError("there is no shot", name, [picture.name for picture in pictures])
