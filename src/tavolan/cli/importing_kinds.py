"""How `tavolan import` takes in each kind of rows, and says what became of them."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING

from tavolan.cli.common import console, progress_bar, styled
from tavolan.cli.importing import ImportOptions, given_of, print_columns, print_taken

if TYPE_CHECKING:
    from tavolan.imports.taking import Given, Taken
    from tavolan.project.model import Project
    from tavolan.results.importing import Kind as ResultsKind


def take_results(project: Project, files: list[Path], options: ImportOptions, kind: ResultsKind) -> None:
    """Take metrics or ranks in, all files or none."""
    from tavolan.results.importing import read_export

    values = {"source": options.source, "app": options.other, "depth": str(options.depth or "")}
    given = _given(project, options, values)
    found = [] if files else _fetched_metrics(project, options.store)
    for path in files:
        with progress_bar(f"Reading {path.name}, column by column") as move:
            found.append(read_export(project, path, given, kind, move))
    _merge_results(project, found, options.dry_run, replace=options.replace)


def _given(project: Project, options: ImportOptions, values: dict[str, str]) -> Given:
    """Return what the options say of files. Raises UnknownNameError for a store that the project doesn't have."""
    if options.store:
        project.pick("--store", [options.store], list(project.stores))
    only = next(iter(project.stores)) if len(project.stores) == 1 else ""
    values = {"store": options.store or only, "storefront": options.storefront, **values}
    return given_of(options.map, values, options.day_order)


def _fetched_metrics(project: Project, store: str) -> list[Taken]:
    from tavolan.consoles.opening import console_stores
    from tavolan.results.from_console import fetch_metrics

    found = []
    for name in console_stores(project, [store] if store else []):
        with progress_bar(f"Fetching metrics of {name}"):
            found.append(fetch_metrics(project, name))
    return found


def _merge_results(project: Project, several: list[Taken], dry_run: bool, *, replace: bool = False) -> None:
    """Print what would become of imported rows, and merge them into their files."""
    from tavolan.imports.merging import write_merged
    from tavolan.results.import_totals import totals_of
    from tavolan.results.importing import ORDERS, merged_results

    with progress_bar("Merging"):
        merged = merged_results(project, several, replace=replace)
    for done, after in zip(several, merged, strict=True):
        print_taken(done, after, "row", dry_run, Path(done.file.name).stem, totals_of(done))
    # Of several files for one table the last has the rows of all.
    for after in {one.file.name: one for one in merged}.values() if not dry_run else ():
        with progress_bar(f"Writing {after.file.name}"):
            write_merged(project, after, ORDERS[after.file.name])


def take_reviews(project: Project, files: list[Path], options: ImportOptions) -> None:
    """Take reviews in; those that are there already are updated."""
    from tavolan.consoles.opening import console_stores
    from tavolan.imports.merging import write_merged
    from tavolan.reviews.importing import ORDER, fetch_reviews, merged_reviews, read_review_export

    given = _given(project, options, {"locale": options.locale})
    found = []
    for path in files:
        with progress_bar(f"Reading {path.name}"):
            found.append(read_review_export(project, path, given))
    for name in console_stores(project, [options.store] if options.store else []) if not files else ():
        with progress_bar(f"Fetching reviews of {name}"):
            found.append(fetch_reviews(project, name))
    for done in found:
        with progress_bar(f"Merging {done.path.name}"):
            after = merged_reviews(project, done.rows)
            if not options.dry_run:
                write_merged(project, after, ORDER)
        print_taken(done, after, "review", options.dry_run, "reviews")


def take_phrases(project: Project, files: list[Path], options: ImportOptions) -> None:
    """Take phrases of a research service into terms/; ranks beside them go into data/ranks.csv, of today."""
    for file in files:
        _take_phrases(project, file, options)


def _take_phrases(project: Project, file: Path, options: ImportOptions) -> None:
    from tavolan.imports.phrases import import_table, scales_of, write_terms
    from tavolan.results.from_terms import ANY_STORE, ranks_of_terms
    from tavolan.support.number_words import counted

    (tag,) = project.pick("--locale", [options.locale], project.app.locales)
    if options.store and options.store != ANY_STORE:
        project.pick("--store", [options.store], list(project.stores))
    columns = options.columns
    listed = ranks_of_terms(
        project, file, tag, columns, date.today(), storefront=options.storefront, store=options.store
    )
    given = {theirs: ours for theirs, ours in columns.items() if ours != "rank"}
    done = import_table(
        project, tag, file, given, [listed.column] if listed.ranks else [], scales_of(options.scale or ())
    )
    out = console()
    out.print(styled("[bold]{}[/]  phrases", file), soft_wrap=True)
    into_note = {"note": ", ".join(done.into_note)} if done.into_note else {}
    print_columns(done.mapping, [])
    print_columns(into_note, done.repairs)
    if not options.dry_run:
        write_terms(project, tag, done.terms)
    verb = "would be new" if options.dry_run else "new"
    out.print(f"   {counted(done.added, 'phrase')} {verb}, {done.updated} updated in terms/{tag}.csv")
    if listed.ranks:
        _merge_results(project, [listed.ranks], options.dry_run)
    elif listed.column:
        out.print(
            styled("[yellow]Ranks are in the note:[/] nothing says of which country they are. Say it: --storefront US.")
        )


def take_counts(project: Project, files: list[Path], options: ImportOptions) -> None:
    """Take counts of an experiment per variant and day in; days that are there already are updated."""
    from tavolan.experiments.files import experiment_of
    from tavolan.experiments.recording import fetch_counts, merged_counts, read_counts_export
    from tavolan.imports.merging import write_merged

    one = experiment_of(project, options.experiment)
    given = given_of(options.map, {}, options.day_order)
    for done in [read_counts_export(one, file, given) for file in files] or [fetch_counts(project, one)]:
        after = merged_counts(project, done)
        if not options.dry_run:
            write_merged(project, after, after.file.key)
        print_taken(done, after, "count", options.dry_run, "counts")
