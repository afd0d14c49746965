"""Read a data table from CSV, column by column, each different cell once: 47,000 rows take 0.1 s.

Arrow would be as fast, but it loads pandas, which takes longer than all else that a check does.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from tavolan.errors import Problem, ProjectError, nearest
from tavolan.project.datafile import DataFile
from tavolan.project.table_rules import Fault, RowFault, Value, repeated_rows, row_fault, typed
from tavolan.support.csvfile import plain_columns, stream_csv, unguarded

_MOST_FAULTS = 100
_MOST_REPEATED = 20


@dataclass(frozen=True)
class Columns:
    """The cells of a table by column. It has `count` rows; a column that the file lacks is empty.

    `cells` are as written, `values` has the number, day or text of each different cell: None for an empty number or
    day, and for one that can't be read.
    """

    file: DataFile
    count: int = 0
    cells: dict[str, Sequence[str]] = field(default_factory=dict)
    values: dict[str, dict[str, Value]] = field(default_factory=dict)

    def of(self, name: str) -> Sequence[Value]:
        """Return a column as numbers, days or texts."""
        if name in self.cells:
            if name in self.file.prose:
                return list(map(unguarded, self.cells[name]))
            if name in self.values:
                return list(map(self.values[name].__getitem__, self.cells[name]))
            return self.cells[name]
        is_text = name not in self.file.numbers and name not in self.file.dates
        return [("" if is_text else None)] * self.count

    def repeated_rows(self) -> list[tuple[int, int, str]]:
        """Return the rows whose key an earlier row has: the row, the first one with this key, the key in words."""
        empty = [""] * self.count
        return repeated_rows([self.cells.get(name, empty) for name in self.file.key])


def read_columns(root: Path, file: DataFile) -> Columns:
    """Return the rows of the CSV file of a data table, none when it isn't there. Raises ProjectError for its faults.

    Semicolons or tabs as separators and decimal commas are understood. A fault is a cell that can't be read or is out
    of range, and a row whose key another one has; each comes with its line.
    """
    path = file.path_in(root)
    if not path.exists():
        return Columns(file)
    shown = replace(file, name=path.relative_to(root).as_posix())
    cells = plain_columns(path, shown.name)
    if cells and set(file.required) <= set(cells) <= set(file.columns):
        found, faults = _judged(shown, cells)
        if not faults and not found.repeated_rows() and not _has_stray_spaces(found):
            return replace(found, file=file)
    return replace(_with_lines(path, shown), file=file)


def _judged(file: DataFile, cells: dict[str, Sequence[str]]) -> tuple[Columns, list[RowFault]]:
    """Return the cells with their values, and the faults of rows."""
    faults: list[RowFault] = []
    values: dict[str, dict[str, Value]] = {}
    for name, column in cells.items():
        known = {cell: typed(file, name, cell) for cell in set(column)}
        wrong = {cell: fault for cell, fault in known.items() if isinstance(fault, Fault)}
        if wrong:
            faults += [RowFault(row, name, wrong[cell]) for row, cell in enumerate(column) if cell in wrong]
        if name in file.numbers or name in file.dates:
            values[name] = {cell: None if isinstance(value, Fault) else value for cell, value in known.items()}
    found = Columns(file, len(next(iter(cells.values()), ())), cells, values)
    spoiled = {fault.row for fault in faults}
    names = [*file.either, *(name for pair in file.at_most for name in pair)]
    for row, own in enumerate(zip(*map(found.of, names), strict=True) if names else ()):
        if row not in spoiled and (fault := row_fault(file, dict(zip(names, own, strict=True)))):
            faults.append(RowFault(row, *fault))
    return found, faults


def _has_stray_spaces(found: Columns) -> bool:
    names = [name for name in found.cells if name not in found.file.prose]
    return any(cell != cell.strip() for name in names for cell in set(found.cells[name]))


def _with_lines(path: Path, file: DataFile) -> Columns:
    """Return the table of a file that's written another way than the tool does. Raises ProjectError for its faults."""
    rows = stream_csv(path, file.name)
    header = [name.strip().lower() for name in next(rows, (0, []))[1]]
    problems = _header_faults(file, header)
    if problems:
        raise ProjectError(problems)
    lines: list[int] = []
    kept: list[list[str]] = []
    for line, cells in rows:
        if len(cells) == len(header):
            lines.append(line)
            kept.append(list(map(str.strip, cells)))
            continue
        message = f"has {len(cells)} cells where the header has {len(header)}"
        problems.append(Problem(file.name, line, "", message, "Quote cells that hold the separator."))
        if len(problems) >= _MOST_FAULTS:
            raise ProjectError(problems)
    columns = zip(*kept, strict=True) if kept else ([] for _ in header)
    found, faults = _judged(file, dict(zip(header, columns, strict=True)))
    first = {fault.row: fault for fault in reversed(faults)}
    problems += [Problem(file.name, lines[row], name, *fault) for row, name, fault in first.values()]
    if not problems:
        for row, earlier, key in found.repeated_rows()[:_MOST_REPEATED]:
            message = f"is there twice: {key} is in line {lines[earlier]} too"
            problems.append(Problem(file.name, lines[row], "", message, "Keep the line that's right."))
    if problems:
        raise ProjectError(sorted(problems, key=lambda problem: problem.line or 0)[:_MOST_FAULTS])
    return found


def _header_faults(file: DataFile, header: list[str]) -> list[Problem]:
    faults = []
    for name in file.required:
        if name not in header:
            remedy = f"The first line must name the columns: {','.join(file.columns)}."
            faults.append(Problem(file.name, 1, "header", f'has no column "{name}"', remedy))
    for name in header:
        if name not in file.columns:
            message = f'has an unknown column "{name}"'
            faults.append(Problem(file.name, 1, "header", message, nearest(name, file.columns)))
        elif header.count(name) > 1:
            faults.append(Problem(file.name, 1, "header", f'has two columns "{name}"', "Keep the one that's right."))
    return faults
