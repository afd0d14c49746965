"""Which pictures go into a pack, and in which order: those rendered, or a set as a console has it."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from tavolan.pictures.making.job import Job
from tavolan.project.kept_sets import kept_files, kept_places, kept_set
from tavolan.project.model import Project


@dataclass(frozen=True)
class PackedPicture:
    """A picture of a pack: of which set, at which place in its order, and the job that makes it, or else its `path`.

    `kind` is shot or graphic, `place` the size class or the graphic.
    """

    kind: str
    place: str
    locale: str
    number: int
    name: str
    job: Job | None = None
    path: Path | None = None

    @property
    def file(self) -> str:
        """The file that its job makes."""
        return self.job.target.file if self.job else ""

    @property
    def folder(self) -> str:
        """The folder of its kind in a pack."""
        return self.place if self.kind == "shot" else "graphics"

    @property
    def stem(self) -> str:
        """The name of its file in a pack, without ending."""
        return f"{self.number:02d}-{self.name}" if self.kind == "shot" else self.name


def pack_sets(project: Project, store: str, locales: Sequence[str], jobs: list[Job]) -> list[PackedPicture]:
    """Return what is handed over of a store, set by set; `jobs` are the store's."""
    rendered: dict[tuple[str, str, str], dict[str, Job]] = {}
    for job in jobs:
        kind, place = ("shot", job.target.place) if job.target.kind == "shot" else ("graphic", job.target.name)
        rendered.setdefault((kind, place, job.target.locale), {})[job.target.name] = job
    book = project.stores[store].rulebook
    for tag in (tag for tag in project.stores[store].locales if tag in locales):
        for place in kept_places(project.root, store, tag):
            if place in book.classes or place in book.graphics:
                rendered.setdefault(("shot" if place in book.classes else "graphic", place, tag), {})
    return [picture for at, made in rendered.items() for picture in _of_set(project, store, at, made)]


def _of_set(project: Project, store: str, at: tuple[str, str, str], made: dict[str, Job]) -> list[PackedPicture]:
    kind, place, locale = at
    kept = kept_set(project.root, store, locale, place)
    if kept is not None and kept.pictures == "none":
        return []
    if kept is not None and kept.pictures == "theirs":
        paths = kept_files(project.root, store, locale, place, kept)
        names = [path.stem.partition("-")[2] if kind == "shot" else place for path in paths]
        return [
            PackedPicture(kind, place, locale, number, name, path=path)
            for number, (name, path) in enumerate(zip(names, paths, strict=True), 1)
        ]
    if kept is not None:
        return [
            PackedPicture(kind, place, locale, number, job.target.name, job)
            for number, job in enumerate(kept.ordered(made), 1)
        ]
    return [PackedPicture(kind, place, locale, job.target.number, name, job) for name, job in made.items()]
