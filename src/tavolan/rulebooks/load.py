"""Read the shipped rulebooks, and lay a project's own `rules/*.toml` over them."""

import math
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from tavolan.errors import Problem, ProjectError
from tavolan.rulebooks.model import Rulebook
from tavolan.support.toml_file import merge, read_toml
from tavolan.support.validation import problems_of

DATA = Path(__file__).parent / "data"


@cache
def shipped_ids() -> tuple[str, ...]:
    """Return the ids of the shipped rulebooks, found by looking: a new store is a new file. `order` sorts them."""
    found = (path.stem for path in DATA.glob("*.toml"))
    return tuple(sorted(found, key=lambda store: (shipped_data(store).get("order", math.inf), store)))


def is_shipped(store: str) -> bool:
    """Whether there's a shipped rulebook for a store."""
    return (DATA / f"{store}.toml").is_file()


@cache
def shipped_data(store: str) -> dict[str, Any]:
    """Return the plain data of a shipped rulebook."""
    return read_toml(DATA / f"{store}.toml", f"{store}.toml")[0]


@cache
def shipped_rulebook(store: str) -> Rulebook:
    """Return a shipped rulebook by its id."""
    return Rulebook.model_validate(shipped_data(store))


def load_rulebooks(root: Path | None, wanted: list[str] | None = None) -> tuple[dict[str, Rulebook], list[Problem]]:
    """Return the rulebooks by id: shipped ones with the project's overrides, then the project's own.

    `wanted` leaves out all others. Problems in `rules/*.toml` are collected, not raised; where the project's
    overrides can't be read, the shipped rulebook is returned, so that nothing else seems wrong because of them.
    """
    problems: list[Problem] = []
    own = {path.stem: path for path in sorted((root / "rules").glob("*.toml"))} if root else {}
    books: dict[str, Rulebook] = {}
    shipped = shipped_ids() if wanted is None else filter(is_shipped, wanted)
    for store in dict.fromkeys((*shipped, *own)):
        if wanted is not None and store not in wanted:
            continue
        if store not in own:
            books[store] = shipped_rulebook(store)
            continue
        book = _own_rulebook(store, own[store], problems)
        if book:
            books[store] = book
        elif is_shipped(store):
            books[store] = shipped_rulebook(store)
    return books, problems


def read_rulebook(path: Path) -> Rulebook:
    """Return the rulebook of one `rules/*.toml`, laid over the shipped one of its name. Raises ProjectError."""
    problems: list[Problem] = []
    book = _own_rulebook(path.stem, path, problems)
    if book is None:
        raise ProjectError(problems)
    return book


def _own_rulebook(store: str, path: Path, problems: list[Problem]) -> Rulebook | None:
    shown = f"rules/{path.name}"
    try:
        data, text = read_toml(path, shown)
    except ProjectError as error:
        problems += error.problems
        return None
    base = shipped_data(store) if is_shipped(store) else {"id": store}
    try:
        book = Rulebook.model_validate(merge(base, data))
    except ValidationError as error:
        problems += problems_of(error, shown, text, model=Rulebook)
        return None
    if book.id != store:
        remedy = f'Write id = "{store}", or rename the file to {book.id}.toml.'
        problems.append(Problem(shown, 1, "id", f'is "{book.id}" in a file named {path.name}', remedy))
        return None
    return book
