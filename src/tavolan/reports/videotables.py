"""Tables about videos, for people."""

from __future__ import annotations

from typing import TYPE_CHECKING

from tavolan.reports.styled import styled
from tavolan.reports.tables import plain_table
from tavolan.support.number_words import counted

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.checking.video_files import CheckedVideos
    from tavolan.project.video_records import VideoFacts

_COLOURS = {"error": "red", "warning": "yellow", "note": "dim"}


def print_checked_videos(console: Console, checked: CheckedVideos) -> None:
    """Print what was measured of video files, and what's wrong with them."""
    table = plain_table("file", "pixels", "seconds", "frames/s", "coded as", "sound", "MB")
    for facts in checked.facts:
        table.add_row(
            facts.path,
            f"{facts.width}×{facts.height}",
            f"{facts.seconds:.2f}",
            f"{facts.rate:g}",
            f"{facts.codec} {facts.pixel_format}",
            _sound(facts),
            f"{facts.bytes / 1e6:.1f}",
        )
    console.print(table)
    for finding in checked.findings:
        store = f"{finding.store}  " if finding.store else ""
        level = styled(f"[{_COLOURS[finding.level]}]{{}}[/]", f"{finding.level:<7}")
        parts = (level, finding.path, store, finding.message, finding.remedy)
        console.print(styled("{}  {}  {}{}. {}", *parts), soft_wrap=True)
    files = counted(len(checked.facts), "video")
    console.print(
        f"{files}: {counted(len(checked.findings), 'finding')}." if checked.findings else f"{files}: all fine."
    )


def _sound(facts: VideoFacts) -> str:
    if not facts.sound_codec:
        return "none"
    heard = f", {facts.heard.loudness:.1f} LUFS" if facts.heard else ""
    return f"{facts.sound_codec}, {counted(facts.channels, 'channel')}{heard}"
