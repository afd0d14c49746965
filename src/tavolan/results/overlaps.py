"""Figures that are there already under another name: imported again they'd count twice.

A day of a place may come first as one source and then in parts, or under other names of sources, or for another store
by mistake. What differs in name only has the same sums on nearly all days.
"""

from dataclasses import dataclass

import numpy as np
import pandas as pd

from tavolan.errors import UsageError
from tavolan.support.number_words import counted

_PLACE = ["date", "store", "storefront"]
# The source of a line that sums up all others.
ALL_SOURCES = "all"
# Sums this near to each other are the same; on so many days at least, and on this share of those that both have.
_NEAR, _LEAST_DAYS, _MOST_DAYS_ALIKE = 0.01, 3, 0.8
# For another store so many lines must be the same, number by number.
_LEAST_LINES = 7


@dataclass(frozen=True)
class Overlap:
    """Lines that are known, and those of a file that say the same under other sources."""

    places: pd.MultiIndex
    known: list[str]
    new: list[str]


def without_doubles(
    before: pd.DataFrame, rows: pd.DataFrame, numbers: list[str], repairs: list[str], *, replace: bool
) -> pd.DataFrame:
    """Return the known lines that may stay beside imported ones.

    Sums of all sources go where the file has the parts. Raises UsageError where the same figures are there under other
    sources, unless the file's are to `replace` them, or under another store.
    """
    if before.empty or rows.empty:
        return before
    near = before["date"].between(rows["date"].min(), rows["date"].max())
    kept = _without_doubles(before[near], rows, numbers, repairs, replace=replace)
    return before[~near | before.index.isin(kept.index)]


def _without_doubles(
    before: pd.DataFrame, rows: pd.DataFrame, numbers: list[str], repairs: list[str], *, replace: bool
) -> pd.DataFrame:
    before = _without_known_sums(before, rows, repairs)
    _require_another_store(before, rows, numbers)
    overlap = _overlap(before, rows, numbers)
    if overlap is None:
        return before
    known, new = ", ".join(overlap.known), ", ".join(overlap.new)
    many = counted(len(overlap.places), "day and place", "days and places")
    if not replace:
        message = f"{many} have the same figures already, as {known}; as {new} they'd count twice"
        raise UsageError(message, "Take the file's in their place: --replace. Or name the source as it was: --source.")
    going = _of(before, overlap.places) & before["source"].astype("str").isin(overlap.known).to_numpy()
    repairs.append(f"{counted(int(going.sum()), 'line')} of {known} replaced by {new}")
    return before[~going]


def _without_known_sums(before: pd.DataFrame, rows: pd.DataFrame, repairs: list[str]) -> pd.DataFrame:
    sums = sums_of_parts(before, rows)
    if sums.any():
        repairs.append(f"{counted(int(sums.sum()), 'line')} of all sources, now known in parts, left out")
    return before[~sums]


def sums_of_parts(rows: pd.DataFrame, others: pd.DataFrame) -> "np.ndarray[tuple[int], np.dtype[np.bool_]]":
    """Return which lines are of all sources, on days and in places of which other lines have the parts."""
    parts = others[others["source"].astype("str") != ALL_SOURCES]
    is_sum: np.ndarray[tuple[int], np.dtype[np.bool_]] = (rows["source"].astype("str") == ALL_SOURCES).to_numpy()
    return is_sum & _of(rows, _places(parts))


def _overlap(before: pd.DataFrame, rows: pd.DataFrame, numbers: list[str]) -> Overlap | None:
    """Return what's there under other sources: the sums of those that one side has alone agree."""
    shared = _places(before).intersection(_places(rows)).unique()
    theirs, ours = before[_of(before, shared)], rows[_of(rows, shared)]
    key = [*_PLACE, "source"]
    only_known = theirs[~_rows_of(theirs, key).isin(_rows_of(ours, key))]
    only_new = ours[~_rows_of(ours, key).isin(_rows_of(theirs, key))]
    places = _places(only_known).intersection(_places(only_new)).unique()
    if len(places) < _LEAST_DAYS:
        return None
    for name in numbers:
        known, new = (_sums(frame, name).reindex(places) for frame in (only_known, only_new))
        both = known.notna() & new.notna() & (known > 0)
        alike = both & ((known - new).abs() <= _NEAR * known)
        if both.sum() >= _LEAST_DAYS and alike.sum() >= _MOST_DAYS_ALIKE * both.sum():
            at = [frame[_of(frame, places)]["source"].astype("str").unique() for frame in (only_known, only_new)]
            return Overlap(places, sorted(at[0]), sorted(at[1]))
    return None


def _require_another_store(before: pd.DataFrame, rows: pd.DataFrame, numbers: list[str]) -> None:
    """Raise UsageError where another store has the very same numbers on nearly all days."""
    key = ["date", "storefront", "source"]
    for own in rows["store"].astype("str").unique():
        mine = rows[rows["store"].astype("str") == own]
        with_figures = mine[mine[numbers].fillna(0).sum(axis=1) > 0]
        for other in before["store"].astype("str").unique():
            if other == own or len(with_figures) < _LEAST_LINES:
                continue
            known = before[before["store"].astype("str") == other]
            same = _rows_of(with_figures, [*key, *numbers]).isin(_rows_of(known, [*key, *numbers]))
            if same.sum() >= _MOST_DAYS_ALIKE * len(with_figures):
                lines = counted(len(with_figures), "line")
                message = f"{same.sum()} of {lines} are there already, number by number, for {other}"
                raise UsageError(message, f"Say which store the file is of: --store {other}.")


def _sums(frame: pd.DataFrame, name: str) -> "pd.Series[float]":
    """Return the sum of a number per day and place; of withheld cells it isn't known."""
    groups = frame.assign(**{column: frame[column].astype("str") for column in ("store", "storefront")}).groupby(_PLACE)
    return groups[name].sum().mask(groups[name].apply(lambda column: bool(column.isna().any())))


def _places(frame: pd.DataFrame) -> pd.MultiIndex:
    return _rows_of(frame, _PLACE)


def _rows_of(frame: pd.DataFrame, columns: list[str]) -> pd.MultiIndex:
    texts = {name: frame[name].astype("str") for name in ("store", "storefront", "source") if name in columns}
    # What isn't known equals what isn't known.
    numbers = {name: frame[name].fillna(-1.0) for name in columns if name not in texts and name != "date"}
    return pd.MultiIndex.from_frame(frame.assign(**texts, **numbers)[columns])


def _of(frame: pd.DataFrame, places: pd.MultiIndex) -> "np.ndarray[tuple[int], np.dtype[np.bool_]]":
    return np.asarray(_places(frame).isin(places), np.bool_)
