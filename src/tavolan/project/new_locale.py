"""Add a locale to a project: its files, and its place in `tavolan.toml`."""

from collections.abc import Sequence
from typing import Any

import tomlkit

from tavolan.errors import UnknownNameError, UsageError
from tavolan.languages.tags import language_of, locale_name, tag_fault
from tavolan.project.meant_locales import meant_tags, same_but_wider, stores_with, tags_of
from tavolan.project.model import Project
from tavolan.project.texts import Texts
from tavolan.support.files import read_text, write_text
from tavolan.support.transaction import changing


def add_locales(project: Project, tags: Sequence[str], like: str | None = None, *, anyway: bool = False) -> list[str]:
    """Write what new locales need and return what was done, in lines. Raises UsageError when one can't be added.

    A locale `like` one of its own language takes that one's text where it has none; of another language, that one's
    text is laid out to be translated. Without `like`, the source's is. A locale that no store has is only added
    `anyway`.
    """
    for tag in tags:
        _refuse(project, tag, like)
        if not anyway:
            _refuse_unknown(project, tag)
    with changing(project.root):
        return [line for tag in dict.fromkeys(tags) for line in _add(project, tag, like)]


def missing_locales(project: Project, stores: Sequence[str]) -> list[str]:
    """Return all locales that stores have and the project lacks, each once: of tags of one locale the widest known."""
    found: dict[str, None] = {}
    for store in stores:
        book = project.stores[store].rulebook
        covered = {book.store_code(tag) for tag in (*project.app.locales, *found)}
        for tag in tags_of(project.stores[store].rulebook):
            code = book.store_code(tag)
            if code not in covered:
                covered.add(code)
                found[same_but_wider(project.rulebooks, tag) or tag] = None
    return list(found)


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


def _refuse_unknown(project: Project, tag: str) -> None:
    """Refuse a tag that no store has, or that another one says for more stores, and name what may be meant."""
    if not (having := stores_with(project.rulebooks, tag)):
        raise UsageError(f"no store of this project has {tag}", f"{_meant(project, tag)}To add it: --anyway.")
    if wider := same_but_wider(project.rulebooks, tag):
        there = ", ".join(stores_with(project.rulebooks, wider))
        message = f"{tag} is only in {', '.join(having)}; {wider} is the same there, and in {there}"
        raise UsageError(message, f"Add {wider}, or give --anyway.")


def _meant(project: Project, tag: str) -> str:
    meant = meant_tags(project.rulebooks, tag)
    return f"Meant: {' or '.join(meant)}? " if meant else ""


def _refuse(project: Project, tag: str, like: str | None) -> None:
    if fault := tag_fault(tag):
        raise UsageError(fault.message, _meant(project, tag).strip() or fault.remedy)
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
    before = [str(other) for other in document["app"]["locales"]]
    document["app"]["locales"].append(tag)
    lines = ["tavolan.toml lists it"]
    for store in project.stores.values():
        table = document["store"][store.id]
        if store.rulebook.store_code(tag) is None:
            lines.append(f"{store.id} doesn't have {tag}: it's left out there")
            if "locales" not in table:
                # Without a list of its own a store has all that it knows: also those that were added just now.
                table["locales"] = [other for other in before if store.rulebook.store_code(other) is not None]
        elif "locales" in table:
            table["locales"].append(tag)
    write_text(config, tomlkit.dumps(document))
    return lines
