"""`tavolan terms`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

import typer

from tavolan.cli.common import JsonOption, ProjectOption, StoreOption, console, open_project, print_json

if TYPE_CHECKING:
    from rich.console import Console

    from tavolan.project import Project
    from tavolan.words.plan import Plan

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


@app.command()
def plan(
    locale: Annotated[list[str], typer.Option("--locale", help="Locale to plan; repeat to plan several together.")],
    project: ProjectOption = None,
    store: Annotated[
        str | None, typer.Option("--store", help="Store to plan for; else the first with keywords.")
    ] = None,
    storefront: Annotated[list[str] | None, typer.Option("--storefront", help="Only this country; repeatable.")] = None,
    changes: Annotated[int | None, typer.Option("--changes", help="Replace at most N present keywords.", min=0)] = None,
    keywords_only: Annotated[bool, typer.Option("--keywords-only", help="Leave title and subtitle alone.")] = False,
    seconds: Annotated[float, typer.Option("--seconds", help="Most time for the solver.", min=0.1)] = 30.0,
    why: Annotated[bool, typer.Option("--why", help="Print every factor and every phrase.")] = False,
    apply: Annotated[bool, typer.Option("--apply", help="Write it into copy/; else it's only shown.")] = False,
    json: JsonOption = False,
) -> None:
    """Find the title, subtitle and keywords that answer the most value, with proof that nothing is better."""
    from tavolan.reports.plantable import print_plan
    from tavolan.words.cover import storefronts_of
    from tavolan.words.plan import Options
    from tavolan.words.plan import plan as make_plan

    opened = open_project(project)
    chosen = _planned_store(opened, store)
    locales = opened.pick("--locale", locale, list(opened.stores[chosen].locales))
    fronts = opened.pick("--storefront", storefront or [], storefronts_of(opened.stores[chosen])) if storefront else []
    made = make_plan(opened, Options(chosen, tuple(locales), tuple(fronts), changes, not keywords_only, seconds))
    if json:
        print_json(_plan_document(made))
    else:
        if why:
            _print_factors(console(), opened, chosen, locales)
        print_plan(console(), made, why)
    if apply:
        _apply_plan(opened, made)
        if not json:
            console().print("Written into copy/.")


def _planned_store(project: Project, store: str | None) -> str:
    known = list(project.stores)
    if store:
        return project.pick("--store", [store], known)[0]
    with_keywords = [s for s in known if project.stores[s].rulebook.search.model == "words"]
    return (with_keywords or known)[0]


def _plan_document(made: Plan) -> dict[str, Any]:
    """Return a plan as the JSON document `tavolan/plan@1`."""
    from dataclasses import asdict

    return {"schema": "tavolan/plan@1", **asdict(made), "gap": made.gap, "proven": made.proven}


def _print_factors(out: Console, project: Project, store: str, locales: list[str]) -> None:
    from tavolan.reports.plantable import print_factors
    from tavolan.words.cover import cover as cover_phrases

    rows: dict[tuple[str, str, float, float, float, float], None] = {}
    for answer in cover_phrases(project, [store]):
        if set(answer.reads) & set(locales):
            worth = answer.worth
            row = (answer.terms_locale, answer.phrase, worth.relevance, worth.demand, worth.chance, worth.value)
            rows[row] = None
    print_factors(out, sorted(rows, key=lambda row: -row[5]))


def _apply_plan(project: Project, made: Plan) -> None:
    from tavolan.project.texts import Change, Texts

    texts = Texts(project)
    changes = []
    for locale in made.locales:
        separator = project.stores[made.store].rulebook.fields["keywords"].separator
        wanted = {
            "title": locale.title[1],
            "subtitle": locale.subtitle[1],
            "keywords": separator.join(locale.keywords[1]),
        }
        for key, after in wanted.items():
            own = texts.raw(locale.locale, f"{made.store}.{key}") is not None
            address = f"{made.store}.{key}" if own else key
            before = texts.get(locale.locale, address)
            if after and after != before:
                changes.append(Change(locale.locale, address, before, after))
    texts.write(changes)
