"""An experiment on a store's console: start it there, stop it."""

from datetime import date

from tavolan.consoles.opening import opened_console
from tavolan.consoles.protocol import NewExperiment
from tavolan.errors import UsageError
from tavolan.experiments.files import Experiment
from tavolan.experiments.icons import icons_in_app
from tavolan.project.model import Project


def start_on_console(project: Project, one: Experiment, day: date, days: int) -> None:
    """Start an experiment on its store's console. Raises UsageError without a console, OutsideError for a refusal."""
    table = one.table
    new = NewExperiment(
        name=one.id,
        variants=list(table.variant),
        storefronts=table.storefronts,
        locales=list(table.locales),
        share=table.share,
        start=day,
        days=days,
    )
    with opened_console(project, one.table.store) as client:
        client.start_experiment(new)


def check_icons(project: Project, one: Experiment) -> None:
    """Ask the console whether the live build has the variants' icons.

    Raises UsageError where it hasn't, and where nobody can be asked. Stores that take icons beside the build aren't.
    """
    wanted = icons_in_app(project, one)
    if not wanted:
        return
    make = (
        f"Make them (tavolan experiment build {one.id}), put them into the app with their property list, and ship it."
    )
    with opened_console(project, one.table.store) as client:
        live = next((version for version in client.versions() if version.state == "live"), None)
        if live is None:
            raise UsageError(f"{one.id} tries icons that ship inside the app, and no version is live", make)
        build = next((build for build in client.builds() if build.number == live.build), None)
    missing = [name for name in wanted.values() if build is None or name not in build.icons]
    if missing:
        raise UsageError(f"the live build {live.build} has no icon {', '.join(missing)}".replace("  ", " "), make)


def stop_on_console(project: Project, one: Experiment) -> int:
    """Stop an experiment there, and return how many whole days it ran."""
    with opened_console(project, one.table.store) as client:
        return client.stop_experiment(one.id).days
