"""No link leads out of a project: not for reading, writing, deleting, locks or databases, nor between look and use."""

import itertools
import os
import shutil
import sqlite3
import stat
import threading
from contextlib import suppress
from pathlib import Path

import pytest

from conftest import run_tavolan
from tavolan.errors import OutsideError, ProjectError
from tavolan.support.containment import contain, make_folder, move, readable_path, remove, remove_tree
from tavolan.support.files import (
    copy_file,
    database_path,
    delete_file,
    drafted,
    read_bytes,
    replace_file,
    write_bytes,
    write_inside,
)


@pytest.fixture
def root(tmp_path):
    """A contained folder beside one that must stay as it is."""
    outside = tmp_path / "outside"
    (outside / "deep").mkdir(parents=True)
    (outside / "victim.txt").write_text("stays")
    (outside / "deep/victim.txt").write_text("stays")
    made = tmp_path / "project"
    (made / "folder").mkdir(parents=True)
    contain(made)
    return made


def state_of(folder: Path) -> dict[str, tuple[int, bytes]]:
    """What a folder holds: names, kinds and modes, contents."""
    return {
        path.relative_to(folder).as_posix(): (path.lstat().st_mode, path.read_bytes() if path.is_file() else b"")
        for path in sorted(folder.rglob("*"))
    }


def database(path):
    sqlite3.connect(database_path(path)).execute("create table t (x)")


OPERATIONS = {
    "read": lambda path: read_bytes(path, path.name),
    "write": lambda path: write_bytes(path, b"mine"),
    "library reads": lambda path: readable_path(path).__enter__(),
    "library writes": lambda path: drafted(path).__enter__(),
    "copy": lambda path: copy_file(path, path.with_name("copy")),
    "database": database,
}
# Links that lead out, by the name of the file below the project that's asked for.
LEADING_OUT = {
    "file": ("link", "../outside/victim.txt"),
    "absolute": ("link", "{outside}/victim.txt"),
    "dangling": ("link", "../outside/none"),
    "folder": ("away/victim.txt", "../outside"),
    "deep": ("away/deep/victim.txt", "../outside"),
    "climbing": ("away/outside/victim.txt", ".."),
    "by two links": ("twice/victim.txt", "away"),
    "out and in again": ("round/project/folder/x", ".."),
}


@pytest.mark.parametrize("way", LEADING_OUT)
@pytest.mark.parametrize("name", OPERATIONS)
def test_no_operation_follows_a_link_out(root, name, way):
    asked, target = LEADING_OUT[way]
    outside = root.parent / "outside"
    (root / Path(asked).parts[0]).symlink_to(target.format(outside=outside))
    if way == "by two links":
        (root / "away").symlink_to("../outside")
    before = state_of(outside)
    with pytest.raises((ProjectError, OutsideError)) as refused:
        OPERATIONS[name](root / asked)
    assert "leads outside the project" in str(refused.value)
    assert state_of(outside) == before


def test_of_a_link_the_link_itself_is_deleted_or_moved(root):
    outside = root.parent / "outside"
    before = state_of(outside)
    for take_away in (remove, remove_tree, delete_file, lambda path: move(path, root / "moved")):
        (root / "link").symlink_to("../outside/victim.txt")
        take_away(root / "link")
        remove(root / "link")
    (root / "away").symlink_to("../outside")
    with pytest.raises(ProjectError, match="leads outside"):
        remove(root / "away/victim.txt")
    with pytest.raises(ProjectError, match="leads outside"):
        make_folder(root / "away/new")
    remove_tree(root / "away")
    assert state_of(outside) == before


def test_links_within_are_followed_and_stay(root):
    (root / "real").mkdir()
    (root / "short").symlink_to("real")
    (root / "absolute").symlink_to(root / "real")
    (root / "folder/up").symlink_to("../real/./")
    for name in ("short/a", "absolute/b", "folder/up/c", "folder/../short/d"):
        write_bytes(root / name, b"mine")
        assert read_bytes(root / name, name) == b"mine"
    assert sorted(path.name for path in (root / "real").iterdir()) == ["a", "b", "c", "d"]
    (root / "note").symlink_to("real/a")
    (root / "real/a").chmod(0o640)
    replace_file(root / "note", b"new")
    assert (root / "note").is_symlink() and (root / "real/a").read_bytes() == b"new"
    assert stat.S_IMODE((root / "real/a").stat().st_mode) == 0o640


def test_a_project_that_is_itself_named_by_a_link_is_one_project(root):
    named = root.parent / "named"
    named.symlink_to(root)
    contain(named)
    write_bytes(named / "folder/x", b"mine")
    (root / "folder/own").symlink_to(named / "folder/x")
    assert read_bytes(root / "folder/own", "x") == b"mine"
    with pytest.raises(ProjectError, match="leads outside"):
        write_inside(named, "../outside/victim.txt", b"x")


def test_a_circle_of_links_ends(root):
    (root / "a").symlink_to("b")
    (root / "b").symlink_to("a")
    with pytest.raises(ProjectError, match="can't be read"):
        read_bytes(root / "a/x", "a/x")


def test_a_link_laid_between_a_look_and_the_writing_is_not_followed(root):
    # One thread turns a folder into a link and back, another writes into it: many times, and never outside.
    outside, folder, aside = root.parent / "outside", root / "folder", root / "aside"
    before = state_of(outside)
    stop = threading.Event()

    def swap():
        # The writer makes the folder again where it finds none, so a step may fail.
        for step in itertools.cycle((
            lambda: folder.rename(aside), lambda: folder.symlink_to("../outside"), folder.unlink, aside.rmdir,
        )):  # fmt: skip
            if stop.is_set():
                return
            with suppress(OSError):
                step()

    swapping = threading.Thread(target=swap)
    swapping.start()
    refused = 0
    try:
        for _ in range(1500):
            try:
                replace_file(folder / "victim.txt", b"mine")
                delete_file(folder / "victim.txt")
            except (ProjectError, OutsideError):
                refused += 1
    finally:
        stop.set()
        swapping.join()
    assert state_of(outside) == before and refused < 1500


def test_a_file_that_shares_its_content_with_one_outside_is_written_apart(rendered):
    outside = rendered.parent / "outside"
    outside.mkdir()
    for name in (
        "out/made.sqlite",
        "out/thumbs.sqlite",
        ".tavolan/out.lock",
        ".tavolan/project.lock",
        "copy/de-DE.toml",
    ):
        place = rendered / name
        place.parent.mkdir(exist_ok=True)
        content = place.read_bytes() if place.exists() and place.stat().st_size else b"stays"
        (outside / place.name).write_bytes(content)
        place.unlink(missing_ok=True)
        os.link(outside / place.name, place)
    before = state_of(outside)
    for command in (
        ("copy", "set", "de-DE", "subtitle", "Ton"),
        ("shots", "render"),
        ("shots", "render", "--board"),
        ("preview",),
    ):
        assert run_tavolan(*command, cwd=rendered).code == 0
    assert state_of(outside) == before
    # What was made before is known still.
    assert "12 up to date" in run_tavolan("shots", "render", cwd=rendered).out


def test_what_an_option_names_elsewhere_is_written_there(shared_project, tmp_path):
    root = shutil.copytree(shared_project, tmp_path / "potto")
    (tmp_path / "link.html").symlink_to("page.html")
    assert run_tavolan("preview", "--out", "../link.html", cwd=root).code == 0
    assert (tmp_path / "link.html").is_symlink() and (tmp_path / "page.html").stat().st_size > 1000


# What a stranger's folder may hold as links, and a command that would write or delete there.
PLANTED = {
    ".tavolan/project.holder": ("copy", "set", "de-DE", "subtitle", "Ton"),
    ".tavolan/project.lock": ("copy", "set", "de-DE", "subtitle", "Ton"),
    ".tavolan/.gitignore": ("copy", "set", "de-DE", "subtitle", "Ton"),
    ".tavolan/change": ("copy", "set", "de-DE", "subtitle", "Ton"),
    ".tavolan/change/journal.json": ("check",),
    ".tavolan": ("copy", "set", "de-DE", "subtitle", "Ton"),
    ".tavolan/out.holder": ("shots", "render", "--locale", "en-US"),
    "out": ("shots", "render", "--locale", "en-US"),
    "out/made.sqlite": ("shots", "render", "--locale", "en-US"),
    "out/made.sqlite-wal": ("shots", "render", "--locale", "en-US"),
    "out/thumbs.sqlite": ("shots", "render", "--board"),
    "out/boards": ("shots", "render", "--board"),
    "out/preview.html": ("preview",),
    "out/shots": ("shots", "render", "--locale", "en-US"),
    "schemas": ("schema", "--out", "schemas"),
    "copy/state.csv": ("copy", "set", "de-DE", "subtitle", "Ton"),
    "copy/memory.tmx": ("copy", "set", "de-DE", "subtitle", "Ton"),
    "copy/de-DE.toml": ("copy", "set", "de-DE", "subtitle", "Ton"),
    "screens": ("shots", "render", "--locale", "en-US"),
    "tavolan.toml": ("check",),
}


@pytest.mark.parametrize("target", ["folder", "dangling"])
@pytest.mark.parametrize("planted", PLANTED)
def test_commands_change_and_read_nothing_outside(rendered, planted, target):
    outside = rendered.parent / "outside"
    (outside / "change").mkdir(parents=True)
    (outside / "change/journal.json").write_text("stays")
    place = rendered / planted
    place.parent.mkdir(exist_ok=True)
    if place.is_dir():
        shutil.copytree(place, outside, dirs_exist_ok=True)
        shutil.rmtree(place)
    elif place.exists():
        shutil.copy(place, outside / "file")
        place.unlink()
    is_file = (outside / "file").exists()
    place.symlink_to(outside / ("none" if target == "dangling" else "file" if is_file else "."))
    before = state_of(outside)
    done = run_tavolan(*PLANTED[planted], cwd=rendered)
    assert state_of(outside) == before
    assert done.code in (0, 1, 2, 3, 4), done.err


def test_without_descriptors_links_are_looked_at_beforehand(root, monkeypatch):
    monkeypatch.setattr("tavolan.support.containment._BY_DESCRIPTOR", False)
    outside = root.parent / "outside"
    before = state_of(outside)
    (root / "away").symlink_to("../outside")
    with pytest.raises(ProjectError, match="leads outside"):
        write_bytes(root / "away/victim.txt", b"mine")
    write_bytes(root / "folder/x", b"mine")
    assert read_bytes(root / "folder/x", "x") == b"mine" and state_of(outside) == before
    assert os.path.exists(root / "away")  # noqa: PTH110
