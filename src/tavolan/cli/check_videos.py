"""`tavolan check --videos`: the project's videos alone, or files that were made elsewhere."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import typer

from tavolan.cli.common import console, open_on_day, print_document

if TYPE_CHECKING:
    from tavolan.rulebooks.model import Rulebook


def check_files(files: list[Path], project: Path | None, store: list[str] | None, device: str, *, json: bool) -> None:
    """Check video files, also made elsewhere: size, length, rate, codecs, sound, black, frozen or flashing parts."""
    from tavolan.checking.video_files import check_video_files
    from tavolan.reports.documents.pictures import CheckedVideosDocument
    from tavolan.reports.videotables import print_checked_videos

    checked = check_video_files(files, _books(project, store), device)
    if json:
        print_document(CheckedVideosDocument.of(checked))
    else:
        print_checked_videos(console(), checked)
    raise typer.Exit(1 if any(finding.level == "error" for finding in checked.findings) else 0)


def check_project(project: Path | None, store: list[str] | None, *, json: bool) -> None:
    """Check the project's videos, and nothing else of it."""
    from tavolan.checking.project_videos import check_project_videos
    from tavolan.reports.documents.checks import Check
    from tavolan.reports.tables import print_findings

    opened = open_on_day(project)
    stores = opened.pick("--store", store or [], list(opened.stores))
    findings = [finding for finding in check_project_videos(opened) if any(map(finding.concerns, stores))]
    scope = (len(opened.app.locales), len(stores))
    if json:
        print_document(Check.on(findings, *scope))
    else:
        print_findings(console(), opened, findings, True, scope=scope)
    raise typer.Exit(1 if any(finding.level == "error" and not finding.waived for finding in findings) else 0)


def _books(project: Path | None, store: list[str] | None) -> list[Rulebook]:
    """Return the rulebooks to check files against: the project's, else those that ship."""
    from tavolan.errors import ProjectError, UnknownNameError
    from tavolan.project.load import find_root, load_project
    from tavolan.rulebooks.load import shipped_ids, shipped_rulebook

    try:
        root = find_root(project or Path())
    except ProjectError:
        if project:
            raise
        known = shipped_ids()
        for name in store or ():
            if name not in known:
                raise UnknownNameError("there's no rulebook", name, known, option="--store") from None
        return [shipped_rulebook(name) for name in store or known]
    opened = load_project(root)
    return [opened.stores[name].rulebook for name in opened.pick("--store", store or [], list(opened.stores))]
