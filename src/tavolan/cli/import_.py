"""`tavolan import`: figures, ranks, reviews, phrases and counts, from exports or from a console."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tavolan.cli import completing
from tavolan.cli.common import DryRunOption, ProjectOption, open_project
from tavolan.cli.importing import DayOrderOption, FilesArgument, ImportOptions, MapOption

if TYPE_CHECKING:
    from tavolan.imports.kinds import Kind
    from tavolan.project.model import Project


KindOption = Annotated[
    str, typer.Option("--as", help="metrics, ranks, reviews, phrases or counts; else by the columns.")
]
LanguageOption = Annotated[
    str,
    typer.Option(
        "--locale",
        help="Of phrases: their locale. Of reviews: the language, where no column says it.",
        autocompletion=completing.locales,
    ),
]
StoreOption = Annotated[str, typer.Option("--store", help="The store, where no column says it; of ranks also any.")]
StorefrontOption = Annotated[str, typer.Option("--storefront", help="The country, where no column says it.")]
SourceOption = Annotated[str, typer.Option("--source", help="Where people came from, where no column says it.")]
AppOption = Annotated[str, typer.Option("--app", help="Another app's ranks, where no column says it.")]
DepthOption = Annotated[int, typer.Option("--depth", min=0, help="How far was looked for ranks.")]
ScaleOption = Annotated[
    list[str] | None,
    typer.Option("--scale", help="Of phrases: the top of a column's scale, difficulty=10; repeatable."),
]
ExperimentOption = Annotated[
    str, typer.Option("--experiment", help="Of counts: the experiment that they're of.", metavar="ID")
]
FromConsole = Annotated[
    bool,
    typer.Option("--from-console", help="Fetch metrics and reviews from the consoles; with --experiment its counts."),
]
ReplaceFigures = Annotated[
    bool, typer.Option("--replace", help="Take the file's figures for the same ones under other sources.")
]


def import_(
    files: FilesArgument = None,
    kind: KindOption = "",
    project: ProjectOption = None,
    locale: LanguageOption = "",
    store: StoreOption = "",
    storefront: StorefrontOption = "",
    source: SourceOption = "",
    other: AppOption = "",
    depth: DepthOption = 0,
    scale: ScaleOption = None,
    experiment: ExperimentOption = "",
    map: MapOption = None,
    day_order: DayOrderOption = "",
    from_console: FromConsole = False,
    replace: ReplaceFigures = False,
    dry_run: DryRunOption = False,
) -> None:
    """Take exports in: columns are guessed and shown, rows merged, what's there already updated, none doubled.

    Metrics (installs per day), ranks and reviews go into data/, counts of an experiment too, phrases of a research
    service into terms/. What a file holds is seen by its columns.
    """
    from tavolan.support.transaction import changing

    _require_one_source(files, kind, from_console)
    opened = open_project(project, write=not dry_run)
    options = ImportOptions(
        locale, store, storefront, source, other, depth, scale, experiment, map, day_order, replace, dry_run
    )
    by_kind = _by_kind(files or [], kind, options)
    if dry_run:
        _take(opened, by_kind, options)
    else:
        # All of it, or nothing.
        with changing(opened.root):
            _take(opened, by_kind, options)


def _require_one_source(files: list[Path] | None, kind: str, from_console: bool) -> None:
    """Raise UsageError for a kind that there isn't, and unless there are either files or a console."""
    from tavolan.errors import UsageError
    from tavolan.imports.kinds import KINDS

    if kind and kind not in KINDS:
        raise UsageError(f'--as can\'t be "{kind}"', f"Write {', '.join(KINDS)}.")
    if bool(files) == from_console:
        raise UsageError(
            "either files or a console" if files else "nothing to take in", "Name files, or give --from-console."
        )


def _by_kind(files: list[Path], kind: str, options: ImportOptions) -> dict[Kind, list[Path]]:
    """Return the files by what they hold, or what to fetch from consoles, with no files.

    Raises UsageError for options that don't go with it.
    """
    from tavolan.imports.kinds import KINDS, kind_of

    known: dict[str, Kind] = {each: each for each in KINDS}
    said = known.get(kind) or ("counts" if options.experiment else None)
    found: dict[Kind, list[Path]] = {}
    for path in files:
        found.setdefault(said or kind_of(path, options.columns), []).append(path)
    if not files:
        found = {said: []} if said else {"metrics": [], "reviews": []}
    options.require_for(found, fetched=not files)
    return found


def _take(project: Project, by_kind: dict[Kind, list[Path]], options: ImportOptions) -> None:
    from tavolan.cli import importing_kinds as kinds

    takers: dict[Kind, Callable[[Project, list[Path], ImportOptions], None]] = {
        "metrics": partial(kinds.take_results, kind="metrics"),
        "ranks": partial(kinds.take_results, kind="ranks"),
        "reviews": kinds.take_reviews,
        "phrases": kinds.take_phrases,
        "counts": kinds.take_counts,
    }
    for kind, files in by_kind.items():
        takers[kind](project, files, options)
