"""`tavolan preview`."""

from datetime import date
from pathlib import Path
from typing import Annotated

import typer

from tavolan.cli.common import (
    DeviceOption,
    LocaleOption,
    OnOption,
    ProjectOption,
    TimesOption,
    console,
    open_on_day,
    open_project,
)


def preview(
    project: ProjectOption = None,
    plan: Annotated[list[str] | None, typer.Option("--plan", help="Show a plan of words for this locale too.")] = None,
    out: Annotated[Path | None, typer.Option("--out", help="File to write; else out/preview.html.")] = None,
    on: OnOption = "",
    live: Annotated[
        bool, typer.Option("--live", help="Render and refresh the page whenever a file is saved. Ends with Ctrl-C.")
    ] = False,
    locale: LocaleOption = None,
    device: DeviceOption = None,
    port: Annotated[int, typer.Option("--port", min=0, max=65535, help="Port of the live page; else a free one.")] = 0,
    times: TimesOption = 0,
) -> None:
    """Make one self-contained page of all locales: what to do next, text, length gauges, findings, pictures.

    With --live only pictures of some locales or size classes may be rendered, which is faster.
    """
    from tavolan.advice.next_actions import what_next
    from tavolan.checking import run_checks
    from tavolan.errors import UsageError
    from tavolan.reports.page import build_page
    from tavolan.support.files import write_text

    if live:
        if plan or out or on:
            raise UsageError("a live page is of today, at its own address", "Leave --plan, --out and --on out.")
        from tavolan.cli.preview_live import watch_project
        from tavolan.pictures.making.planner import Selection

        watch_project(open_project(project).root, Selection((), tuple(locale or ()), tuple(device or ())), port, times)
        return
    if locale or device or port:
        raise UsageError("only a live page renders pictures", "Give --live, or leave --locale, --device, --port out.")
    opened = open_on_day(project, on)
    target = out or opened.root / "out" / "preview.html"
    made = None
    if plan:
        from tavolan.words.plan import first_store_with_keywords
        from tavolan.words.plan import plan as make_plan
        from tavolan.words.plan_choices import Options

        store = first_store_with_keywords(opened)
        locales = opened.pick("--plan", plan, list(opened.stores[store].locales))
        made = make_plan(opened, Options(store, tuple(locales)))
    findings = run_checks(opened)
    actions = what_next(opened, opened.day or date.today(), findings).first
    write_text(target, build_page(opened, findings, made, actions, target.parent))
    console().print(str(target), soft_wrap=True)
