"""What an export holds, by its columns: figures per day, ranks, reviews, phrases of a research service, or counts."""

from collections.abc import Mapping
from pathlib import Path
from typing import Literal, get_args

from tavolan.errors import UsageError
from tavolan.imports.columns import mapped
from tavolan.imports.days import looks_like_day
from tavolan.imports.foreign_table import header_of
from tavolan.project.datafile import EXPERIMENTS, METRICS, RANKS, REVIEWS

Kind = Literal["metrics", "ranks", "reviews", "phrases", "counts"]
KINDS: tuple[Kind, ...] = get_args(Kind)
_OF_PHRASES = ("phrase", "volume", "difficulty", "relevance")


def kind_of(path: Path, columns: Mapping[str, str]) -> Kind:
    """Return what a file holds; `columns` are names of theirs, and what they're called here.

    A table with a day for each column has metrics. Raises UsageError for a file that looks like none of them,
    ProjectError for one that can't be read.
    """
    header = header_of(path)

    def found(kind: Kind, names: tuple[str, ...]) -> set[str]:
        own = {theirs: ours for theirs, ours in columns.items() if ours in names and theirs in header}
        return set(mapped(kind, names, header, own))

    if {"variant", "visitors"} <= found("counts", EXPERIMENTS.columns[1:]):
        return "counts"
    if {"stars", "text"} <= found("reviews", (*REVIEWS.columns, "title")):
        return "reviews"
    ranks = found("ranks", RANKS.columns)
    if {"phrase", "rank", "date"} <= ranks:
        return "ranks"
    if "phrase" in ranks and len(found("phrases", _OF_PHRASES)) > 1 and not found("metrics", tuple(METRICS.numbers)):
        return "phrases"
    if "phrase" in ranks:
        return "ranks"
    if not found("metrics", METRICS.columns) and not any(map(looks_like_day, header)):
        message = f"{path}: the columns look like neither metrics nor ranks, reviews, phrases or counts"
        remedy = (
            f'Say what it holds with --as, and which column is what: --map "NAME=date". It has: {", ".join(header)}.'
        )
        raise UsageError(message, remedy)
    return "metrics"
