"""`tavolan terms swap`: what a word in another one's place would do."""

from __future__ import annotations

from typing import Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    ProjectOption,
    StoreOption,
    console,
    open_project,
    print_document,
    say,
)


def swap(
    out: Annotated[str, typer.Option("--without", help="The word that gives way.", metavar="WORD")] = "",
    into: Annotated[str, typer.Option("--with", help="The word that takes its place.", metavar="WORD")] = "",
    project: ProjectOption = None,
    store: StoreOption = None,
    locale: LocaleOption = None,
    field: Annotated[
        list[str] | None, typer.Option("--field", help="Only in this field, as title or keywords; repeatable.")
    ] = None,
    sentence: Annotated[
        str,
        typer.Option("--sentence", help="The text as you write it, for one --locale and --field.", metavar="TEXT"),
    ] = "",
    apply: Annotated[bool, typer.Option("--apply", help="Write keyword lists, or your sentence, into copy/.")] = False,
    json: JsonOption = False,
) -> None:
    """Show which phrases are won, lost, stronger or weaker when a word of the listing gives way to another one.

    --with alone adds a word to the keywords, --without alone takes one out. Of titles and other sentences the place is
    shown: you write them.
    """
    from tavolan.errors import UsageError
    from tavolan.project.text_writing import TextWriter
    from tavolan.project.texts import Texts
    from tavolan.reports.documents.words import SwapDocument
    from tavolan.reports.swaptable import print_swap
    from tavolan.words.swap import SwapRequest, swap_words

    opened = open_project(project, write=apply)
    locales = opened.pick("--locale", locale or [], opened.app.locales) if locale else []
    stores = opened.pick("--store", store or [], list(opened.stores))
    found = swap_words(opened, SwapRequest(out, into, tuple(locales), tuple(field or ()), tuple(stores), sentence))
    if json:
        print_document(SwapDocument.of(found))
    else:
        print_swap(console(), found)
    if apply:
        if found.over:
            raise UsageError("\n".join([*found.over, "Nothing was written."]))
        if not found.texts:
            raise UsageError(
                "only sentences hold the word, and those are yours to write: nothing was written",
                "Name one with --locale and --field, and give it as --sentence TEXT.",
            )
        TextWriter(Texts(opened)).write(found.texts, "translated" if sentence else "as before")
        say(f"Written: {', '.join(f'{one.locale} {one.address}' for one in found.texts)}")
