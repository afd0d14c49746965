"""Make shots of captures: each screen that no shot shows yet becomes one, with a caption to write."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath

from tavolan.errors import UnknownNameError, UsageError, one_problem
from tavolan.pictures.design.look import look_names
from tavolan.pictures.outputs.captures import Taken, Taker
from tavolan.project.model import Project
from tavolan.project.schema import name_fault
from tavolan.project.screens import ScreenIndex
from tavolan.project.toml_edit import TomlEditor, TomlValue
from tavolan.support.number_words import counted

# What a shot of screens that lie on their side gets: words and device side by side, on a picture as wide.
_LOOK_OF_WIDE, _WIDE = "beside", "wide"


@dataclass(frozen=True)
class NewShot:
    """A shot to be: its name, which is its screen's too, whether its screens lie on their side, and its caption."""

    name: str
    wide: bool = False
    caption: str = ""


class ScreenTaker(Taker):
    """Takes captures in under their own names: the order of the shots says nothing about them."""

    by_order = False


def plan_new_shots(taker: Taker, files: list[Path], captions: Sequence[str]) -> tuple[list[Taken], list[NewShot]]:
    """Return what taking these captures would do, and the shots that they'd become, in the order of the files.

    `captions` has one for each new shot, or none. Raises UsageError for another number, and ProjectError for a
    capture that differs from the one of its name, or that can't be used.
    """
    planned = taker.plan(files, [])
    for taken in planned:
        _refuse_other_picture(taker, taken)
    known = {shot.screen for shot in taker.project.shots.shot}
    by_screen: dict[str, list[Taken]] = {}
    for taken in planned:
        by_screen.setdefault(PurePosixPath(taken.target).stem, []).append(taken)
    shots = [
        NewShot(screen, all(width > height for width, height in (taken.size for taken in group)))
        for screen, group in by_screen.items()
        if screen not in known
    ]
    if captions and len(captions) != len(shots):
        message = f"--caption is given {len(captions)} times for {counted(len(shots), 'new shot')}"
        raise UsageError(message, f"Give one for each, in this order: {', '.join(shot.name for shot in shots)}.")
    if captions:
        shots = [replace(shot, caption=text) for shot, text in zip(shots, captions, strict=True)]
    return planned, shots


def _refuse_other_picture(taker: Taker, taken: Taken) -> None:
    """Refuse a capture whose name another picture of the project has: it would become a second shot of one screen."""
    name = PurePosixPath(taken.target).stem.rpartition("-")[0]
    there = PurePosixPath(taken.target).with_name(f"{name}{taker.ending}")
    if taken.action == "numbered" and (taker.project.root / there).exists():
        remedy = f"Put it in its place with tavolan shots take {taken.source.name} --replace, or rename the file."
        raise one_problem(taken.source, None, "", f"shows something else than {there}", remedy)


def add_shots(project: Project, shots: Iterable[NewShot]) -> None:
    """Write shots behind those of `shots.toml`, and their captions into the source's texts, to be written where empty.

    A caption that's there stays.
    """
    editor, texts = _editor(project), _texts_of_source(project)
    for shot in shots:
        table: dict[str, TomlValue] = {"name": shot.name, "screen": shot.name}
        if shot.wide:
            table |= {"look": _LOOK_OF_WIDE, "turn": _WIDE}
        editor.add_to("shot", table)
        if not texts.get(("captions", shot.name)):
            texts.set(("captions", shot.name), shot.caption)
    editor.save()
    texts.save()


def add_shot(project: Project, name: str, screen: str, *, look: str = "", before: str = "") -> None:
    """Write one more shot of a screen that's there, behind all others or before one.

    Raises UsageError for a name that's taken or that can't be one, and for a screen, a look or a shot that isn't there.
    """
    if fault := name_fault(name):
        raise UsageError(*fault)
    screens = ScreenIndex(project).names()
    if screen not in screens:
        if not screens:
            raise UsageError(f'there is no screen "{screen}"', "Take it in first: tavolan shots new FILE")
        raise UnknownNameError("there is no screen", screen, screens)
    if look and look not in (looks := look_names(project.root)):
        raise UnknownNameError("there is no look", look, looks, option="--look")
    names = [shot.name for shot in project.shots.shot]
    if name in names:
        raise UsageError(f'there is a shot "{name}" already', "Give the new one another name.")
    if before and before not in names:
        raise UnknownNameError("there is no shot", before, names, option="--before")
    editor, texts = _editor(project), _texts_of_source(project)
    editor.add_to("shot", {"name": name, "screen": screen} | ({"look": look} if look else {}))
    if before:
        place = names.index(before)
        editor.order_tables("shot", [*names[:place], name, *names[place:]])
    if texts.get(("captions", name)) is None:
        texts.set(("captions", name), "")
    editor.save()
    texts.save()


def remove_shots(project: Project, names: Sequence[str]) -> None:
    """Take shots out of `shots.toml`; screens and captions stay. Raises UsageError for one that isn't there."""
    editor = _editor(project)
    for name in _known(project, names):
        editor.remove_from("shot", name)
    editor.save()


def order_shots(project: Project, names: Sequence[str]) -> list[str]:
    """Bring shots into an order, those that aren't named behind, as they were. Return the whole order.

    Raises UsageError for one that isn't there.
    """
    first = _known(project, names)
    order = [*first, *(shot.name for shot in project.shots.shot if shot.name not in first)]
    editor = _editor(project)
    editor.order_tables("shot", order)
    editor.save()
    return order


def _known(project: Project, names: Sequence[str]) -> list[str]:
    there = [shot.name for shot in project.shots.shot]
    for name in names:
        if name not in there:
            raise UnknownNameError("there is no shot", name, there)
    return list(dict.fromkeys(names))


def _editor(project: Project) -> TomlEditor:
    return TomlEditor(project.root / "shots.toml", "shots.toml")


def _texts_of_source(project: Project) -> TomlEditor:
    shown = f"copy/{project.source_locale}.toml"
    return TomlEditor(project.root / shown, shown)
