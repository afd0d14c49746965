"""`tavolan standin`: small simulated services, on loopback."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import console

if TYPE_CHECKING:
    from tavolan.standins.console.limits import StoreLimits
    from tavolan.standins.console.server import ConsoleServer

app = typer.Typer(help="Small simulated services for trying things out, on loopback only.", no_args_is_help=True)

DaySeconds = Annotated[float, typer.Option("--day-seconds", min=0, help="Seconds that a day of an experiment takes.")]
RecordOption = Annotated[str, typer.Option("--record", help="Id of the app records, one per store: APP-STORE.")]


@app.callback()
def group() -> None:
    """Small simulated services for trying things out, on loopback only."""


@app.command(name="console")
def store_console(
    port: Annotated[int, typer.Option("--port", min=0, max=65535, help="Port; 0 takes a free one.")] = 8650,
    keep: Annotated[
        Path | None, typer.Option("--file", help="File that survives; else memory.", metavar="FILE")
    ] = None,
    app_id: RecordOption = "kilnary",
    store: Annotated[list[str] | None, typer.Option("--store", help="Only this store; repeatable.")] = None,
    sign_in: Annotated[
        Path | None, typer.Option("--sign-in", help="File for a shell to read, with who signs in.", metavar="FILE")
    ] = None,
    rules: Annotated[
        list[Path] | None,
        typer.Option("--rules", help="A store of your own, as rules/*.toml describes it; repeatable.", metavar="FILE"),
    ] = None,
    default_locale: Annotated[str, typer.Option("--default-locale", help="Of the app records.")] = "en-US",
    slow: Annotated[float, typer.Option("--slow", min=0, help="Seconds before each answer.")] = 0.0,
    fail: Annotated[int, typer.Option("--fail", min=0, help="Answer so many requests with 503 first.")] = 0,
    busy: Annotated[int, typer.Option("--busy", min=0, help="Answer so many requests with 429 first.")] = 0,
    drop: Annotated[int, typer.Option("--drop", min=0, help="Cut so many connections off.")] = 0,
    token: Annotated[float, typer.Option("--token", min=0, help="Seconds that a token holds.")] = 3600.0,
    build: Annotated[float, typer.Option("--build-seconds", min=0, help="Seconds that a build is processed.")] = 2.0,
    picture: Annotated[float, typer.Option("--picture", min=0, help="Seconds that a picture is processed.")] = 0.0,
    review: Annotated[float, typer.Option("--review", min=0, help="Seconds per step of review.")] = 2.0,
    refuse: Annotated[
        list[str] | None, typer.Option("--refuse", help="Refuse the next review: 'en-US title=reason'; repeatable.")
    ] = None,
    day: DaySeconds = 0.0,
    truth: Annotated[
        list[str] | None, typer.Option("--truth", help="What a variant does: 'NAME=1.2'; else seeded; repeatable.")
    ] = None,
    taken: Annotated[list[str] | None, typer.Option("--taken", help="A title of another app; repeatable.")] = None,
    meddle: Annotated[
        list[str] | None,
        typer.Option("--meddle", help="Somebody writes 'de-DE subtitle=TEXT' just before your change; repeatable."),
    ] = None,
) -> None:
    """Serve a store's console: texts, facts, pictures, versions, review, reports, and a page for people."""
    from tavolan.standins.console.back_office import Manners
    from tavolan.standins.console.server import ConsoleServer

    refusals, meddling = _by_place("--refuse", refuse), _by_place("--meddle", meddle)
    manners = Manners(slow, busy, fail, drop, token, build, review, picture, refusals=refusals, meddling=meddling)
    manners.taken, manners.day, manners.truths = tuple(taken or ()), day, _truths(truth)
    own_limits = _limits(rules)
    server = ConsoleServer(port, manners, keep, own_limits)
    _add_records(server, app_id, store or own_limits, default_locale)
    _say_where(server, sign_in)
    server.serve()


def _add_records(server: ConsoleServer, app_id: str, stores: Iterable[str], default_locale: str) -> None:
    """Add an app record of each store, with reports."""
    from tavolan.standins.console.seeds import add_app, add_reports

    for name in stores:
        add_app(server.state, f"{app_id}-{name}", name, default_locale)
        add_reports(server.state, f"{app_id}-{name}")


def _limits(rules: list[Path] | None) -> dict[str, StoreLimits]:
    """Return what stores take, by store: those that ship with the stand-in, and those that files of rules describe."""
    from tavolan.rulebooks.load import read_rulebook, shipped_ids
    from tavolan.standins.console.limits import shipped_limits
    from tavolan.standins.console.limits_from_rules import limits_of

    own = {book.id: limits_of(book) for book in map(read_rulebook, rules or [])}
    return {store: shipped_limits(store) for store in shipped_ids()} | own


def _say_where(server: ConsoleServer, sign_in: Path | None) -> None:
    """Print where a console is and how to sign in; write the latter into a file, too, where one is named."""
    from tavolan.support.files import write_secret

    out = console()
    out.print(f"A stand-in console is at {server.address}. Stop it with Ctrl-C.", soft_wrap=True)
    out.print(f"Look at:   {server.page}", soft_wrap=True)
    signed = " ".join(f"{name}={value}" for name, value in server.variables.items())
    out.print(f"Sign in:   export {signed}", soft_wrap=True)
    if sign_in:
        write_secret(sign_in, f"export {signed}\n".encode())
    out.print(f"Connect:   tavolan console connect {server.address}", soft_wrap=True)
    sys.stdout.flush()


def _truths(given: list[str] | None) -> dict[str, float]:
    """Return what's given as `NAME=FACTOR`, by name."""
    from tavolan.errors import UsageError

    found = {}
    for item in given or []:
        name, sign, factor = item.partition("=")
        if not sign or not factor.replace(".", "", 1).isdigit():
            raise UsageError(f'--truth "{item}" names no factor', 'Write it as --truth "schedules-first=1.2".')
        found[name] = float(factor)
    return found


def _by_place(option: str, given: list[str] | None) -> dict[str, str]:
    """Return what's given as `LOCALE FIELD=TEXT`, by locale and field."""
    from tavolan.errors import UsageError

    found = {}
    for item in given or []:
        place, sign, text = item.partition("=")
        if not sign or len(place.split(" ")) != 2:
            raise UsageError(f'{option} "{item}" names no place', f'Write it as {option} "en-US title=TEXT".')
        found[place] = text
    return found


@app.command()
def translator(
    port: Annotated[int, typer.Option("--port", min=0, max=65535, help="Port; 0 takes a free one.")] = 8640,
    slow: Annotated[float, typer.Option("--slow", min=0, help="Seconds to wait before each answer.")] = 0.0,
    fail: Annotated[int, typer.Option("--fail", min=0, help="Answer so many requests with 503 first.")] = 0,
    busy: Annotated[int, typer.Option("--busy", min=0, help="Answer so many requests with 429 first.")] = 0,
    break_after: Annotated[
        int, typer.Option("--break-after", min=0, help="Answer so many requests, then every one with 503.")
    ] = 0,
    truncate: Annotated[bool, typer.Option("--truncate", help="Cut every answer in half.")] = False,
    filter: Annotated[bool, typer.Option("--filter", help="Translate stdin to stdout instead of serving.")] = False,
) -> None:
    """Serve XLIFF translations: the sample's phrase book, and pseudo-localization for everything else."""
    from tavolan.standins.translator import Manners, Server, translate

    if filter:
        sys.stdout.buffer.write(translate(sys.stdin.buffer.read()))
        return
    server = Server(port, Manners(slow, fail, busy, truncate, break_after=break_after))
    console().print(f"A stand-in translator takes XLIFF by POST at {server.address}  Stop with Ctrl-C.", soft_wrap=True)
    console().print("What it takes and gives is described at /openapi.json beside it.")
    sys.stdout.flush()
    try:
        server.serve()
    except KeyboardInterrupt:
        server.close()
