"""The reviews of a project as a table, each with an id."""

import hashlib
import re
from collections.abc import Collection

import pandas as pd

from tavolan.project.datafile import REVIEWS
from tavolan.project.model import Project
from tavolan.project.table_reading import Wanted


def read_reviews(
    project: Project,
    stores: Collection[str] = (),
    storefronts: Collection[str] = (),
    locales: Collection[str] = (),
    columns: Collection[str] = (),
) -> pd.DataFrame:
    """Return the reviews that are asked for; empty means all. Days are ordinals, 0 where they aren't known.

    With `columns` they have those only. A store that isn't named in the file is any store. Raises ProjectError for
    faults in `data/reviews.csv`.
    """
    wanted: Wanted = [
        (name, "in", values)
        for name, values in (
            ("store", ["", *stores] if stores else []),
            ("storefront", list(storefronts)),
            ("locale", list(locales)),
        )
        if values
    ]
    frame = project.tables.frame(REVIEWS, wanted, list(columns))
    return frame if columns else with_ids(frame)


def with_ids(frame: pd.DataFrame) -> pd.DataFrame:
    """Return reviews each with an id: where there's none, a digest of its day, locale and text."""
    ids = frame["id"].astype(object).to_numpy(copy=True)
    missing = ids == ""
    if missing.any():
        own = frame.loc[missing, ["date", "locale", "text"]]
        ids[missing] = [
            hashlib.blake2b(f"{day} {locale} {text}".encode(), digest_size=6).hexdigest()
            for day, locale, text in zip(own["date"], own["locale"], own["text"], strict=True)
        ]
    return frame.assign(id=ids)


def version_key(name: str) -> tuple[int, ...]:
    """Return what versions are sorted by: their numbers, so that 2.10 comes after 2.9."""
    return tuple(map(int, re.findall(r"\d+", name)))
