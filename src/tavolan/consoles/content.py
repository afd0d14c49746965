"""What a project would have in a console: texts, facts, and finished pictures and videos by their digest."""

import hashlib
import unicodedata
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, NamedTuple

from tavolan.consoles.protocol import VIDEO, SetKind
from tavolan.project.icon_records import ICON_PLACE, handed_over_icons
from tavolan.project.kept_sets import handed_over, kept_places, kept_set
from tavolan.project.model import Project, Store, Value
from tavolan.project.picture_records import finished, graphic_file, set_files
from tavolan.project.video_records import POSTER, video_file
from tavolan.rulebooks.model import FieldRule
from tavolan.support.files import opened
from tavolan.video.storyboard import clip_index, video_places

# Where something is in a console: a text (locale and field), a fact (no locale), a set of pictures.
KINDS = ("text", "fact", "pictures")


class Place(NamedTuple):
    """A place in a console: kind, locale ("" for facts), and field, or the size class or graphic of pictures.

    Of videos it's the size class behind `video-`: the video is the first of such a set, its still picture the second.
    """

    kind: str
    locale: str
    field: str

    def __str__(self) -> str:
        return f"{self.locale} {self.field}".strip()

    @property
    def item(self) -> str:
        """The item that a text is of; empty where it's the app's own."""
        table, _, rest = self.field.partition(".")
        return rest.rpartition(".")[0] if self.kind == "text" and table == "items" else ""


# What's in a place: a text, a list, a record; digests of pictures, in order. What's not there is None.
Content = dict[Place, Any]


@dataclass
class Holding:
    """What a project has for a console, None where it has nothing on purpose; and the picture files by their digest."""

    content: Content = field(default_factory=dict)
    files: dict[str, Path] = field(default_factory=dict)


def text_fields(project: Project, store: Store) -> dict[str, FieldRule]:
    """Return the fields whose texts a console holds per locale; notes for testers belong to builds."""
    return {key: rule for key, rule in project.fields_of(store).items() if rule.role != "tester_notes"}


def values_of(project: Project, store: Store) -> Iterator[tuple[Place, Value, FieldRule]]:
    """Yield every text and fact of a store as it ships, written or not."""
    for tag in store.locales:
        if store.rulebook.store_code(tag) is None:
            continue
        for key, rule in text_fields(project, store).items():
            yield Place("text", tag, key), project.value(store.id, tag, key), rule
        for item in project.app.items:
            for key, rule in project.fields_of(store, "item").items():
                yield Place("text", tag, f"items.{item}.{key}"), project.item_value(tag, item, key, store.id), rule
    for key, rule in project.fields_of(store, "once").items():
        yield Place("fact", "", key), project.once_value(store.id, key), rule


def holding_of(project: Project, store: Store, *, pictures: bool = True) -> Holding:
    """Return what a project has for a store's console. Pictures count as they're rendered, whole sets only."""
    held = Holding()
    for place, value, _ in values_of(project, store):
        if value.written:
            held.content[place] = plain(value.content)
    if pictures:
        for place, files in picture_files(project, store):
            digests = [digest_of(path) for path in files]
            held.content[place] = digests or None
            held.files.update(zip(digests, files, strict=True))
    return held


def plain(value: Any) -> Any:
    """Return a text as it's sent and compared: composed, trimmed, with plain line ends; so are those of a list."""
    if isinstance(value, list):
        return [plain(item) for item in value]
    if isinstance(value, dict):
        return {name: plain(item) for name, item in value.items()}
    if isinstance(value, str):
        return unicodedata.normalize("NFC", value.replace("\r\n", "\n").replace("\r", "\n").strip())
    return value


def picture_files(project: Project, store: Store) -> Iterator[tuple[Place, list[Path]]]:
    """Yield the finished pictures of each set that is whole, in order, and each finished graphic and video.

    Where a set is kept as the console has it, it's that one; an empty list where the console has none.
    """
    for tag in (tag for tag in store.locales if store.rulebook.store_code(tag) is not None):
        rendered = dict(rendered_sets(project, store, tag))
        for name in dict.fromkeys([*rendered, *kept_places(project.root, store.id, tag)]):
            kept = kept_set(project.root, store.id, tag, name)
            if name in rendered or (kept and kept.pictures != "ours"):
                pictures = handed_over(project.root, store.id, tag, name, rendered.get(name, {}))
                yield Place("pictures", tag, name), pictures


def set_kind(store: Store, place: str) -> SetKind:
    """Return what the pictures of a place are."""
    if place in store.rulebook.graphics:
        return "graphic"
    return "video" if place.startswith(VIDEO) else "shots"


def rendered_sets(project: Project, store: Store, tag: str) -> Iterator[tuple[str, dict[str, Path]]]:
    """Yield what's rendered for a locale: of each place, the files by what they show."""
    graphics = {table.name for table in project.graphics} & set(store.rulebook.graphics)
    for name in project.classes_of(store):
        files = set_files(store.id, name, tag, (shot.name for shot in project.shots_for(name, tag)))
        there = finished(project.root, files.values())
        if files and len(there) == len(files):
            yield name, {shot: there[file] for shot, file in files.items()}
    for name in sorted(graphics):
        if there := finished(project.root, [graphic_file(store.id, tag, name)]):
            yield name, {name: next(iter(there.values()))}
    icons = handed_over_icons(store) if tag == store.default_locale else []
    if icons and len(there := finished(project.root, icons)) == len(icons):
        yield ICON_PLACE, {Path(file).stem: path for file, path in there.items()}
    for name in _video_classes(project, store):
        video = project.root / video_file(store.id, name, tag)
        poster = video.with_name(POSTER)
        if video.is_file() and poster.is_file():
            yield f"{VIDEO}{name}", {"video": video, "poster": poster}


def _video_classes(project: Project, store: Store) -> list[str]:
    """Return the size classes that videos are handed over for: none where they're published elsewhere."""
    rule = store.rulebook.video
    return [] if rule is None or rule.hosted_by else list(video_places(project, store, clip_index(project)))


_digests: dict[tuple[Path, int, int], str] = {}


def digest_of(path: Path) -> str:
    """Return the SHA-256 of a picture's file, computed once as long as it isn't touched."""
    state = path.stat()
    key = (path, state.st_size, state.st_mtime_ns)
    if key not in _digests:
        with opened(path, path.name) as file:
            _digests[key] = hashlib.file_digest(file, "sha256").hexdigest()
    return _digests[key]
