"""Build the JSON documents about videos."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Any

from tavolan.reports.documents.build import finding_part, render_document

if TYPE_CHECKING:
    from collections.abc import Iterable

    from tavolan.checking.video_files import CheckedVideos
    from tavolan.project.model import Project
    from tavolan.project.video_records import Stretch, VideoFacts
    from tavolan.reports.documents.build import Document
    from tavolan.video.render import RenderedVideos


def videos_document(project: Project, done: RenderedVideos) -> Document:
    """Return what a run made as `tavolan/videos@1`."""
    pieces = {"pieces": done.pieces, "pieces_made": done.pieces_made}
    return {**render_document(project, done), "schema": "tavolan/videos@1", **pieces}


def checked_videos_document(checked: CheckedVideos) -> Document:
    """Return what was measured of video files, and what's wrong with them, as `tavolan/videofiles@1`."""
    videos = [_video(one) for one in checked.facts]
    findings = [finding_part(finding) for finding in checked.findings]
    return {"schema": "tavolan/videofiles@1", "videos": videos, "findings": findings}


def _video(facts: VideoFacts) -> dict[str, Any]:
    seen, heard = facts.watched, facts.heard
    sound = {"loudness": heard.loudness, "peak": heard.peak, "silent": _stretches(heard.silent)} if heard else None
    plain = (
        "path",
        "bytes",
        "width",
        "height",
        "turned",
        "seconds",
        "frames",
        "rate",
        "even_rate",
        "codec",
        "pixel_format",
        "fast_start",
        "sound_codec",
        "channels",
    )
    stretches = {"black": seen.black, "frozen": seen.frozen, "flashing": seen.flashing}
    return {
        **{name: getattr(facts, name) for name in plain},
        **{name: _stretches(found) for name, found in stretches.items()},
        "heard": sound,
    }


def _stretches(found: Iterable[Stretch]) -> list[dict[str, float]]:
    return [asdict(one) for one in found]
