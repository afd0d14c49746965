"""Add a locale to a project: its files, and its place in `tavolan.toml`."""

from typing import Any

import tomlkit

from tavolan.errors import UnknownNameError, UsageError
from tavolan.languages.tags import language_of, locale_name, tag_fault
from tavolan.project.model import Project
from tavolan.project.texts import Texts
from tavolan.support.files import read_text, write_text
from tavolan.support.transaction import changing


def add_locale(project: Project, tag: str, like: str | None = None) -> list[str]:
    """Write what a new locale needs and return what was done, in lines. Raises UsageError when it can't be added.

    A locale `like` one of its own language takes that one's text where it has none; of another language, that one's
    text is laid out to be translated. Without `like`, the source's is.
    """
    _refuse(project, tag, like)
    with changing(project.root):
        return _add(project, tag, like)


def _add(project: Project, tag: str, like: str | None) -> list[str]:
    lines = []
    path = project.root / "copy" / f"{tag}.toml"
    if path.exists():
        lines.append(f"copy/{tag}.toml is there already and stays as it is")
    else:
        head = f"# {project.app.name}: all text in {locale_name(tag)}\n"
        lent = like is not None and language_of(like) == language_of(tag)
        body = f'like = "{like}"\n' if lent else _laid_out(project, like or project.source_locale)
        write_text(path, head + body)
        lines.append(f"copy/{tag}.toml written")
    terms = project.root / "terms" / f"{tag}.csv"
    if not terms.exists():
        write_text(terms, "phrase,relevance,volume,difficulty\n")
        lines.append(f"terms/{tag}.csv written: what people search for there")
    return [*lines, *_list(project, tag)]


def _laid_out(project: Project, pattern: str) -> str:
    """Return the texts of a locale as comments in their tables, to be translated in place."""
    texts = Texts(project)
    origins = (pattern, project.copy[pattern].data.get("like"), project.source_locale)
    tables: dict[str, list[str]] = {"": [], "captions": []}
    for address in texts.addresses():
        *tables_above, key = texts.key(address)
        # Links stay as they are, and keywords are researched.
        if not texts.is_translated(address):
            continue
        text = next((text for origin in origins if origin and (text := texts.get(origin, address)).strip()), "")
        if text:
            value = tomlkit.string(text, multiline="\n" in text).as_string()
            # TOML drops a line break right after the opening quotes.
            value = value.replace('"""', '"""\n', 1)
            tables.setdefault(".".join(tables_above), []).append(f"{key} = {value}")
    lines = [f"# The text of {pattern} is below: translate it and take the # away, or use tavolan locale send.", ""]
    for table, entries in tables.items():
        lines += ["", f"[{table}]"] if table else []
        lines += [f"# {line}".rstrip() for entry in entries for line in entry.split("\n")]
    return "\n".join(lines) + "\n"


def _refuse(project: Project, tag: str, like: str | None) -> None:
    if fault := tag_fault(tag):
        raise UsageError(fault.message, fault.remedy)
    if tag in project.app.locales:
        raise UsageError(f"this project has {tag} already.")
    if like is None:
        return
    if like not in project.app.locales:
        raise UnknownNameError("this project has no", like, project.app.locales, option="--like")
    if language_of(like) == language_of(tag) and "like" in project.copy[like].data:
        raise UsageError(f"{like} is itself like {project.copy[like].data['like']}", "Name that one.", option="--like")


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
