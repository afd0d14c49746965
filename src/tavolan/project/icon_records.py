"""Icons that a store's console takes: which files they are, and from which master each was made."""

import json
from pathlib import Path

from tavolan.project.model import ICON, Project, Store
from tavolan.support.content_digest import digest_of_file
from tavolan.support.files import read_text, write_inside

# The graphic of a rulebook that is the app's icon, and so the place of icons in a console.
ICON_PLACE = "icon"
_RECORDS = "out/icons/made.json"


def icon_file(store: str, side: int) -> str:
    """Return where a store's icon is, `side` pixels wide."""
    return f"out/icons/{store}/icon-{side}.png"


def handed_over_icons(store: Store) -> list[str]:
    """Return the icon files that a store's console takes, in the rulebook's order; none where the build has them."""
    graphic = store.rulebook.graphics.get(ICON_PLACE)
    if graphic is None or graphic.in_build:
        return []
    return [icon_file(store.id, side) for side in dict.fromkeys(width for width, _ in graphic.sizes)]


def icon_trouble(project: Project, store: Store) -> str:
    """Return what's wrong with the icons that a store's console takes: not made yet, or not from the present master."""
    files = handed_over_icons(store)
    if not files or not (project.root / ICON).is_file():
        return ""
    if any(not (project.root / file).is_file() for file in files):
        return f"isn't made from {ICON} yet"
    master, made_from = digest_of_file(project.root / ICON, ICON), icon_masters(project.root)
    if all(made_from.get(file) == master for file in files):
        return ""
    known = all(file in made_from for file in files)
    return f"was made from another {ICON}" if known else f"may have been made from another {ICON}"


def icon_masters(root: Path) -> dict[str, str]:
    """Return the digest of the master that each icon was made from, as far as it's known."""
    path = root / _RECORDS
    try:
        found = json.loads(read_text(path, _RECORDS)) if path.is_file() else {}
    except ValueError:
        found = {}
    return {str(file): str(digest) for file, digest in found.items()} if isinstance(found, dict) else {}


def note_icons(root: Path, made: dict[str, str]) -> None:
    """Note from which master, by its digest, icon files were made."""
    known = {**icon_masters(root), **made}
    write_inside(root, _RECORDS, (json.dumps(known, indent=1, sort_keys=True) + "\n").encode())
