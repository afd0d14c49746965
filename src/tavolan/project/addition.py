"""Add a locale to a project: its files, and its place in `tavolan.toml`."""

from __future__ import annotations

from typing import Any

import tomlkit

from tavolan.edge import nearest
from tavolan.errors import UsageError
from tavolan.files import read_text, write_text
from tavolan.project.locales import language_of, locale_name, tag_fault
from tavolan.project.model import Project


def add_locale(project: Project, tag: str, like: str | None = None) -> list[str]:
    """Write what a new locale needs and return what was done, in lines. Raises UsageError when it can't be added."""
    _refuse(project, tag, like)
    lines = []
    path = project.root / "copy" / f"{tag}.toml"
    if path.exists():
        lines.append(f"copy/{tag}.toml is there already and stays as it is")
    else:
        head = f"# {project.app.name}: all text in {locale_name(tag)}\n"
        write_text(path, head + (f'like = "{like}"\n' if like else "\n[captions]\n"))
        lines.append(f"copy/{tag}.toml written")
    terms = project.root / "terms" / f"{tag}.csv"
    if not terms.exists():
        write_text(terms, "phrase,relevance,volume,difficulty\n")
        lines.append(f"terms/{tag}.csv written: what people search for there")
    return [*lines, *_list(project, tag)]


def _refuse(project: Project, tag: str, like: str | None) -> None:
    if fault := tag_fault(tag):
        message, _, remedy = fault.partition(" | ")
        raise UsageError(f"{message}. {remedy}")
    if tag in project.app.locales:
        raise UsageError(f"this project has {tag} already.")
    if like is None:
        return
    if like not in project.app.locales:
        raise UsageError(f'--like: this project has no "{like}". {nearest(like, project.app.locales)}')
    if language_of(like) != language_of(tag):
        raise UsageError(f"--like: {like} is another language. Translate it instead: tavolan locale send.")
    if "like" in project.copy[like].data:
        raise UsageError(f"--like: {like} is itself like {project.copy[like].data['like']}. Name that one.")


def _list(project: Project, tag: str) -> list[str]:
    """Name a locale in `tavolan.toml`, for the stores that have it."""
    config = project.root / "tavolan.toml"
    document: Any = tomlkit.parse(read_text(config, "tavolan.toml"))
    document["app"]["locales"].append(tag)
    lines = ["tavolan.toml lists it"]
    for store in project.stores.values():
        table = document["store"][store.id]
        if store.rulebook.store_code(tag) is None:
            lines.append(f"{store.id} doesn't have {tag}: it's left out there")
            if "locales" not in table:
                table["locales"] = list(store.locales)
        elif store.table.locales is not None:
            table["locales"].append(tag)
    write_text(config, tomlkit.dumps(document))
    return lines
