"""Open what's below a project's folder without ever leaving it, whatever links are on the way.

A project may come from somebody else, with links in it that lead anywhere. A look beforehand wouldn't help: a link can
be laid between the look and the opening. So each folder on the way is opened from the one before by its descriptor,
which follows no link; a link is read and walked by the same rule, and one that leads out of the project is refused.
Where a system can't open files that way, links are looked at beforehand.
"""

import errno
import os
from collections import deque
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from pathlib import Path
from typing import NamedTuple

from tavolan.errors import ProjectError, one_problem

# As many links as the kernel follows before it takes them for a circle.
_MOST_LINKS = 40
_BY_DESCRIPTOR = {os.open, os.readlink, os.mkdir} <= os.supports_dir_fd
_FOLDER = getattr(os, "O_PATH", os.O_RDONLY) | getattr(os, "O_DIRECTORY", 0)
_NO_LINK = getattr(os, "O_NOFOLLOW", 0)
_BINARY = getattr(os, "O_BINARY", 0)
_DESCRIPTORS = Path("/proc/self/fd")
_REMEDY = "Put a file or folder of the project's own in place of the link."

# The folders that nothing leaves: each as it was named, with where it really is.
_contained: dict[str, str] = {}


class Place(NamedTuple):
    """A file's folder as an open descriptor, its name there, and its whole path with links followed.

    Without a descriptor the name is the whole path.
    """

    folder: int | None
    name: str
    path: Path


def contain(root: Path) -> None:
    """Have no file below a folder opened, written or deleted outside it from now on."""
    named = str(root.absolute())
    real = os.path.realpath(named)
    _contained[named] = _contained[real] = real


def _root_of(path: Path) -> tuple[str, tuple[str, ...]] | None:
    """Return the innermost contained folder that a path is below, with the names from there; None for one elsewhere."""
    # An option may name a file beside the folder as `../x`: that's no file below it.
    parts = Path(os.path.abspath(path)).parts  # noqa: PTH100
    for count in range(len(parts) - 1, 0, -1):
        if real := _contained.get(os.path.join(*parts[:count])):  # noqa: PTH118
            return real, parts[count:]
    return None


@contextmanager
def placed(path: Path, *, follow: bool = True, make: bool = False) -> Iterator[Place]:
    """Give a file's place while its folder is held open. With `follow` the file is what a link in its place leads to.

    With `make`, folders on the way are made. A path below no contained folder is given as it is. Raises ProjectError
    when it leads outside, OSError when a folder on the way isn't there or can't be opened.
    """
    found = _root_of(path)
    if found is None:
        path = path.resolve() if follow and path.is_symlink() else path
        if make:
            path.parent.mkdir(parents=True, exist_ok=True)
        yield Place(None, str(path), path)
        return
    real, names = found
    if not _BY_DESCRIPTOR:
        yield _looked_up(Path(real), names, follow, make)
        return
    with ExitStack() as opened:
        yield _Walk(real, names, make, opened).place(follow)


def _looked_up(root: Path, names: tuple[str, ...], follow: bool, make: bool) -> Place:
    """Return the place of a file where links can only be looked at beforehand."""
    path = root.joinpath(*names)
    real = path.resolve() if follow else path.parent.resolve() / path.name
    if not real.is_relative_to(root):
        raise leads_outside("/".join(names))
    if make:
        real.parent.mkdir(parents=True, exist_ok=True)
    return Place(None, str(real), real)


def leads_outside(shown: str) -> ProjectError:
    """Return the error for a name below a project that leads out of it."""
    message = "leads outside the project, where nothing is read, written or deleted"
    return one_problem(shown, None, "", message, _REMEDY)


class _Walk:
    """The way from a contained folder to one file below it."""

    def __init__(self, root: str, names: tuple[str, ...], make: bool, opened: ExitStack) -> None:
        self._root, self._shown, self._make, self._opened = root, "/".join(names), make, opened
        self._left = deque(names)
        self._links = 0
        self._start()

    def _start(self) -> None:
        """Go to the contained folder itself."""
        if self._make:
            Path(self._root).mkdir(parents=True, exist_ok=True)
        self._folders, self._names = [self._keep(os.open(self._root, _FOLDER))], list[str]()

    def _keep(self, folder: int) -> int:
        self._opened.callback(os.close, folder)
        return folder

    def place(self, follow: bool) -> Place:
        """Return the place of the file at the end of the way."""
        while True:
            name = self._left.popleft()
            if name in ("", "."):
                pass
            elif name == "..":
                self._up()
            elif self._left:
                self._into(name)
            elif not follow or not self._turn(name):
                return Place(self._folders[-1], name, Path(self._root, *self._names, name))
            if not self._left:
                # A link to a folder of the project: its own name in the folder above it.
                if not self._names:
                    raise leads_outside(self._shown)
                self._folders.pop()
                name = self._names.pop()
                return Place(self._folders[-1], name, Path(self._root, *self._names, name))

    def _up(self) -> None:
        if not self._names:
            raise leads_outside(self._shown)
        self._folders.pop()
        self._names.pop()

    def _into(self, name: str) -> None:
        """Go into a folder, or where a link in its place leads."""
        try:
            folder = os.open(name, _FOLDER | _NO_LINK, dir_fd=self._folders[-1])
        except FileNotFoundError:
            if not self._make:
                raise
            with suppress(FileExistsError):
                os.mkdir(name, dir_fd=self._folders[-1])
            folder = os.open(name, _FOLDER | _NO_LINK, dir_fd=self._folders[-1])
        except OSError as error:
            if error.errno not in (errno.ELOOP, errno.ENOTDIR) or not self._turn(name):
                raise
            return
        self._folders.append(self._keep(folder))
        self._names.append(name)

    def _turn(self, name: str) -> bool:
        """Take the way of a link; return False where there's none."""
        try:
            target = os.readlink(name, dir_fd=self._folders[-1])
        except OSError:
            return False
        self._links += 1
        if self._links > _MOST_LINKS:
            raise OSError(errno.ELOOP, os.strerror(errno.ELOOP), self._shown)
        # A trailing slash is no name.
        parts = [part for part in target.split("/") if part]
        if target.startswith("/"):
            parts = self._below(target)
            self._start()
        self._left.extendleft(reversed(parts))
        return True

    def _below(self, target: str) -> list[str]:
        """Return the names from the contained folder to an absolute path."""
        for path in (target, os.path.realpath(target)):
            found = _root_of(Path(path))
            if found and found[0] == self._root:
                return list(found[1])
        raise leads_outside(self._shown)


def open_file(path: Path, flags: int, *, make: bool = False) -> int:
    """Return the descriptor of a file, opened with these flags. Raises OSError, and ProjectError for one outside."""
    with placed(path, make=make) as place:
        return os.open(place.name, flags | _BINARY | (_NO_LINK if place.folder is not None else 0), dir_fd=place.folder)


@contextmanager
def readable_path(path: Path) -> Iterator[str]:
    """Give a path by which a library reads a file that's open already. Raises as `open_file` does."""
    # Opening a pipe would wait for somebody who writes into it.
    descriptor = open_file(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0))
    try:
        inner = _DESCRIPTORS / str(descriptor)
        yield str(inner) if inner.exists() else str(path)
    finally:
        os.close(descriptor)


@contextmanager
def writable_path(place: Place) -> Iterator[Path]:
    """Give a path by which a library writes a file that was made in a place that's held open."""
    folder = _DESCRIPTORS / str(place.folder)
    yield folder / place.name if place.folder is not None and folder.exists() else place.path


def remove(path: Path) -> None:
    """Delete a file if it's there; of a link, the link. Raises OSError, and ProjectError for one outside."""
    with suppress(FileNotFoundError), placed(path, follow=False) as place:
        os.unlink(place.name, dir_fd=place.folder)


def remove_tree(path: Path) -> None:
    """Delete a folder with all that's in it, as far as that goes; links in it are deleted, not followed."""
    import shutil

    with suppress(FileNotFoundError), placed(path, follow=False) as place:
        if place.folder is not None and shutil.rmtree.avoids_symlink_attacks:
            shutil.rmtree(place.name, ignore_errors=True, dir_fd=place.folder)
        else:
            shutil.rmtree(place.path, ignore_errors=True)


def remove_empty_folders(path: Path, up_to: Path) -> None:
    """Delete a folder that's empty, and those above it that are then, up to one that stays."""
    while path != up_to and up_to in path.parents:
        try:
            with placed(path, follow=False) as place:
                os.rmdir(place.name, dir_fd=place.folder)
        except OSError:
            return
        path = path.parent


def make_folder(path: Path) -> None:
    """Make a folder and those on the way, where they aren't there. Raises as `open_file` does."""
    with placed(path / "_", make=True):
        pass


def move(source: Path, target: Path) -> None:
    """Give a file another name, in the place of one that's there. Raises OSError, and ProjectError for one outside."""
    with placed(source, follow=False) as old, placed(target, make=True) as new:
        os.replace(old.name, new.name, src_dir_fd=old.folder, dst_dir_fd=new.folder)
