"""Find an app's build files in its folder, or in a built archive, and tell what they say of it."""

import io
import os
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from tavolan.errors import UsageError, one_problem
from tavolan.imports.app_formats import (
    FORMATS,
    AppFacts,
    facts_of_gradle,
    facts_of_property_list,
    label_of_manifest,
    language_of_folder,
    settings_in,
    string_of,
)
from tavolan.support.files import read_bytes

_MOST_FILES, _MOST_DEPTH, _MOST_BYTES = 100_000, 12, 5_000_000
_SETTING_FILES = (".xcconfig", ".pbxproj")


@dataclass
class FoundApp:
    """What's known of an app: facts by the store that its build files are for, and where each was read."""

    by_store: dict[str, AppFacts] = field(default_factory=dict)
    places: dict[str, str] = field(default_factory=dict)

    def first(self, what: str) -> str:
        """Return a fact of the first store that knows it; "" where none does."""
        return next((str(value) for facts in self.by_store.values() if (value := getattr(facts, what))), "")

    def all_of(self, what: str) -> list[str]:
        """Return the entries of a list of all stores, each once."""
        return list(dict.fromkeys(each for facts in self.by_store.values() for each in getattr(facts, what)))


def app_in(place: Path) -> FoundApp:
    """Return what an app's folder or archive says of it. Raises UsageError where it has no build file that's read here.

    Raises ProjectError for an archive that isn't one.
    """
    files = _listed(place) if place.is_dir() else _archived(place)
    found = FoundApp()
    _read_property_lists(files, found)
    _read_gradle(files, found)
    if not found.by_store:
        raise UsageError(
            f"{place} has no build file that is read here",
            "Read are property lists with their settings, Gradle files and XML manifests, and archives that hold a "
            "property list. Name the app with --name instead.",
            option="--from-app",
        )
    return found


class _Files:
    """The files of an app by their place in it, with `/` between folders; a file is read when it's asked for."""

    def __init__(self, names: list[str]) -> None:
        # The nearest to the top first: what's deeper belongs to parts of the app.
        self.names = sorted(names, key=lambda name: (name.count("/"), name))

    def read(self, name: str) -> bytes:
        """Return a file's content, or nothing where it's too large for a build file."""
        raise NotImplementedError

    def ending(self, *endings: str) -> Iterator[str]:
        """Give the files with such endings, the nearest to the top first."""
        return (name for name in self.names if name.endswith(endings))

    def languages(self, below: str) -> list[str]:
        """Return the languages that folders of texts below a folder are named after."""
        folders = {part for name in self.names if name.startswith(below) for part in PurePosixPath(name).parts[:-1]}
        return sorted({tag for folder in folders if (tag := language_of_folder(folder))})


class _FolderFiles(_Files):
    def __init__(self, root: Path, names: list[str]) -> None:
        super().__init__(names)
        self.root = root

    def read(self, name: str) -> bytes:
        path = self.root / name
        return read_bytes(path, name) if path.stat().st_size <= _MOST_BYTES else b""


class _ArchivedFiles(_Files):
    def __init__(self, archive: zipfile.ZipFile) -> None:
        super().__init__([each.filename for each in archive.infolist()[:_MOST_FILES] if not each.is_dir()])
        self.archive = archive

    def read(self, name: str) -> bytes:
        entry = self.archive.getinfo(name)
        if entry.file_size > _MOST_BYTES:
            return b""
        with self.archive.open(entry) as opened:
            return opened.read(_MOST_BYTES)


def _listed(root: Path) -> _Files:
    """List a folder's files, but for what others wrote and what was built. Links aren't followed."""
    skipped, names = set(FORMATS["skipped_folders"]), []
    for folder, below, files in os.walk(root):
        depth = len(Path(folder).relative_to(root).parts)
        below[:] = sorted(
            name for name in below if name not in skipped and not name.startswith(".") and depth < _MOST_DEPTH
        )
        place = Path(folder).relative_to(root)
        names += [(place / name).as_posix() for name in files if not (Path(folder) / name).is_symlink()]
        if len(names) > _MOST_FILES:
            raise UsageError(f"{root} holds more than {_MOST_FILES} files", "Name the app's own folder in it.")
    return _FolderFiles(root, names)


def _archived(path: Path) -> _Files:
    try:
        return _ArchivedFiles(zipfile.ZipFile(io.BytesIO(read_bytes(path, str(path)))))
    except zipfile.BadZipFile as error:
        raise one_problem(
            str(path), None, "", "is neither a folder nor an archive", "Name the app's folder."
        ) from error


def _read_property_lists(files: _Files, found: FoundApp) -> None:
    settings: dict[str, str] = {}
    for name in files.ending(*_SETTING_FILES):
        settings |= settings_in(files.read(name).decode("utf-8", "replace"))
    for name in files.ending("Info.plist"):
        facts = facts_of_property_list(files.read(name), settings)
        if facts:
            beside = name.rpartition("/")[0]
            facts.languages = facts.languages or files.languages(beside)
            found.by_store["ios"], found.places["ios"] = facts, name
            return


def _read_gradle(files: _Files, found: FoundApp) -> None:
    for name in files.ending("build.gradle", "build.gradle.kts"):
        facts = facts_of_gradle(files.read(name).decode("utf-8", "replace"))
        if facts:
            below = name.rpartition("/")[0]
            facts.name = _label(files, below)
            facts.languages = facts.languages or files.languages(below)
            found.by_store["android"], found.places["android"] = facts, name
            return


def _label(files: _Files, below: str) -> str:
    """Return the app's name as its manifest says, in words or as the name of a text."""
    for name in files.ending("AndroidManifest.xml"):
        if not name.startswith(below):
            continue
        label = label_of_manifest(files.read(name))
        if not label.startswith("@string/"):
            return label
        for texts in files.ending("res/values/strings.xml"):
            if texts.startswith(below) and (words := string_of(files.read(texts), label.removeprefix("@string/"))):
                return words
    return ""
