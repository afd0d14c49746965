"""`tavolan reviews`."""

from __future__ import annotations

from datetime import date
from typing import Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    ProjectOption,
    StoreOption,
    YesOption,
    agreed,
    console,
    print_document,
    progress_bar,
    say,
    write_figure,
)
from tavolan.cli.results_options import FigureOption, StorefrontOption, open_stores

app = typer.Typer(
    help="What to answer first, replies, and what people praise and complain about.", no_args_is_help=True
)


@app.callback()
def reviews() -> None:
    """What to answer first, replies, and what people praise and complain about."""


@app.command()
def queue(
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    locale: LocaleOption = None,
    top: Annotated[int, typer.Option("--top", min=1, help="How many to show.")] = 10,
    json: JsonOption = False,
) -> None:
    """Show what to answer first: featured ones, those changed since your reply, low stars, praise last."""
    from tavolan.reports.documents.reviews import QueueDocument
    from tavolan.reports.reviewtables import print_queue
    from tavolan.reviews.queue import review_queue

    opened, stores = open_stores(project, store)
    with progress_bar("Reading"):
        found = review_queue(opened, date.today(), stores, storefront or (), locale or (), top)
    if json:
        print_document(QueueDocument.of(found))
    else:
        print_queue(console(), found)


@app.command()
def themes(
    locale: Annotated[str, typer.Option("--locale", help="Whose reviews; else the source locale's.")] = "",
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    least: Annotated[int, typer.Option("--least", min=2, help="Fewest reviews that must hold it.")] = 3,
    top: Annotated[int, typer.Option("--top", min=1, help="How many of each kind.")] = 10,
    figure: FigureOption = None,
    why: Annotated[bool, typer.Option("--why", help="Say by which method.")] = False,
    json: JsonOption = False,
) -> None:
    """Show what people praise and complain about, what the newest version did to it, and what no picture shows yet."""
    from tavolan.reports.documents.reviews import ThemesDocument
    from tavolan.reports.reviewtables import print_themes
    from tavolan.reviews.themes import themes_of

    opened, stores = open_stores(project, store)
    tag = opened.pick("--locale", [locale], opened.app.locales)[0] if locale else opened.source_locale
    with progress_bar("Reading") as move:
        found = themes_of(opened, tag, stores, storefront or (), least, top, lambda texts: move(texts, None))
    if figure:
        from tavolan.reports.figures.theme_chart import theme_chart

        write_figure(figure, lambda kind: theme_chart(found, kind))
    if json:
        print_document(ThemesDocument.of(found))
    else:
        print_themes(console(), found, why)


@app.command()
def reply(
    review: Annotated[str, typer.Argument(help="The review to answer by hand, by its id.", metavar="ID")] = "",
    project: ProjectOption = None,
    text: Annotated[str, typer.Option("--text", help="Your own words for that review.")] = "",
    store: StoreOption = None,
    storefront: StorefrontOption = None,
    locale: LocaleOption = None,
    top: Annotated[int, typer.Option("--top", min=1, help="How many reviews of the queue.")] = 20,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show the drafts, write nothing.")] = False,
    json: JsonOption = False,
) -> None:
    """Draft replies from replies.toml for the first reviews of the queue, or write one by hand. Nothing is sent."""
    from tavolan.errors import UsageError
    from tavolan.reports.documents.reviews import RepliesDocument
    from tavolan.reports.replytables import print_drafts
    from tavolan.reviews.replying import Drafts, draft_replies, write_by_hand

    if bool(review) != bool(text):
        raise UsageError("a review and a text belong together", 'Write: tavolan reviews reply ID --text "…"')
    opened, stores = open_stores(project, store, write=not dry_run)
    today = date.today()
    with progress_bar("Reading"):
        if review:
            done = Drafts([write_by_hand(opened, today, review, text, next(iter(stores), ""), write=not dry_run)], [])
        else:
            done = draft_replies(opened, today, stores, storefront or (), locale or (), top, write=not dry_run)
    if json:
        print_document(RepliesDocument.of(done))
    else:
        print_drafts(console(), done, dry_run)


@app.command()
def send(
    reviews: Annotated[list[str] | None, typer.Argument(help="Only these reviews, by id.", metavar="IDS")] = None,
    project: ProjectOption = None,
    store: StoreOption = None,
    despite: Annotated[
        list[str] | None, typer.Option("--despite", help="A rule whose warnings don't hold a reply back; repeatable.")
    ] = None,
    yes: YesOption = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would be sent, send nothing.")] = False,
    json: JsonOption = False,
) -> None:
    """Send the drafts through the stores' consoles. What has findings stays; what somebody replied there stays too."""
    from tavolan.reports.documents.reviews import SentDocument
    from tavolan.reports.replytables import print_sent
    from tavolan.reviews.sending import send_replies

    opened, stores = open_stores(project, store, write=not dry_run)
    today, out = date.today(), console()
    if not dry_run and not yes:
        planned = send_replies(opened, today, stores, reviews or (), despite or (), write=False)
        if not json:
            print_sent(out, planned, dry_run=True)
        if not planned.sent or not agreed(f"Send {len(planned.sent)}?", yes=False, undone="nothing is sent"):
            say("Nothing is sent.")
            raise typer.Exit(1)
    with progress_bar("Sending") as move:
        done = send_replies(opened, today, stores, reviews or (), despite or (), move, write=not dry_run)
    if json:
        print_document(SentDocument.of(done))
    else:
        print_sent(out, done, dry_run)
    if done.refused or done.conflicts:
        raise typer.Exit(1)
