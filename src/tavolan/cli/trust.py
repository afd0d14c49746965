"""`tavolan trust`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import ProjectOption, console, open_project, say

if TYPE_CHECKING:
    from tavolan.support.trust import Kind


def trust(
    service: Annotated[
        str,
        typer.Argument(
            help="Address of a console, or a provider that tavolan.toml names; without one, all that are trusted.",
            metavar="URL|NAME",
        ),
    ] = "",
    project: ProjectOption = None,
    forget: Annotated[bool, typer.Option("--forget", help="Take it back.")] = False,
) -> None:
    """Say which consoles may get your sign-in, and which providers the texts: what a project names alone gets neither.

    A provider may also be a program that this then may run.
    """
    from tavolan.consoles.credentials import console_service
    from tavolan.exchange.drafting import forget_provider, trust_provider
    from tavolan.support.trust import forget_service, settings_folder, trust_service, trusted_services

    out = console()
    if not service:
        kinds: tuple[Kind, ...] = ("console", "provider")
        lines = [f"{kind:8}  {address}" for kind in kinds for address in trusted_services(kind)]
        for line in lines:
            out.print(line, soft_wrap=True)
        if not lines:
            say("No console's and no provider's address is trusted yet.")
        return
    if "://" not in service:
        opened = open_project(project)
        if forget:
            was = forget_provider(opened, service)
            out.print(f"provider {service} is {'no longer' if was else 'not'} trusted", soft_wrap=True)
        else:
            out.print(f"provider {service} is trusted: {trust_provider(opened, service)}", soft_wrap=True)
    elif forget:
        was = forget_service("console", service)
        out.print(f"{service} is {'no longer' if was else 'not'} trusted", soft_wrap=True)
    else:
        trust_service(console_service(service))
        out.print(f"{service} is trusted as a console; {settings_folder()} remembers it", soft_wrap=True)
