"""`tavolan terms`."""

from __future__ import annotations

from typing import Annotated

import typer

from tavolan.cli.common import JsonOption, ProjectOption, StoreOption, console, open_project, print_json

app = typer.Typer(help="The phrases that people search for, and what answers them.", no_args_is_help=True)


@app.callback()
def terms() -> None:
    """The phrases that people search for, and what answers them."""


@app.command()
def cover(
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: Annotated[list[str] | None, typer.Option("--storefront", help="Only this country; repeatable.")] = None,
    uncovered: Annotated[bool, typer.Option("--uncovered", help="Only phrases that nothing answers.")] = False,
    json: JsonOption = False,
) -> None:
    """Tell for each storefront which phrases the listing's words answer, and which words are missing."""
    from tavolan.words.cover import as_document, storefronts_of
    from tavolan.words.cover import cover as cover_phrases

    opened = open_project(project)
    stores = opened.pick("--store", store or [], list(opened.stores))
    known = list(dict.fromkeys(front for s in stores for front in storefronts_of(opened.stores[s])))
    fronts = opened.pick("--storefront", storefront or [], known)
    answers = cover_phrases(opened, stores, fronts)
    if uncovered and json:
        answers = [answer for answer in answers if not answer.covered]
    if json:
        print_json(as_document(answers))
        return
    from tavolan.reports.tables import print_coverage

    print_coverage(console(), opened, answers, uncovered)
