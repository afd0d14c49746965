"""Check video files, whoever made them, against what stores take."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.video_faults import UNFIT, unfit, watched_faults
from tavolan.errors import Problem, ProjectError, UsageError
from tavolan.project.video_records import VideoFacts
from tavolan.rulebooks.model import Rulebook
from tavolan.video.measuring import measure

COUNT = Rule("video-count", "error")


@dataclass(frozen=True)
class CheckedVideos:
    """Video files with what was measured of each, and what's wrong with them."""

    facts: tuple[VideoFacts, ...]
    findings: tuple[Finding, ...]


def check_video_files(files: Sequence[Path], books: Sequence[Rulebook], size_class: str = "") -> CheckedVideos:
    """Measure files and compare them with what the stores of some rulebooks take.

    `size_class` is what they're for; else it's found by their size. Raises UsageError for a class that no store has a
    video for, ProjectError with every file that can't be read.
    """
    rules = [(book, book.video) for book in books if book.video]
    known = sorted({name for _, rule in rules for name in rule.places})
    if size_class and size_class not in known:
        message = f'no store here has videos for "{size_class}"'
        raise UsageError(message, f"Known here: {', '.join(known)}.", option="--device")
    problems: list[Problem] = []
    facts: list[VideoFacts] = []
    for file in files:
        try:
            facts.append(measure(file, str(file)))
        except ProjectError as error:
            problems += error.problems
    if problems:
        raise ProjectError(problems)
    findings = [finding for one in facts for finding in _findings(one, books, size_class)]
    findings += _too_many(facts, books, size_class)
    return CheckedVideos(tuple(facts), tuple(findings))


def _classes(facts: VideoFacts, book: Rulebook, size_class: str) -> list[str]:
    """Return the classes that a video may be for: the one that's said, or those of its size."""
    if book.video is None:
        return []
    if size_class:
        return [size_class] if size_class in book.video.places else []
    return [name for name, asked in book.video.places.items() if asked == facts.size_seen]


def _findings(facts: VideoFacts, books: Sequence[Rulebook], size_class: str) -> Iterator[Finding]:
    for book in books:
        if book.video is None:
            continue
        at = Location(store=book.id, field="video", path=facts.path)
        classes = _classes(facts, book, size_class)
        if not classes and book.video.sizes and not size_class:
            sizes = ", ".join(f"{w}×{h}" for w, h in dict.fromkeys(book.video.sizes.values()))
            message = f"is {facts.width}×{facts.height} pixels, which {book.id} takes for no size class"
            yield UNFIT.finding(at, message, f"Make it one of: {sizes}.", subject="size")
        for fault in dict.fromkeys(unfit(facts, book.video, book.id, classes[0] if classes else "")):
            yield UNFIT.finding(at, fault, "Export it again.", subject=fault)
    for rule, message, remedy in watched_faults(facts, None):
        yield rule.finding(Location(field="video", path=facts.path), message, remedy)


def _too_many(facts: Sequence[VideoFacts], books: Sequence[Rulebook], size_class: str) -> Iterator[Finding]:
    for book in books:
        most = book.video.max_count if book.video else None
        counts: dict[str, int] = {}
        for one in facts:
            for name in _classes(one, book, size_class):
                counts[name] = counts.get(name, 0) + 1
        for name, count in counts.items():
            if most and count > most:
                at = Location(store=book.id, field=f"video.{name}", path=facts[0].path)
                message = f"{count} videos for {name}; {book.id} takes {most}"
                yield COUNT.finding(at, message, "Leave some out.", measured=count, limit=most, unit="videos")
