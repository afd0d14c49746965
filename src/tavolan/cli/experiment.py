"""`tavolan experiment`."""

from __future__ import annotations

from datetime import date
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli.common import (
    JsonOption,
    ProjectOption,
    WhyOption,
    console,
    day_of,
    open_project,
    print_document,
    progress_bar,
    styled,
)
from tavolan.cli.outcome import print_outcome
from tavolan.cli.results_options import FigureOption

if TYPE_CHECKING:
    from tavolan.project.model import Project

app = typer.Typer(help="Try changes on a part of the visitors, and learn from it.", no_args_is_help=True)

NameArgument = Annotated[str, typer.Argument(help="The experiment: the name of its file.", metavar="ID")]


@app.command()
def new(
    name: NameArgument,
    hypothesis: Annotated[str, typer.Option("--hypothesis", help="What you expect, and why, in a sentence.")],
    project: ProjectOption = None,
    metric: Annotated[
        str, typer.Option("--metric", help="page, install or direct: a step of the funnel; or installs, rank.")
    ] = "install",
    expected: Annotated[
        float, typer.Option("--expected", min=-0.99, max=100, help="The change that you expect: 0.1 for a tenth more.")
    ] = 0.1,
    store: Annotated[str, typer.Option("--store", help="The store; else the first one.")] = "",
    storefront: Annotated[list[str] | None, typer.Option("--storefront", help="Only this country; repeatable.")] = None,
    locale: Annotated[list[str] | None, typer.Option("--locale", help="Only this locale; repeatable.")] = None,
    confidence: Annotated[float, typer.Option("--confidence", help="How sure you are, 0 to 1.", min=0, max=1)] = 0.5,
    effort: Annotated[float, typer.Option("--effort", help="Hours that it takes.", min=0.1)] = 1.0,
) -> None:
    """Write down an idea: experiments/ID.toml, with a variant to fill in."""
    from tavolan.experiments.drafting import draft_text
    from tavolan.experiments.files import write_new

    opened = open_project(project, write=True)
    own = opened.pick("--store", [store], list(opened.stores))[0] if store else next(iter(opened.stores))
    tags = opened.pick("--locale", locale or [], list(opened.stores[own].locales)) if locale else []
    text = draft_text(hypothesis, metric, expected, own, storefront or [], tags, confidence, effort)
    path = write_new(opened, name, text)
    console().print(str(path), soft_wrap=True)


@app.command()
def show(
    name: Annotated[str, typer.Argument(help="Only this experiment, in full.", metavar="[ID]")] = "",
    project: ProjectOption = None,
    learned: Annotated[
        bool, typer.Option("--learned", help="What was expected, what came out and why, and how well that predicts.")
    ] = False,
    json: JsonOption = False,
) -> None:
    """Show the backlog as a board: running, finished, ready, ideas by gain × confidence ÷ effort; or one of them."""
    from tavolan.errors import UsageError
    from tavolan.experiments.backlog import backlog
    from tavolan.experiments.files import experiment_of, read_experiments
    from tavolan.reports.documents.experiments import Experiments
    from tavolan.reports.experimenttables import print_board, print_experiment

    opened = open_project(project)
    if learned:
        if name:
            raise UsageError("what was learned is of all experiments", f"Leave {name} out.", option="--learned")
        _print_learned(opened, json)
        return
    entries = backlog(opened, [experiment_of(opened, name)] if name else read_experiments(opened), date.today())
    if json:
        print_document(Experiments(experiments=entries))
    elif name:
        print_experiment(console(), entries[0])
    else:
        print_board(console(), entries)


def _print_learned(project: Project, json: bool) -> None:
    from tavolan.experiments.backlog import learned
    from tavolan.experiments.files import read_experiments
    from tavolan.reports.documents.experiments import LearnedDocument
    from tavolan.reports.experimenttables import print_learned

    found = learned(project, read_experiments(project), date.today())
    if json:
        print_document(LearnedDocument.of(found))
    else:
        print_learned(console(), found)


@app.command()
def build(name: NameArgument, project: ProjectOption = None) -> None:
    """Make the pictures of all variants that differ from the present page, sheets side by side, a pack for each."""
    from tavolan.experiments.building import build as make
    from tavolan.experiments.files import experiment_of
    from tavolan.reports.experimenttables import print_built

    opened = open_project(project)
    with progress_bar("Rendering") as move:
        found = make(opened, experiment_of(opened, name), move)
    print_built(console(), found)


@app.command()
def start(
    name: NameArgument,
    project: ProjectOption = None,
    day: Annotated[str, typer.Option("--on", help="The first day; else today.", metavar="DAY")] = "",
    on_console: Annotated[bool, typer.Option("--on-console", help="Start it on the store's console too.")] = False,
    icons_are_live: Annotated[
        bool, typer.Option("--icons-are-live", help="Don't ask the console: you know that the live app has the icons.")
    ] = False,
    dry_run: Annotated[
        bool, typer.Option("--dry-run", help="Only say how many visitors and days it takes; start nothing.")
    ] = False,
    json: JsonOption = False,
) -> None:
    """Decide the length, and write it down with the first day. From then on only the verdict may end it.

    One that can't end is refused; --dry-run says why, and with --json its figures.
    """
    from tavolan.experiments.files import experiment_of
    from tavolan.experiments.on_console import check_icons, start_on_console
    from tavolan.experiments.running import length_of, write_start

    if dry_run:
        _print_size(open_project(project), name, json)
        return
    if json:
        print_outcome("experiment start", lambda: start(name, project, day, on_console, icons_are_live))
        return
    opened = open_project(project, write=True)
    one, first = experiment_of(opened, name), day_of("--on", day) or date.today()
    found = length_of(opened, one)
    if not icons_are_live:
        check_icons(opened, one)
    if on_console:
        start_on_console(opened, one, first, found.days or 0)
    write_start(opened, one, first, found)
    console().print(f"{name} runs for {found.days} days, or until {found.visitors:,} visitors have seen each side.")


def _print_size(project: Project, name: str, json: bool) -> None:
    """Say how many visitors and days the expected effect takes. Raises UsageError for what can't end."""
    from tavolan.errors import UsageError
    from tavolan.experiments.files import experiment_of
    from tavolan.experiments.running import no_end_remedy, own_rates, size_of
    from tavolan.experiments.sizes import MOST_DAYS
    from tavolan.reports.documents.experiments import ExperimentSize
    from tavolan.reports.experimenttables import print_size

    one = experiment_of(project, name)
    rates = own_rates(project, one.table)
    found = size_of(project, one.table, rates)
    if json:
        print_document(ExperimentSize.of(found, experiment=one.id, rates_of=rates.period))
    else:
        print_size(console(), one, found, rates)
    if found.days is None:
        raise UsageError(f"{name} can't end within {MOST_DAYS} days", no_end_remedy(one.table, found))


@app.command()
def stop(name: NameArgument, project: ProjectOption = None) -> None:
    """Stop an experiment on the store's console, once the verdict is there."""
    from tavolan.experiments.files import experiment_of
    from tavolan.experiments.on_console import stop_on_console

    opened = open_project(project)
    console().print(f"{name} ran for {stop_on_console(opened, experiment_of(opened, name))} days and is stopped.")


@app.command()
def judge(
    name: NameArgument,
    project: ProjectOption = None,
    figure: FigureOption = None,
    write: Annotated[bool, typer.Option("--apply", help="Write outcome and winner into its file.")] = False,
    why: WhyOption = False,
    json: JsonOption = False,
) -> None:
    """Say what's known: better, worse, no difference worth having, can't tell yet. You may look every day."""
    from tavolan.experiments.files import experiment_of
    from tavolan.experiments.running import judge_experiment, write_outcome
    from tavolan.reports.documents.experiments import ExperimentVerdict
    from tavolan.reports.experimenttables import print_verdict

    opened = open_project(project, write=write)
    found = judge_experiment(opened, experiment_of(opened, name), date.today())
    if figure:
        from tavolan.cli.common import write_figure
        from tavolan.reports.figures.experiment_chart import experiment_chart

        write_figure(figure, lambda kind: experiment_chart(found, kind))
    if json:
        print_document(ExperimentVerdict.of(found))
    else:
        print_verdict(console(), found, why)
    if write:
        write_outcome(opened, found)


@app.command()
def apply(
    name: NameArgument,
    project: ProjectOption = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would change, write nothing.")] = False,
) -> None:
    """Write the winner into the project: texts, captions, order and looks. The journal gets a line."""
    from tavolan.experiments.applying import apply_winner
    from tavolan.experiments.files import experiment_of
    from tavolan.reports.copytables import print_changes

    opened = open_project(project, write=not dry_run)
    done = apply_winner(opened, experiment_of(opened, name), write=not dry_run)
    out = console()
    print_changes(out, done.texts)
    for line in done.shots:
        out.print(styled("shots.toml  {}", line), soft_wrap=True)
    out.print(
        styled(
            "{} {}. Make its pictures: tavolan shots render",
            done.winner,
            "would be the page" if dry_run else "is the page now",
        )
    )
