"""`tavolan terms`."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing, word_sources
from tavolan.cli.common import (
    JsonOption,
    LocaleOption,
    ProjectOption,
    StoreOption,
    console,
    open_project,
    print_document,
    styled,
)
from tavolan.cli.terms_swap import swap

if TYPE_CHECKING:
    from tavolan.project.model import Project
    from tavolan.project.texts import TextChange
    from tavolan.words.coverage import Answer
    from tavolan.words.plan_choices import Options
    from tavolan.words.plan_model import Plan

app = typer.Typer(help="The phrases that people search for, and what answers them.", no_args_is_help=True)
app.command("mine")(word_sources.mine)
app.command("add")(word_sources.add)
app.command("score")(word_sources.score)
app.command("swap")(swap)


FrontOption = Annotated[
    list[str] | None,
    typer.Option("--storefront", help="Only this country; repeatable.", autocompletion=completing.storefronts),
]
PlannedLocales = Annotated[
    list[str] | None,
    typer.Option(
        "--locale", help="Locale to plan; repeat to plan several together.", autocompletion=completing.locales
    ),
]


@app.callback()
def terms() -> None:
    """The phrases that people search for, and what answers them."""


@app.command()
def cover(
    project: ProjectOption = None,
    store: StoreOption = None,
    storefront: FrontOption = None,
    locale: LocaleOption = None,
    list_: Annotated[
        list[str] | None, typer.Option("--word-list", metavar="NAME", help="Only phrases of this list; repeatable.")
    ] = None,
    uncovered: Annotated[bool, typer.Option("--uncovered", help="Only phrases that nothing answers.")] = False,
    all: Annotated[bool, typer.Option("--all", help="Every phrase of every storefront.")] = False,
    matrix: Annotated[bool, typer.Option("--matrix", help="One matrix of all phrases and storefronts.")] = False,
    lists: Annotated[bool, typer.Option("--lists", help="Counts, coverage and value per list instead.")] = False,
    title_words: Annotated[
        bool, typer.Option("--title-words", help="Instead, what each word of a locale's title serves, with ranks.")
    ] = False,
    budgets: Annotated[bool, typer.Option("--budgets", help="Keyword space in locales read beside the first.")] = False,
    figure: Annotated[Path | None, typer.Option("--figure", help="Write a heat map of one store to this PNG.")] = None,
    other: Annotated[str, typer.Option("--app", help="What another app's listing answers, of data/listings.csv.")] = "",
    why: Annotated[
        bool, typer.Option("--why", help="Every phrase, with demand and difficulty and their origin.")
    ] = False,
    json: JsonOption = False,
) -> None:
    """Tell for each storefront what the listing answers, and which words are missing.

    A line per storefront; --storefront, --word-list, --uncovered, --why and --all print every phrase, with its rank.
    """
    from tavolan.reports.documents.words import Cover
    from tavolan.words.coverage import aimed_at

    opened = open_project(project)
    if lists:
        word_sources.print_list_counts(opened, locale or [], json)
        return
    if title_words:
        _print_title_words(opened, store or [], locale or [], json)
        return
    stores = opened.pick("--store", store or [], list(opened.stores))
    opened, found = _answers(opened, stores, storefront or [], other)
    answers = aimed_at(opened, found, locale or [], list_ or [])
    if json:
        print_document(Cover.of_answers([a for a in answers if not (uncovered and a.covered)]))
        return
    if matrix or budgets:
        _print_apart(opened, stores, answers, matrix, budgets)
    else:
        every = bool(storefront or list_ or uncovered or why or all)
        _print_cover(opened, stores, answers, uncovered, every, why)
    if figure:
        _write_heat_map(opened, stores[0], answers, figure)


def _answers(project: Project, stores: list[str], storefronts: list[str], other: str) -> tuple[Project, list[Answer]]:
    """Return the answers to all phrases, and the project, which has another app's listing where `other` names one."""
    from tavolan.words.coverage import cover as cover_phrases
    from tavolan.words.coverage import storefronts_of
    from tavolan.words.other_listing import with_listing_of
    from tavolan.words.value import Valuer

    known = list(dict.fromkeys(front for store in stores for front in storefronts_of(project.stores[store])))
    fronts = project.pick("--storefront", storefronts, known)
    if not other:
        return project, cover_phrases(project, stores, fronts)
    valuer, project = Valuer(project, app=other), with_listing_of(project, other)
    return project, cover_phrases(project, stores, fronts, valuer)


def _write_heat_map(opened: Project, store: str, answers: list[Answer], target: Path) -> None:
    from tavolan.errors import UsageError
    from tavolan.reports.figures.heatmap import heat_map
    from tavolan.support.files import write_bytes

    own = [a for a in answers if a.store == store]
    if not own:
        raise UsageError("there are no phrases to draw", "Write them into terms/<locale>.csv.")
    write_bytes(target, heat_map(f"{opened.app.name}: what {store} answers, by storefront", own))
    console().print(f"\n{target}", soft_wrap=True)


def _print_cover(
    opened: Project, stores: list[str], answers: list[Answer], uncovered: bool, phrases: bool, why: bool
) -> None:
    from tavolan.reports import covertables
    from tavolan.words.coverage import unlocks
    from tavolan.words.value import tier_weight

    out = console()
    if phrases:
        covertables.print_coverage(out, opened, answers, uncovered, why)
    else:
        covertables.print_summary(out, opened, answers)
    weight = tier_weight(opened.words, "with-keywords")
    for store_id in stores:
        if opened.stores[store_id].rulebook.search.model == "words":
            covertables.print_unlocks(out, store_id, unlocks([a for a in answers if a.store == store_id], weight))
    if not phrases and answers:
        out.print(styled("\n[dim]Phrase by phrase: --storefront US, --uncovered, or --all; side by side: --matrix.[/]"))


def _print_apart(opened: Project, stores: list[str], answers: list[Answer], matrix: bool, budgets: bool) -> None:
    """Print the matrix, the second budgets, or both, and nothing else."""
    from tavolan.reports import covertables
    from tavolan.words.coverage import cover as cover_phrases
    from tavolan.words.second_budgets import budgets as spare_budgets

    if matrix:
        covertables.print_matrix(console(), answers)
    for store_id in stores if budgets else ():
        fronts = {a.storefront for a in answers if a.store == store_id}
        found = spare_budgets(opened, opened.stores[store_id], cover_phrases(opened, [store_id]))
        covertables.print_budgets(console(), [one for one in found if one.storefront in fronts])


@app.command()
def plan(
    locale: PlannedLocales = None,
    all: Annotated[bool, typer.Option("--all", help="Plan all locales of the store together.")] = False,
    project: ProjectOption = None,
    store: Annotated[
        str | None, typer.Option("--store", help="Store to plan for; else the first with keywords.")
    ] = None,
    storefront: FrontOption = None,
    changes: Annotated[int | None, typer.Option("--changes", help="Replace at most N present keywords.", min=0)] = None,
    any_language: Annotated[
        bool, typer.Option("--any-language", help="Use words of other languages too, as in a second keyword budget.")
    ] = False,
    keywords_only: Annotated[bool, typer.Option("--keywords-only", help="Leave title and subtitle alone.")] = False,
    seconds: Annotated[float, typer.Option("--seconds", help="Most time for the solver.", min=0.1)] = 60.0,
    why: Annotated[
        bool, typer.Option("--why", help="Print every factor, every phrase, and what each keyword earns.")
    ] = False,
    figure: Annotated[Path | None, typer.Option("--figure", help="Write value against budget to this PNG.")] = None,
    apply: Annotated[bool, typer.Option("--apply", help="Write it into copy/; else it's only shown.")] = False,
    json: JsonOption = False,
) -> None:
    """Find the title, subtitle and keywords that answer the most value, with proof that nothing is better."""
    from tavolan.reports.documents.words import PlanDocument
    from tavolan.reports.plantable import print_factors, print_plan
    from tavolan.words.coverage import factors, storefronts_of
    from tavolan.words.plan import plan as make_plan
    from tavolan.words.plan_choices import Options
    from tavolan.words.plan_prices import word_prices
    from tavolan.words.plan_writing import apply_plan

    opened = open_project(project)
    chosen = _planned_store(opened, store)
    locales = _planned_locales(opened, chosen, locale or [], all)
    fronts = opened.pick("--storefront", storefront or [], storefronts_of(opened.stores[chosen])) if storefront else []
    options = Options(
        chosen, tuple(locales), tuple(fronts), changes, not keywords_only, seconds, any_language=any_language
    )
    made = make_plan(opened, options)
    prices = word_prices(opened, options, made) if why else []
    if json:
        print_document(PlanDocument.of(made, prices=prices if why else None))
    else:
        if why:
            print_factors(console(), factors(opened, chosen, locales))
        print_plan(console(), made, why, prices)
    if figure:
        _write_curve(opened, options, made, figure)
    if apply:
        _tell_written(apply_plan(opened, made), silent=json)


def _planned_locales(project: Project, store: str, wanted: list[str], all: bool) -> list[str]:
    from tavolan.errors import UsageError

    known = list(project.stores[store].locales)
    if bool(wanted) == all:
        raise UsageError("which locales? Name them with --locale TAG, or plan them all together with --all.")
    return known if all else project.pick("--locale", wanted, known)


def _tell_written(written: list[TextChange], silent: bool) -> None:
    out = console()
    for change in () if silent else written:
        out.print(f"copy/{change.locale}.toml: {change.address} is written; what was there is an alternate now.")
    if not written and not silent:
        out.print("Nothing to write: the listing has it already.")


def _write_curve(project: Project, options: Options, made: Plan, target: Path) -> None:
    from tavolan.reports.figures.budget_curve import budget_curve
    from tavolan.support.files import write_bytes

    write_bytes(target, budget_curve(project, options, made))
    console().print(f"\n{target}", soft_wrap=True)


def _planned_store(project: Project, store: str | None) -> str:
    from tavolan.words.plan import first_store_with_keywords

    return project.pick("--store", [store], list(project.stores))[0] if store else first_store_with_keywords(project)


def _print_title_words(project: Project, stores: list[str], locales: list[str], json: bool) -> None:
    """Show for each word of the title which phrases it serves, and the app's rank for them."""
    from tavolan.errors import UsageError
    from tavolan.reports.covertables import print_title_words
    from tavolan.reports.documents.words import Title
    from tavolan.words.coverage import cover as cover_phrases
    from tavolan.words.coverage import title_words

    if len(locales) != 1 or len(stores) > 1:
        raise UsageError("words of one title are shown", "Give one --locale, and at most one --store.")
    chosen = _planned_store(project, next(iter(stores), None))
    tag = project.pick("--locale", locales, list(project.stores[chosen].locales))[0]
    served = title_words(project, project.stores[chosen], tag, cover_phrases(project, [chosen]))
    if json:
        print_document(Title.serving(tag, served))
        return
    print_title_words(console(), served)
