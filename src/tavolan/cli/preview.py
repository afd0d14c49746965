"""`tavolan preview`."""

from datetime import date
from pathlib import Path
from typing import Annotated

import typer

from tavolan.cli.common import OnOption, ProjectOption, console, open_on_day


def preview(
    project: ProjectOption = None,
    plan: Annotated[list[str] | None, typer.Option("--plan", help="Show a plan of words for this locale too.")] = None,
    out: Annotated[Path | None, typer.Option("--out", help="File to write; else out/preview.html.")] = None,
    on: OnOption = "",
) -> None:
    """Make one self-contained page of all locales: what to do next, text, length gauges, findings, pictures."""
    from tavolan.advice.next_actions import what_next
    from tavolan.checking import run_checks
    from tavolan.reports.page import build_page
    from tavolan.support.files import write_text

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
