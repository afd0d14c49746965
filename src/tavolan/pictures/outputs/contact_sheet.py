"""Contact sheets: one per store and size class, locales as rows, shots as columns."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from tavolan.errors import UsageError
from tavolan.languages.tags import locale_name
from tavolan.pictures.making.drawing_version import drawing_version
from tavolan.pictures.making.job import Job
from tavolan.pictures.making.planner import Planner, Selection
from tavolan.pictures.making.thumbnails import board_key, keep_board_key, thumbs
from tavolan.pictures.outputs.sheet_paper import FLAG, INK, MUTED, SheetPaper
from tavolan.pictures.raster import png
from tavolan.pictures.raster.canvas import Pixels
from tavolan.project.model import Project
from tavolan.project.picture_records import digest_of, finished
from tavolan.support.files import write_inside

_LENT = "#8A5A00"
_THUMB, _GAP, _LABEL, _HEAD, _MARGIN = 190, 16, 178, 150, 48
_WANTED_SHAPE = 1.6


@dataclass(frozen=True)
class _Sheet:
    """How a board is laid out: blocks of rows side by side, so that the sheet has the shape of a screen."""

    rows: int
    columns: int
    thumb_height: int
    blocks: int

    @property
    def rows_per_block(self) -> int:
        return math.ceil(self.rows / self.blocks)

    @property
    def block_width(self) -> int:
        return _LABEL + self.columns * (_THUMB + _GAP)

    @property
    def row_height(self) -> int:
        return self.thumb_height + 46

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        width = 2 * _MARGIN + self.blocks * self.block_width + (self.blocks - 1) * _MARGIN
        return width, _HEAD + self.rows_per_block * self.row_height + 2 * _MARGIN


def plan_sheet(rows: int, columns: int, thumb_height: int) -> _Sheet:
    """Return the sheet whose shape comes nearest to a screen's."""
    sheets = [_Sheet(rows, columns, thumb_height, blocks) for blocks in range(1, rows + 1)]
    return min(sheets, key=lambda sheet: abs(math.log(sheet.size[0] / sheet.size[1] / _WANTED_SHAPE)))


def make_boards(
    project: Project,
    stores: tuple[str, ...] = (),
    classes: tuple[str, ...] = (),
    locales: tuple[str, ...] = (),
    progress: Callable[[int, int], None] | None = None,
) -> list[Path]:
    """Make the contact sheets of the pictures under `out/shots` that changed, and return the files of all.

    A cell without a picture says so, one whose caption is another locale's is marked, and a row names the locale whose
    screens it shows instead of its own. Raises UsageError when nothing has been rendered yet.
    """
    jobs = Planner(project).possible(Selection(stores=stores, classes=classes, locales=locales))
    groups: dict[tuple[str, str], list[Job]] = {}
    for job in (job for job in jobs if job.target.kind == "shot"):
        groups.setdefault((job.target.store, job.target.place), []).append(job)
    there = finished(project.root, (job.target.file for job in jobs))
    if not there:
        raise UsageError("there are no pictures to show yet", "Make them with: tavolan shots render")
    paths = {
        job.target.file: there[job.target.file]
        for job in jobs
        if job.target.kind == "shot" and job.target.file in there
    }
    keys = {place: _key(project, group, paths) for place, group in groups.items()}
    shown = {place: f"out/boards/{place[0]}-{place[1]}.png" for place in groups}
    changed = [place for place in groups if board_key(project.root, shown[place]) != keys[place]]
    # All at once, and before anything is drawn: then they may be made in forked processes.
    small = thumbs(
        project.root, [paths[job.target.file] for place in changed for job in groups[place] if job.target.file in paths]
    )
    files = []
    for done, (place, group) in enumerate(groups.items(), 1):
        target = project.root / shown[place]
        if place in changed:
            write_inside(project.root, shown[place], png.write(_Board(project, group, paths, small).draw()))
            keep_board_key(project.root, shown[place], keys[place])
        files.append(target)
        if progress:
            progress(done, len(groups))
    return files


def _key(project: Project, jobs: list[Job], paths: dict[str, Path]) -> str:
    """Return a digest of all that a sheet shows."""
    rows = []
    for job in jobs:
        state = paths[job.target.file].stat() if job.target.file in paths else None
        seen = (state.st_size, state.st_mtime_ns) if state else None
        rows.append((job.target.file, job.target.locale, job.caption_size, _flags(job), _lent_from(job), seen))
    return digest_of(repr((project.app.name, drawing_version(), rows)).encode())


def _flags(job: Job) -> list[str]:
    """Return what's wrong with a picture, in words."""
    if not job.caption:
        return ["no caption"]
    return [f"caption is {job.caption_locale}"] if job.caption_locale != job.target.locale else []


def _lent_from(job: Job) -> str:
    """Return the locale whose screen a picture shows instead of its own, or nothing."""
    return next((use.locale for use in job.screens if not use.exact), "")


class _Board:
    """Draws one sheet."""

    def __init__(self, project: Project, jobs: list[Job], paths: dict[str, Path], small: dict[Path, bytes]) -> None:
        self.project, self.jobs = project, jobs
        self.locales = [tag for tag in project.app.locales if any(job.target.locale == tag for job in jobs)]
        self.shots = list(dict.fromkeys(job.target.name for job in jobs))
        self.width, self.height = jobs[0].setting.size
        self.sheet = plan_sheet(len(self.locales), len(self.shots), round(_THUMB * self.height / self.width))
        self.paper = SheetPaper(*self.sheet.size)
        self.paths = {job.target.file: paths[job.target.file] for job in jobs if job.target.file in paths}
        self.thumbs = small

    def draw(self) -> Pixels:
        """Return the drawn sheet."""
        first = self.jobs[0]
        self.paper.text(
            f"{self.project.app.name}  ·  {first.target.store}  ·  {first.target.place}", _MARGIN, 46, 36, 700, INK
        )
        missing = len(self.jobs) - len(self.paths)
        flagged = sum(bool(_flags(job)) for job in self.jobs)
        facts = [f"{self.width}×{self.height}", f"{len(self.locales)} locales", f"{len(self.shots)} shots"]
        facts += [f"{flagged} to look at"] if flagged else []
        facts += [f"{missing} not rendered"] if missing else []
        self.paper.text("  ·  ".join(facts), _MARGIN, 88, 20, 500, FLAG if missing or flagged else MUTED)
        for block in range(self.sheet.blocks):
            for index, name in enumerate(self.shots):
                x = self._block_x(block) + _LABEL + index * (_THUMB + _GAP)
                self.paper.text(f"{index + 1:02d}  {name}", x, _HEAD - 8, 17, 600, MUTED, _THUMB)
        for row, tag in enumerate(self.locales):
            self._row(row, tag)
        return self.paper.pixels

    def _block_x(self, block: int) -> int:
        return _MARGIN + block * (self.sheet.block_width + _MARGIN)

    def _row(self, row: int, tag: str) -> None:
        x = self._block_x(row // self.sheet.rows_per_block)
        y = _HEAD + 16 + row % self.sheet.rows_per_block * self.sheet.row_height
        self.paper.text(tag, x, y + 22, 26, 700, INK, _LABEL - 16)
        self.paper.text(locale_name(tag), x, y + 52, 15, 450, MUTED, _LABEL - 16)
        sizes = {job.caption_size for job in self.jobs if job.target.locale == tag and job.caption}
        if sizes:
            self.paper.text(f"caption {', '.join(map(str, sorted(sizes)))} px", x, y + 76, 15, 450, MUTED, _LABEL - 16)
        # Said once for the whole row: it's one fact, and the sheet isn't red all over.
        own = [job for job in self.jobs if job.target.locale == tag]
        lent = [job for job in own if _lent_from(job)]
        if lent:
            words = f"screens of {_lent_from(lent[0])}" + (f" in {len(lent)}" if len(lent) < len(own) else "")
            self.paper.text(words, x, y + 100, 15, 600, _LENT, _LABEL - 16)
        for job in self.jobs:
            if job.target.locale == tag:
                self._cell(job, x + _LABEL + self.shots.index(job.target.name) * (_THUMB + _GAP), y)

    def _cell(self, job: Job, x: int, y: int) -> None:
        path, flags = self.paths.get(job.target.file), _flags(job)
        small = self.thumbs[path] if path else None
        self.paper.picture(small, x, y, _THUMB, self.sheet.thumb_height, framed=bool(flags))
        if flags:
            self.paper.text(", ".join(flags), x, y + self.sheet.thumb_height + 17, 14.5, 650, FLAG, _THUMB)
