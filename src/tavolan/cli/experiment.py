"""`tavolan experiment`."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import Annotated

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
from tavolan.cli.importing import DayOrderOption, MapOption, given_of, print_taken
from tavolan.cli.results_options import FigureOption

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


@app.command(name="list")
def list_(project: ProjectOption = None, json: JsonOption = False) -> None:
    """Show the backlog as a board: running, finished, ready, ideas by gain × confidence ÷ effort, learned."""
    from tavolan.experiments.backlog import backlog
    from tavolan.experiments.files import read_experiments
    from tavolan.reports.documents.experiments import Experiments
    from tavolan.reports.experimenttables import print_board

    opened = open_project(project)
    entries = backlog(opened, read_experiments(opened), date.today())
    if json:
        print_document(Experiments(experiments=entries))
    else:
        print_board(console(), entries)


@app.command()
def show(name: NameArgument, project: ProjectOption = None, json: JsonOption = False) -> None:
    """Show one experiment: what's expected, its variants, where it is."""
    from tavolan.experiments.backlog import backlog
    from tavolan.experiments.files import experiment_of
    from tavolan.reports.documents.experiments import Experiments
    from tavolan.reports.experimenttables import print_experiment

    opened = open_project(project)
    (entry,) = backlog(opened, [experiment_of(opened, name)], date.today())
    if json:
        print_document(Experiments(experiments=[entry]))
    else:
        print_experiment(console(), entry)


@app.command()
def size(name: NameArgument, project: ProjectOption = None, json: JsonOption = False) -> None:
    """Say how many visitors and days the expected effect takes; refuse an experiment that can't end."""
    from tavolan.errors import UsageError
    from tavolan.experiments.files import experiment_of
    from tavolan.experiments.running import no_end_remedy, own_rates, size_of
    from tavolan.experiments.sizes import MOST_DAYS
    from tavolan.reports.documents.experiments import ExperimentSize
    from tavolan.reports.experimenttables import print_size

    opened = open_project(project)
    one = experiment_of(opened, name)
    rates = own_rates(opened, one.table)
    found = size_of(opened, one.table, rates)
    if json:
        print_document(ExperimentSize.of(found, experiment=one.id, rates_of=rates.period))
    else:
        print_size(console(), one, found, rates)
    if found.days is None:
        raise UsageError(f"{name} can't end within {MOST_DAYS} days", no_end_remedy(one.table, found))


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
) -> None:
    """Decide the length, and write it down with the first day. From then on only the verdict may end it."""
    from tavolan.experiments.files import experiment_of
    from tavolan.experiments.on_console import check_icons, start_on_console
    from tavolan.experiments.running import length_of, write_start

    opened = open_project(project, write=True)
    one, first = experiment_of(opened, name), day_of("--on", day) or date.today()
    found = length_of(opened, one)
    if not icons_are_live:
        check_icons(opened, one)
    if on_console:
        start_on_console(opened, one, first, found.days or 0)
    write_start(opened, one, first, found)
    console().print(f"{name} runs for {found.days} days, or until {found.visitors:,} visitors have seen each side.")


@app.command()
def stop(name: NameArgument, project: ProjectOption = None) -> None:
    """Stop an experiment on the store's console, once the verdict is there."""
    from tavolan.experiments.files import experiment_of
    from tavolan.experiments.on_console import stop_on_console

    opened = open_project(project)
    console().print(f"{name} ran for {stop_on_console(opened, experiment_of(opened, name))} days and is stopped.")


@app.command()
def record(
    name: NameArgument,
    file: Annotated[
        Path | None,
        typer.Argument(help="CSV, XLSX or ODS: date, variant, visitors, hits; names are guessed.", metavar="FILE"),
    ] = None,
    project: ProjectOption = None,
    map: MapOption = None,
    day_order: DayOrderOption = "",
    from_console: Annotated[bool, typer.Option("--from-console", help="Fetch them from the store's console.")] = False,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Show what would be taken in, write nothing.")] = False,
) -> None:
    """Take counts per variant and day in; days that are there already are updated."""
    from tavolan.errors import UsageError
    from tavolan.experiments.files import experiment_of
    from tavolan.experiments.recording import fetch_counts, merged_counts, read_counts_export
    from tavolan.imports.merging import write_merged

    opened = open_project(project, write=not dry_run)
    one = experiment_of(opened, name)
    if (file is None) != from_console:
        raise UsageError("counts come from a file or a console", "Name one file, or give --from-console.")
    done = read_counts_export(one, file, given_of(map, {}, day_order)) if file else fetch_counts(opened, one)
    after = merged_counts(opened, done)
    if not dry_run:
        write_merged(opened, after, after.file.key)
    print_taken(done, after, "count", dry_run)


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


@app.command()
def learned(project: ProjectOption = None, json: JsonOption = False) -> None:
    """Show what was expected, what came out and why, over all experiments, and how well expectations predict."""
    from tavolan.experiments.backlog import learned as gather
    from tavolan.experiments.files import read_experiments
    from tavolan.reports.documents.experiments import LearnedDocument
    from tavolan.reports.experimenttables import print_learned

    opened = open_project(project)
    found = gather(opened, read_experiments(opened), date.today())
    if json:
        print_document(LearnedDocument.of(found))
    else:
        print_learned(console(), found)
