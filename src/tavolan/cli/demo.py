"""`tavolan demo`."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import console, progress_bar, styled

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.advice.next_actions import NextActions
    from tavolan.checking import Finding
    from tavolan.project.model import Project

SHORT_WALK = ("en-US", "ja", "ar-SA")
# Of which locales the whole walk makes videos; the short one makes one video.
VIDEO_WALK = ("en-US", "de-DE", "ja", "ar-SA")


def demo(
    folder: Annotated[Path, typer.Argument(help="Folder for the sample project.", metavar="DIR")] = Path("kilnary"),
    full: Annotated[
        bool, typer.Option("--full", help="Render all 14 locales instead of three, and videos in four.")
    ] = False,
) -> None:
    """Write the sample project Kilnary and walk through it: check, cover, render, video, preview, hand over.

    What's already there is kept, so it can be run again, also over your own changes to it.
    """
    from tavolan.sample.clips import SIZES, write_clips
    from tavolan.sample.sounds import write_sounds
    from tavolan.sample.write import sample_locales, write_screens, write_texts
    from tavolan.sample.year import write_year

    out = console()
    out.print(
        styled("[bold]1  The sample[/]  Kilnary, an imaginary app for potters, with a few faults planted on purpose")
    )
    texts = write_texts(folder) + write_year(folder)
    with progress_bar("Drawing raw screens") as move:
        screens = write_screens(folder, move)
    classes = list(SIZES) if full else list(SIZES)[:1]
    with progress_bar("Recording clips") as move:
        clips = write_clips(folder, ["en-US"], classes, move)
    sounds = write_sounds(folder, sample_locales())
    out.print(f"   {texts} files and {screens} raw screens written to {folder}; what was there is kept")
    out.print(f"   {clips} clips of the app, music and voices: {sounds} sounds\n")
    import tavolan

    project = tavolan.open_project(folder)
    _walk(out, project, full)


def _walk(out: Console, project: Project, full: bool) -> None:
    import tavolan
    from tavolan.pictures.making.planner import Selection
    from tavolan.pictures.outputs.contact_sheet import make_boards
    from tavolan.pictures.outputs.icons import make_icons, plan_icons
    from tavolan.reports.tables import print_findings

    findings = tavolan.check(project)
    out.print(styled("[bold]2  tavolan check[/]  every finding, in all stores and locales"))
    print_findings(out, project, findings)
    out.print(styled("\n[bold]3  tavolan terms cover[/]  which phrases people can find the app by"))
    _coverage(out, project)
    locales = tuple(project.app.locales) if full else SHORT_WALK
    out.print(
        styled("\n[bold]4  tavolan locale send, receive[/]  to translators and back, with a stand-in that translates")
    )
    _exchange(out, project)
    out.print(styled("\n[bold]5  tavolan shots render[/]  the store pictures, at each store's exact sizes"))
    with progress_bar("Rendering") as move:
        files = tavolan.render(project, Selection(locales=locales), move)
    more = "" if full else "; all locales: tavolan demo --full"
    icons = make_icons(project, plan_icons(project))
    out.print(f"   {len(files)} pictures in {', '.join(locales)}{more}; {len(icons)} icons\n")
    out.print(styled("[bold]6  tavolan shots render --board[/]  all of them at one look"))
    with progress_bar("Boards") as move:
        boards = make_boards(project, locales=locales, progress=move)
    page = project.root / "out" / "preview.html"
    out.print(f"   {len(boards)} contact sheets\n")
    out.print(styled("[bold]7  tavolan video render, board[/]  the preview video, in one size and language"))
    videos = _make_videos(out, project, full)
    out.print(
        styled("[bold]8  tavolan console push, pull, submit, wait[/]  hand-over to a stand-in for a store's console")
    )
    _hand_over(out, project)
    report = _advise(out, project, findings, page)
    out.print(styled("[bold]Open next[/]"))
    example = next(file for file in files if "phone-6.9" in file.parts)
    for path in (page, report, *boards, example, *videos):
        out.print(f"  {path}", soft_wrap=True)


def _make_videos(out: Console, project: Project, full: bool) -> list[Path]:
    """Render the preview video and draw its board; return both files of the first one."""
    from tavolan.pictures.making.planner import Selection
    from tavolan.video.board import make_video_boards
    from tavolan.video.render import render_videos

    wanted = Selection(locales=VIDEO_WALK) if full else Selection(("ios",), VIDEO_WALK[:1], ("phone-6.9",))
    with progress_bar("Rendering") as move:
        done = render_videos(project, wanted, move)
    with progress_bar("Boards") as move:
        boards = make_video_boards(project, wanted, move)
    first = done.files[0]
    more = "" if full else "; all sizes, in four languages: tavolan demo --full"
    made = f"from {done.pieces_made} pieces" if done.made else "all up to date"
    out.print(f"   {len(done.files)} in {first.parent.parent.parent.parent}, {made}{more}\n", soft_wrap=True)
    return [first, boards[0]]


def _advise(out: Console, project: Project, findings: list[Finding], page: Path) -> Path:
    """Show results and what to do next, write both pages; return that of the results."""
    from tavolan.advice.next_actions import what_next
    from tavolan.reports.nexttable import print_next
    from tavolan.reports.page import build_page
    from tavolan.support.files import write_text

    out.print(
        styled(
            "[bold]9  tavolan results moved, effect, report[/]  what moved, which change did it, a month on one page"
        )
    )
    actions = what_next(project, date.today(), findings)
    report = _results(out, project, actions)
    out.print(styled("[bold]10  tavolan preview[/]  the listing as visitors would meet it\n"))
    write_text(page, build_page(project, findings, actions=actions.first))
    out.print(styled("[bold]11  tavolan next[/]  what to do now"))
    print_next(out, actions, why=False)
    out.print()
    return report


def _results(out: Console, project: Project, actions: NextActions) -> Path:
    """Show the digest of the last weeks, the effect of each change, and the step to repair; write a month's report."""
    from tavolan.experiments.backlog import backlog
    from tavolan.experiments.files import read_experiments
    from tavolan.reports.month_page import month_page
    from tavolan.reports.movedtable import print_moved
    from tavolan.reports.resultstables import print_effects, repair_words
    from tavolan.results.effect import Question, effect_of
    from tavolan.results.figures import Figures
    from tavolan.results.funnel import funnel_report
    from tavolan.results.month import month_results
    from tavolan.results.moved import what_moved
    from tavolan.results.scope import Scope
    from tavolan.support.files import write_text

    figures = Figures(project)
    print_moved(out, what_moved(figures, Scope()), why=False)
    print_effects(out, [effect_of(figures, one, Question()) for one in figures.joined_changes])
    if repair := funnel_report(figures, Scope()).repair:
        out.print(repair_words(*repair), soft_wrap=True)
    target = project.root / "out" / "report.html"
    entries = backlog(project, read_experiments(project), date.today())
    write_text(target, month_page(project, month_results(figures, Scope()), entries, actions.first))
    out.print(f"{target}\n", soft_wrap=True)
    return target


def _copy_project(root: Path, copy: Path, *without: str) -> None:
    """Copy a project. The files share their content where the disk can: whoever writes one replaces it."""
    import os
    import shutil

    def link(source: str, target: str) -> None:
        try:
            os.link(source, target)
        except OSError:
            shutil.copy2(source, target)

    shutil.copytree(root, copy, ignore=shutil.ignore_patterns(*without), copy_function=link)


def _exchange(out: Console, project: Project) -> None:
    """Send all texts of all languages, have them translated, and receive them: on a copy, so that the sample stays."""
    import tempfile

    import tavolan
    from tavolan.exchange.receive import read_requests, receive, take
    from tavolan.exchange.send import send
    from tavolan.standins.translator import translate
    from tavolan.support.files import read_bytes, write_bytes
    from tavolan.support.number_words import counted

    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder) / "kilnary"
        _copy_project(project.root, root, "out", "screens", "art")
        copied = tavolan.open_project(root)
        tags = [tag for tag in copied.app.locales if tag != copied.source_locale]
        sent = send(copied, tags, "xliff", root / "out" / "send", everything=True)
        files = [path for path, _ in sent.values() if path]
        for path in files:
            write_bytes(path, translate(read_bytes(path, path.name)))
        received = receive(copied, [request for path in files for request in read_requests(path)])
        take(copied, received)
        findings = tavolan.check(tavolan.open_project(root))
        outdated = sum(finding.rule == "outdated" for finding in findings)
        texts = sum(count for _, count in sent.values())
        out.print(
            f"   {texts} texts in {len(files)} files went out and came back: {len(received.changes)} written, "
            f"{received.same} as they were, {len(received.refused)} refused; {counted(outdated, 'outdated text')} left"
        )


def _hand_over(out: Console, project: Project) -> None:
    """Push the sample, change a text behind its back, pull, submit and wait: on a copy, so that the sample stays."""
    import os
    import tempfile

    import tavolan
    from tavolan.consoles.merge import counted_by_side
    from tavolan.project.journal import read_journal
    from tavolan.standins.console.rehearsal import rehearsal
    from tavolan.support.files import write_bytes
    from tavolan.support.number_words import counted

    with tempfile.TemporaryDirectory() as folder, rehearsal() as desk:
        root = Path(folder) / "kilnary"
        _copy_project(project.root, root, "boards")
        desk.connect(root, "ios")
        os.environ.update(desk.variables("ios"))
        with tavolan.console(tavolan.open_project(root), "ios") as console:
            held = console.plan().held
            pushed = console.push()
            out.print(
                f"   {counted(len(pushed.sent), 'change')} sent, {counted(pushed.uploaded, 'picture')} uploaded, "
                f"version {pushed.version} begun; {counted(len(held), 'change')} held back, as {held[0].cell.place}: "
                f"{held[0].why}"
            )
            desk.write_behind_your_back("ios", "fr-FR", "promo", "Nouveau : tous les fours d'un atelier partagé.")
            there = counted_by_side(console.compare())["there"]
            pulled = console.pull()
            out.print(f"   somebody changes a text there: compare finds {there}, pull brings {len(pulled.texts)} in")
            build = root / "kilnary.bin"
            write_bytes(build, b"a build")
            console.submit(build, "241")
            version = console.wait("approved", 60).version
            lines = len(read_journal(root))
            state = version.state if version else "gone"
            out.print(f"   submitted with build 241: {state}; journal.csv has {counted(lines, 'line')}\n")


def _coverage(out: Console, project: Project) -> None:
    import tavolan
    from tavolan.words.coverage import coverage_by_storefront

    answers = tavolan.cover(project)
    for store, fronts in coverage_by_storefront(answers).items():
        parts = [f"{front} {cell['covered']}/{cell['phrases']}" for front, cell in fronts.items()]
        out.print(styled("   [bold]{}[/]  {}", store, "  ".join(parts)))
    best = max((a for a in answers if not a.covered), key=lambda a: a.term.relevance or 0)
    missing = ", ".join(best.missing)
    out.print(f"   worth most of what is not answered: “{best.phrase}” in {best.storefront} lacks {missing}")
