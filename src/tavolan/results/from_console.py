"""Fetch metrics from the consoles of a project, as an export would bring them."""

from datetime import date
from pathlib import Path

import pandas as pd

from tavolan.consoles.opening import opened_console
from tavolan.imports.taking import Given, Taken
from tavolan.project.datafile import METRICS
from tavolan.project.model import Project
from tavolan.results.importing import take_rows


def fetch_metrics(project: Project, store: str, since: date | None = None) -> Taken:
    """Return a store's metrics from its console, from a day on. Raises UsageError, OutsideError as consoles do."""
    rows = []
    with opened_console(project, store) as client:
        for one in client.metrics(since):
            counts = (one.impressions, one.page_views, one.installs, one.revenue)
            rows.append([str(one.day), store, one.storefront, one.source, *map(_cell, counts)])
    table = pd.DataFrame(rows, columns=list(METRICS.columns), dtype="category")
    return take_rows(project, Path(f"console {store}"), table, Given(), "metrics")


def _cell(value: float | None) -> str:
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)
