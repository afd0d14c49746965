"""`tavolan terms mine`, `add` and `score`: where words come from, and what they're up against."""

from __future__ import annotations

import sys
from datetime import date
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import (
    DryRunOption,
    JsonOption,
    LocaleOption,
    ProjectOption,
    console,
    open_project,
    print_document,
    progress_bar,
)
from tavolan.cli.outcome import perform

if TYPE_CHECKING:
    from tavolan.project.model import Project

RelevanceOption = Annotated[
    float | None, typer.Option("--relevance", help="How relevant they are to the app, 0 to 100.", min=0, max=100)
]
OneListOption = Annotated[str, typer.Option("--word-list", help="Name of the list that they go to.", metavar="NAME")]
OneLocale = Annotated[str, typer.Option("--locale", help="Locale, as in en-US.", autocompletion=completing.locales)]


def _one(project: Project, locale: str) -> str:
    return project.pick("--locale", [locale], project.app.locales)[0]


def _with_terms(project: Project, locale: list[str] | None) -> list[str]:
    return project.pick("--locale", locale or [], [tag for tag in project.app.locales if project.terms.get(tag)])


def mine(
    locale: OneLocale,
    project: ProjectOption = None,
    top: Annotated[int, typer.Option("--top", help="How many to show.", min=1)] = 25,
    least: Annotated[int, typer.Option("--least", help="Fewest texts that must hold it.", min=1)] = 2,
    fresh: Annotated[bool, typer.Option("--fresh", help="Leave out what's a target phrase already.")] = False,
    add: Annotated[
        str, typer.Option("--add", help="Add these to terms/, by their numbers in the table.", metavar="1,3,7")
    ] = "",
    relevance: RelevanceOption = None,
    list_: OneListOption = "",
    json: JsonOption = False,
) -> None:
    """Find candidate words in reviews, other listings, suggestions and your description, each with its sources."""
    from tavolan.reports.documents.words import Mine
    from tavolan.reports.researchtables import print_mined
    from tavolan.words.mine import mine as find

    opened = open_project(project, write=bool(add))
    tag = _one(opened, locale)
    with progress_bar("Reading") as move:
        mined = find(opened, tag, least=least, progress=lambda texts: move(texts, None))
    found = [one for one in mined.found if not (fresh and one.target)]
    if add:
        chosen = _by_number(add, [one.phrase for one in found[:top]])
        perform("terms mine", lambda: _add(opened, tag, chosen, relevance, list_, dry_run=False), json=json)
        return
    if json:
        print_document(Mine(locale=tag, candidates=found[:top]))
        return
    print_mined(console(), found[:top], len(found) if fresh else mined.total)


def _by_number(numbers: str, phrases: list[str]) -> list[str]:
    """Return the phrases that numbers mean, from 1. Raises UsageError for what is none."""
    from tavolan.errors import UsageError

    chosen = []
    for number in numbers.replace(",", " ").split():
        if not number.isdecimal() or not 1 <= int(number) <= len(phrases):
            raise UsageError(f'--add: there\'s no candidate "{number}"', f"They go from 1 to {len(phrases)}.")
        chosen.append(phrases[int(number) - 1])
    return chosen


def add(
    phrases: Annotated[list[str], typer.Argument(help="What people type into a store's search.")],
    locale: OneLocale,
    project: ProjectOption = None,
    relevance: RelevanceOption = None,
    list_: OneListOption = "",
    storefront: Annotated[
        list[str] | None,
        typer.Option(
            "--storefront",
            help="Only searched for in this country; repeatable.",
            autocompletion=completing.storefronts,
        ),
    ] = None,
    dry_run: DryRunOption = False,
) -> None:
    """Add phrases to terms/. At a terminal, how relevant each is to the app is asked for."""
    opened = open_project(project, write=not dry_run)
    _add(opened, _one(opened, locale), phrases, relevance, list_, storefront, dry_run=dry_run)


def _add(
    project: Project,
    locale: str,
    phrases: list[str],
    relevance: float | None,
    list_: str,
    storefronts: list[str] | None = None,
    *,
    dry_run: bool,
) -> None:
    from tavolan.imports.added_phrases import AboutPhrases, add_phrases

    known = {term.phrase.casefold() for term in project.terms.get(locale, ())}
    asked: dict[str, float | None] = dict.fromkeys(phrases, relevance)
    if relevance is None and sys.stdin.isatty() and not dry_run:
        asked = {phrase: None if phrase.casefold() in known else _asked_relevance(phrase) for phrase in asked}
    about = {phrase: AboutPhrases(value, list_, tuple(storefronts or ())) for phrase, value in asked.items()}
    done = add_phrases(project, locale, about, dry_run=dry_run)
    out = console()
    for phrase in done.new:
        out.print(f"+ {phrase}", soft_wrap=True)
    if done.there:
        out.print(f"there already: {', '.join(done.there)}", soft_wrap=True)
    where = f"terms/{locale}.csv"
    out.print(f"{len(done.new)} {'would be added' if dry_run else 'added'} to {where}", soft_wrap=True)
    if done.new:
        out.print(f"What answers them: tavolan terms cover --locale {locale} --all", soft_wrap=True)


def _asked_relevance(phrase: str) -> float | None:
    """Ask how relevant a phrase is; None where it's left open."""
    while True:
        answer = str(typer.prompt(f'How relevant is "{phrase}", 0 to 100', default="", show_default=False, err=True))
        if not answer.strip():
            return None
        if answer.strip().isdecimal() and int(answer) <= 100:
            return float(answer)


def score(
    project: ProjectOption = None,
    locale: LocaleOption = None,
    parts: Annotated[bool, typer.Option("--parts", help="Print the parts of each difficulty.")] = False,
    reach: Annotated[bool, typer.Option("--reach", help="Show which phrases of a locale are within reach.")] = False,
    json: JsonOption = False,
) -> None:
    """Tell difficulty and demand of the target phrases, from saved search pages, volumes and suggestions.

    With --reach: which are within reach, from those where the app already is in the first ten.
    """
    if reach:
        _print_reach(open_project(project), locale or [], json)
        return
    from tavolan.reports.documents.words import Scores
    from tavolan.reports.researchtables import print_scores
    from tavolan.words.score import score as score_phrases

    opened = open_project(project)
    found = score_phrases(opened, _with_terms(opened, locale), date.today())
    if json:
        print_document(Scores(scores=found))
        return
    print_scores(console(), found, parts)


def _print_reach(project: Project, locales: list[str], json: bool) -> None:
    from tavolan.errors import UsageError
    from tavolan.reports.documents.words import FitDocument
    from tavolan.reports.researchtables import print_fit
    from tavolan.words.score import fit as fit_phrases
    from tavolan.words.score import score as score_phrases

    if len(locales) != 1:
        raise UsageError("reach is of one locale", "Give --locale TAG.")
    tag = _one(project, locales[0])
    found = fit_phrases(project, tag, score_phrases(project, [tag], date.today()))
    if json:
        print_document(FitDocument.of(found, locale=tag))
        return
    print_fit(console(), tag, found)


def print_list_counts(project: Project, locales: list[str], json: bool) -> None:
    """Count phrases, coverage and value per list and storefront: own names, phrases to win, seasonal, …"""
    from tavolan.reports.documents.words import Lists
    from tavolan.reports.researchtables import print_lists
    from tavolan.words.coverage import cover, list_rows

    tags = _with_terms(project, locales)
    rows = list_rows([answer for answer in cover(project, list(project.stores)) if answer.terms_locale in tags])
    if json:
        print_document(Lists(lists=rows))
        return
    print_lists(console(), rows)
