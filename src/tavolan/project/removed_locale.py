"""Take a locale out of a project: its place in `tavolan.toml`, its texts and phrases, what's remembered of them."""

from typing import Any

import tomlkit

from tavolan.errors import UsageError
from tavolan.project.approval_file import write_approvals
from tavolan.project.model import Project
from tavolan.project.state import write_state
from tavolan.support.files import delete_file, read_text, write_text
from tavolan.support.transaction import changing

_CONFIG = "tavolan.toml"


def remove_locale(project: Project, tag: str) -> list[str]:
    """Take a locale out as one change, and return what was done, in lines; screens, recordings and pictures stay.

    Raises UsageError for a locale that something else needs: the source, what others are like, a store's default, one
    that a season names.
    """
    files = locale_files(project, tag)
    with changing(project.root):
        _unlist(project, tag)
        for name in files:
            delete_file(project.root / name)
        state = {key: entry for key, entry in project.state.items() if key[0] != tag}
        if state != project.state:
            write_state(project.root, state)
        approvals = {key: entry for key, entry in project.approvals.items() if key[0] != tag}
        if approvals != project.approvals:
            write_approvals(project.root, approvals)
    return ["tavolan.toml no longer lists it", *(f"{name} deleted" for name in files)]


def locale_files(project: Project, tag: str) -> list[str]:
    """Return the files that go with a locale. Raises UsageError for one that can't be taken out."""
    project.pick("LOCALE", [tag], project.app.locales)
    if needs := _needs(project, tag):
        raise UsageError(f"{tag} can't be taken out: {needs}", "Change that first.")
    return [name for name in (f"copy/{tag}.toml", f"terms/{tag}.csv") if (project.root / name).exists()]


def _needs(project: Project, tag: str) -> str:
    """Return what needs a locale, in words; "" where nothing does."""
    if tag == project.app.source:
        return "texts are written in it first"
    if others := [other for other, copy in project.copy.items() if copy.data.get("like") == tag]:
        return f"{', '.join(others)} take texts from it"
    if stores := [store.id for store in project.stores.values() if store.default_locale == tag]:
        return f"it's the default locale of {', '.join(stores)}"
    if seasons := [season.name for season in project.seasons if tag in {**season.texts, **season.captions}]:
        return f"the season {seasons[0]} has texts in it"
    return ""


def _unlist(project: Project, tag: str) -> None:
    """Take a locale out of all lists of `tavolan.toml`."""
    document: Any = tomlkit.parse(read_text(project.root / _CONFIG, _CONFIG))
    document["app"]["locales"].remove(tag)
    for store in project.stores.values():
        table = document["store"][store.id]
        if tag in table.get("locales", ()):
            table["locales"].remove(tag)
    write_text(project.root / _CONFIG, tomlkit.dumps(document))
