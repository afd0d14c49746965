"""Tables of other shapes as one row per day and place: a column for each day, or a row for each measure."""

from collections.abc import Mapping
from pathlib import Path

import pandas as pd

from tavolan.errors import UsageError, one_problem
from tavolan.imports.columns import names_of
from tavolan.imports.days import DayOrder, day_reader, looks_like_day
from tavolan.imports.spelling import plain_name

# What `--map` calls the numbers below columns that are days.
VALUES = "values"
_DATE = "date"


def reshaped(
    path: Path, table: pd.DataFrame, given: Mapping[str, str], day_order: DayOrder | None, repairs: list[str]
) -> tuple[pd.DataFrame, dict[str, str]]:
    """Return a table with a row per day and place, and the columns that are given for it.

    Raises UsageError where nothing says what numbers below days are, ProjectError where a measure is there twice.
    """
    header = [str(name) for name in table.columns]
    columns = dict(given)
    days = [name for name in header if looks_like_day(name)]
    measure = _named(header, "measure")
    if len(days) > 1:
        measured = columns.pop(VALUES, "") or _measure_below_days(header, measure)
        if not measured:
            remedy = f'Say it: --map "{VALUES}=installs", or impressions, page_views, rank.'
            raise UsageError("each column is a day, and nothing says what the numbers below are", remedy)
        table = _a_row_per_day(table, days, measured, day_order)
        repairs.append(f"a row for each of {len(days)} columns that are days")
        value = VALUES if measure else ""
    else:
        value = _named(header, "value") if measure else ""
    if measure and value:
        table = _a_column_per_measure(path, table, measure, value)
        repairs.append(f'a column for each measure of "{measure}"')
    return table, columns


def _named(header: list[str], kind: str) -> str:
    """Return the column whose name says that it holds measures, or their values; "" where there's none."""
    return next((name for name in header if plain_name(name) in names_of("shapes")[kind]), "")


def _measure_below_days(header: list[str], measure: str) -> str:
    if measure:
        return VALUES
    phrases = {"phrase", *names_of("ranks")["phrase"]}
    return "rank" if any(plain_name(name) in phrases for name in header) else ""


def _a_row_per_day(table: pd.DataFrame, days: list[str], measured: str, day_order: DayOrder | None) -> pd.DataFrame:
    read = day_reader(days, day_order)
    others = [name for name in table.columns if name not in days]
    parts = []
    for day in days:
        part = table[others].astype("object")
        part[_DATE] = pd.Timestamp.fromordinal(read(day)).date().isoformat()
        part[measured] = table[day].astype("object")
        parts.append(part)
    made = pd.concat(parts)
    # A day without a number isn't known: no row says nothing of it.
    return made[made[measured].str.strip() != ""].astype("category")


def _a_column_per_measure(path: Path, table: pd.DataFrame, measure: str, value: str) -> pd.DataFrame:
    others = [name for name in table.columns if name not in (measure, value)]
    plain = table.astype("object").assign(line=table.index)
    twice = plain.duplicated([*others, measure])
    if twice.any():
        line = int(plain.loc[twice, "line"].iloc[0]) + 2
        name = plain.loc[twice, measure].iloc[0]
        message = f'has "{name}" of the same day and place again'
        raise one_problem(str(path), line, measure, message, "Keep one of them.")
    wide = plain.pivot(index=others, columns=measure, values=value).fillna("")
    lines = plain.groupby(others, sort=True)["line"].min()
    wide = wide.reset_index()
    wide.columns.name = None
    wide.index = pd.Index(lines.to_numpy(), dtype="int64")
    return wide.astype("category")
