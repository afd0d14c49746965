"""The documents about pictures and videos."""

from typing import ClassVar, Self

from tavolan.pictures.making.render import Rendered
from tavolan.project.model import Project
from tavolan.project.video_records import Stretch
from tavolan.reports.documents.checks import FindingPart
from tavolan.reports.documents.part import Document, DocumentPart, at, only_if_known


class PackedFile(DocumentPart):
    file: str
    bytes: int
    sha256: str
    width: int | None = only_if_known()
    """In pixels, as `height`. Icons have their file, bytes and checksum alone."""
    height: int | None = only_if_known()
    kind: str | None = only_if_known()
    place: str | None = only_if_known()
    """Size class of a screenshot, kind of a graphic."""
    locale: str | None = only_if_known()
    order: int | None = only_if_known()
    name: str | None = only_if_known()
    caption: str | None = only_if_known()
    screens: dict[str, str] | None = only_if_known()
    """Digest of each screen that it shows, by path."""
    key: str | None = only_if_known()
    """Digest of all that it was made from."""


class Pack(Document):
    """`manifest.json` in the archives that `tavolan shots pack` writes."""

    kind: ClassVar = "pack@1"
    store: str
    app: str
    version: str
    locales: dict[str, str | None]
    """The store's own code of each locale; null where it has none."""
    files: list[PackedFile]


class Render(Document):
    """Printed by `tavolan shots render --json`; with `--dry-run` it says what would be made."""

    kind: ClassVar = "render@1"
    files: list[str]
    """All that were made or kept."""
    made: dict[str, str] = at("why")
    """Why each new one was made."""
    kept: int
    copied: int
    removed: list[str]
    """Files that nothing asks for any more."""

    @classmethod
    def in_project(cls, project: Project, done: Rendered) -> Self:
        """Return what a run made, with files as they're named in the project."""
        files = [file.relative_to(project.root).as_posix() for file in done.files]
        return cls.of(done, files=files)


class RenderedVideosDocument(Render):
    """Printed by `tavolan video render --json`; with `--dry-run` it says what would be made."""

    kind: ClassVar = "videos@1"
    pieces: int
    """Of how many pieces the videos that were made consist."""
    pieces_made: int
    """How many of them had to be encoded."""


class HeardPart(DocumentPart):
    loudness: float
    """Integrated, in LUFS."""
    peak: float
    """True peak in dBTP."""
    silent: list[Stretch]


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
    black: list[Stretch] = at("watched", "black")
    frozen: list[Stretch] = at("watched", "frozen")
    flashing: list[Stretch] = at("watched", "flashing")
    heard: HeardPart | None


class CheckedVideosDocument(Document):
    """Printed by `tavolan check --videos FILES --json`."""

    kind: ClassVar = "videofiles@1"
    videos: list[CheckedVideoPart] = at("facts")
    findings: list[FindingPart]
