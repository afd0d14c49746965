"""`tavolan standin`: small simulated services, on loopback."""

import sys
from typing import Annotated

import typer

from tavolan.cli.common import console

app = typer.Typer(help="Small simulated services for trying things out, on loopback only.", no_args_is_help=True)


@app.callback()
def group() -> None:
    """Small simulated services for trying things out, on loopback only."""


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
    sys.stdout.flush()
    try:
        server.serve()
    except KeyboardInterrupt:
        server.close()
