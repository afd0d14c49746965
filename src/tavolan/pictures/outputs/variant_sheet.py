"""A sheet of an experiment: the present page above, a row for each variant, what differs marked."""

from dataclasses import dataclass
from pathlib import Path

from tavolan.pictures.making.thumbnails import thumbs
from tavolan.pictures.outputs.sheet_paper import INK, MUTED, SheetPaper
from tavolan.pictures.raster import png

_THUMB, _GAP, _LABEL, _HEAD, _MARGIN, _FOOT = 190, 16, 200, 130, 48, 46
_NEW = "#0B5D4E"


@dataclass(frozen=True)
class SheetRow:
    """A row: its name and a remark, its pictures in order (None: not rendered), and a mark for what's other in each."""

    name: str
    remark: str
    pictures: list[Path | None]
    marks: list[str]


def draw_variants(root: Path, title: str, remark: str, rows: list[SheetRow], size: tuple[int, int]) -> bytes:
    """Return a PNG of all rows; `size` is that of the pictures in pixels."""
    height = round(_THUMB * size[1] / size[0])
    columns = max(len(row.pictures) for row in rows)
    width = max(1280, 2 * _MARGIN + _LABEL + columns * (_THUMB + _GAP))
    paper = SheetPaper(width, _HEAD + len(rows) * (height + _FOOT) + _MARGIN)
    small = thumbs(root, [path for row in rows for path in row.pictures if path])
    paper.text(title, _MARGIN, 46, 32, 700, INK, width - 2 * _MARGIN)
    paper.text(remark, _MARGIN, 88, 19, 450, MUTED, width - 2 * _MARGIN)
    for number, row in enumerate(rows):
        y = _HEAD + number * (height + _FOOT)
        paper.text(row.name, _MARGIN, y + 20, 24, 700, INK, _LABEL - 16)
        words = row.remark or f"{sum(map(bool, row.marks))} of {len(row.pictures)} places differ"
        paper.text(words, _MARGIN, y + 50, 15, 450, MUTED, _LABEL - 16)
        for place, (path, mark) in enumerate(zip(row.pictures, row.marks, strict=True)):
            x = _MARGIN + _LABEL + place * (_THUMB + _GAP)
            paper.picture(small[path] if path else None, x, y, _THUMB, height)
            if mark:
                paper.text(mark, x, y + height + 17, 14.5, 650, _NEW, _THUMB)
    return png.write(paper.pixels)
