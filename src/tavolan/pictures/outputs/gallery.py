"""Show looks side by side: each with the project's own shots, drawn small, on one sheet."""

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from tavolan.pictures.design.colour import argb
from tavolan.pictures.design.look import load_look, look_names
from tavolan.pictures.making.job import Job
from tavolan.pictures.making.painter import Painter
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.raster.backends import skia
from tavolan.pictures.raster.canvas import Pixels, blank, canvas_on, image_of
from tavolan.pictures.raster.images import shrunk
from tavolan.pictures.text.fonts import Fonts
from tavolan.pictures.text.typeset import Style, Typesetter
from tavolan.project.model import Project
from tavolan.project.schema import PalettePatch

_GROUND, _INK, _MUTED = "#F3F1EE", "#221D1A", "#6F665F"
_GAP, _MARGIN, _HEAD, _LABEL = 26, 44, 30, 74


def gallery_jobs(project: Project, look: str, selection: Selection, count: int) -> list[Job]:
    """Return jobs of the first `count` shots of a project, as they'd be in another look, in its main colours."""
    plain = {"look": look, "palette": PalettePatch(), "frame": None}
    shots = [shot.model_copy(update=plain) for shot in project.shots.shot]
    changed = replace(project, shots=project.shots.model_copy(update={"shot": shots, "graphic": []}))
    jobs = Planner(changed).jobs(selection)
    return [job for job in jobs if job.target.number <= count]


def draw_gallery(
    project: Project,
    selection: Selection,
    looks: list[str] | None = None,
    count: int = 2,
    height: int = 400,
    columns: int = 0,
    progress: Callable[[int, int], None] | None = None,
) -> Pixels:
    """Return a sheet of looks, each with the first shots of one size class, as BGRA.

    `height` of a picture is in pixels.
    """
    names = looks or [name for name in look_names(project.root) if load_look(project.root, name).use == "shot"]
    painter = Painter(project.root)
    shown: list[tuple[str, list[Pixels]]] = []
    for done, name in enumerate(names, 1):
        jobs = gallery_jobs(project, name, selection, count)
        # In the order in which visitors see them: from right to left where that's how they read.
        jobs = jobs[::-1] if jobs and jobs[0].setting.mirrored else jobs
        pictures = [shrunk(painter.paint(job)[0], height) for job in jobs]
        shown.append((name, pictures))
        if progress:
            progress(done, len(names))
    return _sheet(project.root, shown, height, columns)


def _sheet(root: Path, shown: list[tuple[str, list[Pixels]]], height: int, columns: int) -> Pixels:
    # Pictures of one look touch, so that what runs on from one to the next is seen to.
    widths = [sum(picture.shape[1] for picture in pictures) + 6 * (len(pictures) - 1) for _, pictures in shown]
    cell = max(widths)
    row = height + _LABEL + _HEAD
    columns = columns or max(1, round(math.sqrt(len(shown) * row * 1.6 / (cell + _GAP))))
    rows = math.ceil(len(shown) / columns)
    sheet = blank(rows * row + 2 * _MARGIN - _HEAD, columns * (cell + _GAP) - _GAP + 2 * _MARGIN)
    canvas, _surface = canvas_on(sheet)
    canvas.clear(argb(_GROUND))
    setter = Typesetter(Fonts(None, "en"), "en")
    for index, (name, pictures) in enumerate(shown):
        x, y = _MARGIN + index % columns * (cell + _GAP), _MARGIN + index // columns * row
        what = load_look(root, name).what
        setter.label(name, Style(720, argb(_INK), 0, "start"), 22, cell).paint(canvas, x, y - 4)
        setter.label(what, Style(450, argb(_MUTED), 0, "start"), 13, cell).paint(canvas, x, y + 26)
        for picture in pictures:
            canvas.drawImage(image_of(picture), x, y + _LABEL)
            line = skia().Paint(Style=skia().Paint.kStroke_Style, Color=argb("#000000", 0.12))
            canvas.drawRect(skia().Rect.MakeXYWH(x, y + _LABEL, picture.shape[1], height), line)
            x += picture.shape[1] + 6
    return sheet
