"""The loop of `tavolan preview --live`."""

import time
from datetime import date
from pathlib import Path

from tavolan.cli.common import console, styled
from tavolan.errors import ProjectError, UsageError
from tavolan.pictures.making.planner import Selection
from tavolan.project.load import load_project
from tavolan.project.seasons import on_day
from tavolan.reports.live import Live


def watch_project(root: Path, selection: Selection, port: int, times: int = 0) -> None:
    """Render and rebuild the page at every change of the project's files, until interrupted or `times` reached."""
    from watchfiles import watch

    page = root / "out" / "preview.html"
    out = console()
    _round(root, selection, page)
    live = Live(page, port)
    out.print(f"Watching {root}. The page: {live.address}  Stop with Ctrl-C.", soft_wrap=True)
    seen = 0
    try:
        for _changes in watch(root, watch_filter=lambda _, path: _matters(root, Path(path)), raise_interrupt=False):
            if _round(root, selection, page):
                live.changed()
            seen += 1
            if times and seen >= times:
                break
    finally:
        live.close()


def _matters(root: Path, path: Path) -> bool:
    """Whether a file is one of the project's own: not what we write, not an editor's scratch file."""
    parts = path.relative_to(root).parts
    return bool(parts) and parts[0] != "out" and not any(part.startswith(".") or part.endswith("~") for part in parts)


def _round(root: Path, selection: Selection, page: Path) -> bool:
    """Render what changed; a project that can't be read right now is reported and left for the next save."""
    from tavolan.checking import run_checks
    from tavolan.pictures.making.render import render
    from tavolan.reports.page import build_page
    from tavolan.support.files import write_text

    out = console()
    begin = time.perf_counter()
    try:
        project = on_day(load_project(root), date.today())
        done = render(project, selection)
        write_text(page, build_page(project, run_checks(project)))
    except (ProjectError, UsageError) as error:
        out.print(str(error))
        return False
    for file, reason in list(done.why.items())[:8]:
        out.print(styled("{}  [dim]{}[/]", file, reason), soft_wrap=True)
    more = f", {len(done.why) - 8} not listed" if len(done.why) > 8 else ""
    out.print(f"{len(done.made)} made{more}, {done.kept} up to date, in {time.perf_counter() - begin:.1f} s")
    return True
