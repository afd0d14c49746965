"""Open workbooks that somebody else wrote: readable, or a clear problem."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from tavolan.errors import one_problem


def open_workbook(path: Path, **options: Any) -> Any:
    """Return an openpyxl workbook. Raises ProjectError when the file isn't there or isn't one."""
    from openpyxl import load_workbook

    try:
        return load_workbook(path, **options)
    except OSError as error:
        reason = error.strerror or str(error)
        raise one_problem(path, None, "", f"can't be read ({reason})", "Check that it's there.") from error
    except Exception as error:
        # A damaged workbook fails anywhere inside zip, XML and style parsing, each with errors of its own.
        message = f"isn't a workbook that can be read ({error})"
        raise one_problem(path, None, "", message, "Save it as .xlsx.") from error
