"""Tavolan: an app's store listing from plain files.

    >>> import tavolan
    >>> project = tavolan.open_project("kilnary")      # doctest: +SKIP
    >>> [f.message for f in tavolan.check(project)]    # doctest: +SKIP

All functions take and return plain data; nothing prints.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from tavolan.support.version import __version__

if TYPE_CHECKING:
    from collections.abc import Callable
    from datetime import date

    from tavolan.advice.action import Action
    from tavolan.checking import Finding
    from tavolan.consoles.session import Console
    from tavolan.pictures.making.planner import Selection
    from tavolan.project.model import Project
    from tavolan.results.month import MonthResults
    from tavolan.words.coverage import Answer

__all__ = ["__version__", "check", "console", "cover", "next_actions", "open_project", "render", "results"]


def open_project(folder: str | Path = ".") -> Project:
    """Load the project in `folder` or the nearest folder above it. Raises ProjectError with every problem."""
    from tavolan.project.load import find_root, load_project
    from tavolan.support.transaction import begin_anew, settle

    begin_anew()
    root = find_root(Path(folder))
    settle(root)
    return load_project(root)


def check(project: Project) -> list[Finding]:
    """Return every finding of every store and locale, worst first."""
    from tavolan.checking import run_checks

    return run_checks(project)


def cover(project: Project, stores: list[str] | None = None) -> list[Answer]:
    """Return for every storefront and target phrase whether the listing's words answer it."""
    from tavolan.words.coverage import cover as cover_phrases

    return cover_phrases(project, stores or list(project.stores))


def console(project: Project, store: str) -> Console:
    """Return a store's console beside the project, to compare, pull and push. Raises UsageError without one."""
    from tavolan.consoles.session import Console

    return Console(project, store)


def next_actions(project: Project, today: date | None = None) -> list[Action]:
    """Return what to do next, in its order: at most ten actions, each with worth, minutes, reason and command."""
    from datetime import date as calendar

    from tavolan.advice.next_actions import what_next

    return what_next(project, today or calendar.today()).first


def results(project: Project, month: str = "") -> MonthResults:
    """Return all results of a month, written as 2026-11; of the newest one with data where none is given.

    Raises UsageError for a month without data.
    """
    from tavolan.results.figures import Figures
    from tavolan.results.month import month_results
    from tavolan.results.scope import Scope

    return month_results(Figures(project), Scope(), month)


def render(
    project: Project, selection: Selection | None = None, progress: Callable[[int, int], None] | None = None
) -> list[Path]:
    """Render the selected pictures (all by default) under `out/`, those that changed; return all their files in order.

    `progress` is called with (pictures done, pictures in all). Raises ProjectError with every shot that
    can't be drawn.
    """
    from tavolan.pictures.making.planner import Selection as Wanted
    from tavolan.pictures.making.render import render as render_pictures

    return render_pictures(project, selection or Wanted(), progress).files
