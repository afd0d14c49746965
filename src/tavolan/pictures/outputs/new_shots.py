"""Make shots of captures: each screen that no shot shows yet becomes one, with a caption to write."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath

from tavolan.errors import UsageError, one_problem
from tavolan.pictures.outputs.captures import Taken, Taker
from tavolan.project.model import Project
from tavolan.project.toml_edit import TomlEditor, TomlValue
from tavolan.support.number_words import counted

# What a shot of screens that lie on their side gets: words and device side by side, on a picture as wide.
LOOK_OF_WIDE, _WIDE = "beside", "wide"


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
    editor, texts = shots_editor(project), source_editor(project)
    for shot in shots:
        table: dict[str, TomlValue] = {"name": shot.name, "screen": shot.name}
        if shot.wide:
            table |= {"look": LOOK_OF_WIDE, "turn": _WIDE}
        editor.add_to("shot", table)
        if not texts.get(("captions", shot.name)):
            texts.set(("captions", shot.name), shot.caption)
    editor.save()
    texts.save()


def shots_editor(project: Project) -> TomlEditor:
    """Return an editor of `shots.toml`."""
    return TomlEditor(project.root / "shots.toml", "shots.toml")


def source_editor(project: Project) -> TomlEditor:
    """Return an editor of the texts that were written first."""
    shown = f"copy/{project.source_locale}.toml"
    return TomlEditor(project.root / shown, shown)
