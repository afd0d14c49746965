"""`tavolan results campaign`: write advertising down, so that its days aren't taken for what the listing did."""

from __future__ import annotations

from typing import Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import DryRunOption, ProjectOption, console, day_of, open_project


def campaign(
    what: Annotated[str, typer.Argument(help="What was advertised, and where.")],
    first: Annotated[str, typer.Option("--from", help="First day, as 2026-11-01.", metavar="DAY")],
    last: Annotated[str, typer.Option("--to", help="Last day.", metavar="DAY")],
    project: ProjectOption = None,
    store: Annotated[str, typer.Option("--store", help="The store; else all.", autocompletion=completing.stores)] = "",
    storefront: Annotated[
        str, typer.Option("--storefront", help="The country; else all.", autocompletion=completing.storefronts)
    ] = "",
    cost: Annotated[float, typer.Option("--cost", min=0, max=1e12, help="What it cost, as other campaigns.")] = 0.0,
    dry_run: DryRunOption = False,
) -> None:
    """Write a campaign down: effects leave its days out where it ran, and worth takes its costs."""
    from tavolan.errors import UsageError
    from tavolan.results.campaigns import add_campaign
    from tavolan.results.periods import Campaign, Period

    days = day_of("--from", first), day_of("--to", last)
    if days[0] is None or days[1] is None:
        raise UsageError("a campaign has a first and a last day", "Give --from and --to.")
    opened = open_project(project, write=not dry_run)
    made = Campaign(Period(days[0], days[1]), store, storefront, what, cost)
    if not dry_run:
        add_campaign(opened, made)
    places = " ".join(part for part in (store or "all stores", storefront) if part)
    done = "would be noted" if dry_run else "noted"
    console().print(f"{done}: {what}, {first} to {last}, {places}", soft_wrap=True)
