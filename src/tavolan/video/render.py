"""Render videos: only the pieces whose inputs changed, on all cores, with a ledger of what was made."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from contextlib import ExitStack, closing
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TypeVar

import numpy as np

from tavolan.errors import OutsideError, Problem, ProjectError, one_problem
from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.making.planner import Selection
from tavolan.pictures.making.render import Progress, Rendered
from tavolan.pictures.making.workers import worker_count
from tavolan.pictures.raster import png
from tavolan.project.model import Project
from tavolan.project.picture_records import LEDGER
from tavolan.project.video_records import VideoFacts, VideoRecord, read_video_records
from tavolan.support.content_digest import digest_of_file
from tavolan.support.files import NotKept, delete_inside, drafted, inside, read_bytes, write_inside
from tavolan.support.transaction import writing
from tavolan.video.encoding import QUALITY, WORST_QUALITY, Encoded, encode_piece, encode_sound, write_video
from tavolan.video.frames.piece_painter import painted_frames
from tavolan.video.frames.planes import Planes
from tavolan.video.frames.scene_painter import SceneStudio
from tavolan.video.ledger import KnownVideos, VideoLedger
from tavolan.video.parts import Parts
from tavolan.video.plan import Piece, VideoJob
from tavolan.video.planner import VideoPlanner
from tavolan.video.posters import poster_pixels
from tavolan.video.sound.hearing import heard
from tavolan.video.sound.mixing import mixed_sound
from tavolan.video.watching import Sight, sight_of, watched

T = TypeVar("T")
# An encoder holds some forty frames; more of them at a time would fill the memory.
_MOST_THREADS = 8
# Six steps of quality halve the size, roughly.
_HALVED_BY = 6.0


@dataclass
class RenderedVideos(Rendered):
    """What a run did, and of how many pieces the videos that were made consist, how many of them had to be encoded."""

    pieces: int = 0
    pieces_made: int = 0


def render_videos(
    project: Project, selection: Selection, progress: Progress | None = None, *, again: bool = False
) -> RenderedVideos:
    """Render the selected videos under `out/video/`, each only when it isn't current; `again` makes all of them.

    Raises ProjectError with everything that's wrong with the storyboard and its files, before a frame is painted.
    """
    try:
        with writing(project.root, "out"), closing(Ledger(project.root)) as ledger:
            planner = VideoPlanner(project, ledger)
            jobs = planner.jobs(selection)
            with closing(VideoLedger(project.root)) as videos:
                return _Run(project.root, videos, progress).make(jobs, again, selection.everything)
    except sqlite3.Error as error:
        message = f"{LEDGER.as_posix()} can't be used ({error}). Free the disk, or delete it: it's made anew then."
        raise OutsideError(message) from error


def would_render_videos(
    project: Project, selection: Selection, *, again: bool = False
) -> tuple[list[VideoJob], RenderedVideos]:
    """Return the jobs of the videos that `render_videos` would make, and what it would say of itself.

    Nothing is written; which pieces are to be encoded isn't looked for. Raises ProjectError as `render_videos` does.
    """
    jobs = VideoPlanner(project).jobs(selection)
    ledger = KnownVideos(project.root, read_video_records(project.root))
    todo = [job for job in jobs if again or not ledger.is_current(job)]
    done = RenderedVideos(files=[project.root / job.target.file for job in jobs], kept=len(jobs) - len(todo))
    done.why = {job.target.file: "asked for" if again else ledger.why(job) for job in todo}
    if selection.everything:
        wanted = {job.target.file for job in jobs}
        done.removed = sorted(row.path for file, row in ledger.records.items() if file not in wanted)
    return todo, done


class _Run:
    """One run over a project's videos."""

    def __init__(self, root: Path, ledger: VideoLedger, progress: Progress | None) -> None:
        self.root, self.ledger, self.progress = root, ledger, progress
        self.parts = Parts(root)
        self.done = RenderedVideos()
        self._studios: dict[tuple[int, int, int], SceneStudio] = {}
        self._stop = threading.Event()

    def make(self, jobs: list[VideoJob], again: bool, everything: bool) -> RenderedVideos:
        """Make what isn't current."""
        if everything:
            self._remove_strays({job.target.file for job in jobs})
        todo, later = self._to_make(jobs, again)
        with ExitStack() as stack:
            self._make_all(todo, again, stack)
        for job in later:
            self._copy(job)
        if everything:
            self.parts.keep_only(
                {job.sound_key for job in jobs}
                | {
                    piece.key(self.ledger.records[job.target.file].facts.quality or QUALITY)
                    for job in jobs
                    for piece in job.pieces
                }
            )
        self.done.files = [self.root / job.target.file for job in jobs]
        return self.done

    def _make_all(self, todo: list[VideoJob], again: bool, stack: ExitStack) -> None:
        for job in todo:
            place = (*job.size, job.rate)
            if place not in self._studios:
                self._studios[place] = SceneStudio(self.root, job.size, job.rate)
                stack.callback(self._studios[place].close)
        self._encode(todo, QUALITY, again)
        self._assemble_all(todo)

    def _to_make(self, jobs: list[VideoJob], again: bool) -> tuple[list[VideoJob], list[VideoJob]]:
        """Return the jobs to make, and those whose videos are copied from others."""
        todo: list[VideoJob] = []
        later: list[VideoJob] = []
        first: set[str] = set()
        for job in jobs:
            if not again and self.ledger.is_current(job):
                self.done.kept += 1
                continue
            self.done.why[job.target.file] = "asked for" if again else self.ledger.why(job)
            (later if job.key in first or (not again and self.ledger.twin(job)) else todo).append(job)
            first.add(job.key)
        return todo, later

    def _encode(self, jobs: list[VideoJob], quality: float, again: bool = False) -> None:
        """Encode the sounds and pieces that aren't there, on all cores.

        Raises ProjectError with all problems of their files.
        """
        sounds = {job.sound_key: job for job in jobs if job.sound}
        calls = [
            partial(self._encode_sound, key, job)
            for key, job in sounds.items()
            if again or not self.parts.has_sound(key)
        ]
        pieces = {piece.key(quality): piece for job in jobs for piece in job.pieces}
        missing = {key: piece for key, piece in pieces.items() if again or not self.parts.has(key)}
        self.done.pieces += len(pieces)
        self.done.pieces_made += len(missing)
        calls += [partial(self._encode_one, key, piece, quality) for key, piece in missing.items()]
        for number, _ in enumerate(self._on_threads(calls), 1):
            if self.progress:
                self.progress(number, len(calls))

    def _encode_sound(self, key: str, job: VideoJob) -> None:
        """Mix and encode a video's sound into a file; what's heard of it is kept beside it."""
        assert job.sound is not None
        with drafted(self.parts.path(key)) as draft:
            samples = mixed_sound(self.root, job.sound, job.seconds)
            encode_sound(draft, samples)
            self.parts.keep_heard(key, heard(samples))

    def _on_threads(self, calls: Sequence[Callable[[], T]]) -> Iterator[T]:
        """Yield what calls return, as they end, on all cores. Raises ProjectError with all problems, at the end."""
        problems: list[Problem] = []
        pool = ThreadPoolExecutor(min(worker_count(), _MOST_THREADS))
        try:
            for future in as_completed([pool.submit(call) for call in calls]):
                try:
                    yield future.result()
                except ProjectError as error:
                    problems += error.problems
        finally:
            self._stop.set()
            pool.shutdown(cancel_futures=True)
            self._stop.clear()
        if problems:
            raise ProjectError(list(dict.fromkeys(problems)))

    def _encode_one(self, key: str, piece: Piece, quality: float) -> None:
        """Encode a piece into its file; what its frames look like is kept beside it."""
        seen: list[Sight] = []
        with drafted(self.parts.path(key)) as draft:
            frames = self._watching(painted_frames(piece, self._studio(piece.size, piece.rate)), seen)
            encode_piece(draft, frames, piece.size, piece.rate, quality)
            if self._stop.is_set():
                raise NotKept
            self.parts.keep_sights(key, np.stack(seen))

    def _watching(self, frames: Iterable[Planes], seen: list[Sight]) -> Iterator[Planes]:
        before = None
        for planes in frames:
            if self._stop.is_set():
                return
            sight, before = sight_of(planes[0], before)
            seen.append(sight)
            yield planes

    def _studio(self, size: tuple[int, int], rate: int) -> SceneStudio:
        return self._studios[*size, rate]

    def _assemble_all(self, jobs: list[VideoJob]) -> None:
        """Put all videos together, and note them: those that came too large are coded harder first."""
        quality = dict.fromkeys((job.key for job in jobs), QUALITY)
        while jobs:
            calls = [partial(self._assemble, job, quality[job.key]) for job in jobs]
            again: list[VideoJob] = []
            for job, facts in self._on_threads(calls):
                if job.most_bytes and facts.bytes > job.most_bytes:
                    quality[job.key] = self._harder(job, quality[job.key], facts.bytes)
                    again.append(job)
                    continue
                self.ledger.record(job, facts)
                self.done.made.append(self.root / job.target.file)
            for job in again:
                self._encode([job], quality[job.key])
            jobs = again

    def _assemble(self, job: VideoJob, quality: float) -> tuple[VideoJob, VideoFacts]:
        """Put a video together from pieces of a quality; one that's larger than the store takes isn't kept."""
        target = inside(self.root, job.target.file)
        with drafted(target) as draft:
            pieces = [Encoded(self.parts.path(piece.key(quality)), piece.count) for piece in job.pieces]
            write_video(draft, pieces, job.rate, self.parts.path(job.sound_key) if job.sound else None)
            size, digest = draft.stat().st_size, digest_of_file(draft, job.target.file)
            if job.most_bytes and size > job.most_bytes:
                raise NotKept
            poster = poster_pixels(job, self._studio(job.size, job.rate))
            write_inside(self.root, job.target.poster_file, png.write(poster))
        seen = [sight for piece in job.pieces for sight in self.parts.sights(piece.key(quality))]
        facts = VideoFacts(
            path=job.target.file,
            bytes=size,
            width=job.size[0],
            height=job.size[1],
            rate=job.rate,
            frames=job.frames,
            seconds=job.seconds,
            codec="h264",
            pixel_format="yuv420p",
            sound_codec="aac" if job.sound else "",
            channels=2 if job.sound else 0,
            quality=quality,
            poster=job.target.poster_file,
            watched=watched(seen, job.rate),
            heard=self.parts.heard(job.sound_key) if job.sound else None,
            digest=digest,
        )
        return job, facts

    @staticmethod
    def _harder(job: VideoJob, quality: float, size: int) -> float:
        """Return the quality at which a video has fewer bytes. Raises ProjectError when it can't be worse."""
        if quality >= WORST_QUALITY:
            most = f"{job.most_bytes / 1e6:g} MB"
            raise one_problem(
                job.target.file,
                None,
                "",
                f"can't be made smaller than the store's {most}",
                "Make it shorter, or quieter to look at.",
            )
        step = max(1.0, float(np.ceil(_HALVED_BY * np.log2(size / job.most_bytes) + 0.5)))
        return min(WORST_QUALITY, quality + step)

    def _copy(self, job: VideoJob) -> None:
        """Copy the video that a job's inputs made under another name."""
        twin: VideoRecord | None = self.ledger.twin(job)
        if twin is None:
            raise one_problem(job.target.file, None, "", "couldn't be copied: its twin is gone", "Render again.")
        for source, target in ((twin.path, job.target.file), (twin.facts.poster, job.target.poster_file)):
            write_inside(self.root, target, read_bytes(self.root / source, source))
        self.ledger.record(job, replace(twin.facts, path=job.target.file, poster=job.target.poster_file))
        self.done.copied += 1

    def _remove_strays(self, wanted: set[str]) -> None:
        """Remove videos that were made once and that the project no longer asks for."""
        strays = [row for file, row in self.ledger.records.items() if file not in wanted]
        for row in strays:
            delete_inside(self.root, row.path)
            delete_inside(self.root, row.facts.poster)
        self.ledger.forget([row.file for row in strays])
        self.done.removed = sorted(row.path for row in strays)
