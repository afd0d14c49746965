"""The shapes of the documents about videos."""

from tavolan.reports.documents.document_part import DocumentPart
from tavolan.reports.documents.shapes import Finding


class VideosDocument(DocumentPart):
    """Printed by `tavolan video render --json`."""

    files: list[str]
    made: dict[str, str]
    """Which were made, and why."""
    kept: int
    copied: int
    removed: list[str]
    pieces: int
    """Of how many pieces the videos that were made consist."""
    pieces_made: int
    """How many of them had to be encoded."""


class StretchPart(DocumentPart):
    begin: float
    end: float


class HeardPart(DocumentPart):
    loudness: float
    """Integrated, in LUFS."""
    peak: float
    """True peak in dBTP."""
    silent: list[StretchPart]


class CheckedVideoPart(DocumentPart):
    path: str
    bytes: int
    width: int
    height: int
    turned: int
    """By how many degrees players turn it."""
    seconds: float
    frames: int
    rate: float
    even_rate: bool
    codec: str
    pixel_format: str
    fast_start: bool
    sound_codec: str
    channels: int
    black: list[StretchPart]
    frozen: list[StretchPart]
    flashing: list[StretchPart]
    heard: HeardPart | None


class CheckedVideosDocument(DocumentPart):
    """Printed by `tavolan video check FILES --json`."""

    videos: list[CheckedVideoPart]
    findings: list[Finding]
