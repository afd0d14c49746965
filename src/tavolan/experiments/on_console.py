"""An experiment on a store's console: start it there, fetch its counts, stop it."""

from datetime import date

from tavolan.consoles.opening import opened_console
from tavolan.consoles.protocol import NewExperiment
from tavolan.errors import UsageError
from tavolan.experiments.files import Experiment
from tavolan.experiments.icons import icons_in_app
from tavolan.experiments.recording import Recorded, merge_counts
from tavolan.experiments.verdicts import CONTROL, Count
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


def fetch_counts(project: Project, one: Experiment, *, write: bool = True) -> Recorded:
    """Merge the counts of an experiment's console into `data/experiments.csv`.

    Raises UsageError for a variant that the experiment doesn't have, OutsideError as consoles do.
    """
    with opened_console(project, one.table.store) as client:
        counts = list(client.experiment_counts(one.id))
    known = {CONTROL, *one.table.variant}
    for count in counts:
        if count.variant not in known:
            raise UsageError(f'the console counts "{count.variant}", which is no variant of {one.id}')
    found = {(count.day, count.variant): Count(count.visitors, count.hits) for count in counts}
    return merge_counts(project, one, found, {}, write=write)


def stop_on_console(project: Project, one: Experiment) -> int:
    """Stop an experiment there, and return how many whole days it ran."""
    with opened_console(project, one.table.store) as client:
        return client.stop_experiment(one.id).days
