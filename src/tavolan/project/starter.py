"""A starter project: a few commented files that pass `check` with nothing but notes on what's still to write."""

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

from tavolan.errors import UnknownNameError, UsageError
from tavolan.languages.tags import locale_name, nearest_code, tag_fault
from tavolan.project.datafile import DATA_FILES, GLOSSARY_COLUMNS
from tavolan.rulebooks.load import is_shipped, read_rulebook, shipped_ids, shipped_rulebook
from tavolan.rulebooks.model import FieldRule, Rulebook
from tavolan.support.files import read_text, write_text


class OwnRules(NamedTuple):
    """The rulebook of a store that the project describes itself, and the file that says it."""

    book: Rulebook
    text: str


def read_own_rules(paths: Iterable[Path]) -> dict[str, OwnRules]:
    """Return rulebooks by store from files as they'd be in `rules/`. Raises ProjectError for one that isn't right."""
    return {path.stem: OwnRules(read_rulebook(path), read_text(path, path.name)) for path in paths}


@dataclass(frozen=True)
class Starter:
    """What a new project is asked to hold; `own_rules` by store, for those that aren't shipped or differ from that."""

    name: str
    source: str
    locales: tuple[str, ...]
    stores: tuple[str, ...]
    own_rules: Mapping[str, OwnRules] = field(default_factory=dict)
    version: str = "1.0"
    runs_on: tuple[str, ...] = ("phone",)

    @property
    def all_locales(self) -> list[str]:
        """The source locale first, each locale once."""
        return list(dict.fromkeys((self.source, *self.locales)))

    def rulebook(self, store: str) -> Rulebook:
        """Return the rulebook of a store: the project's own, or the shipped one."""
        own = self.own_rules.get(store)
        return own.book if own else shipped_rulebook(store)


# Two people's lines of the journal are both kept by a merge.
GIT_ATTRIBUTES = "journal.csv merge=union\n"


def _quote(text: str) -> str:
    """Return a TOML string; JSON's escapes are TOML's too."""
    return json.dumps(text, ensure_ascii=False)


def plan_project(folder: Path, starter: Starter) -> dict[str, str]:
    """Return the files of a new project by their path in it. Raises UsageError where one is in the way."""
    for store in starter.stores:
        if not is_shipped(store) and store not in starter.own_rules:
            raise UnknownNameError("there's no rulebook", store, shipped_ids(), option="--store")
    for tag in starter.all_locales:
        if fault := tag_fault(tag):
            raise UsageError(fault.message, fault.remedy, option="--locale")
    books = [starter.rulebook(store) for store in dict.fromkeys(starter.stores)]
    files = {"tavolan.toml": _config(starter, books), "shots.toml": _SHOTS.format(source=starter.source)}
    files["replies.toml"] = _REPLIES
    for tag in starter.all_locales:
        files[f"copy/{tag}.toml"] = _copy(tag, starter, books)
    files[f"terms/{starter.source}.csv"] = "phrase,relevance,volume,difficulty,list,note,storefronts\n"
    for name, text in files.items():
        if kind := _SCHEMAS.get(name.split("/", maxsplit=1)[0] if "/" in name else name):
            up = "../" if "/" in name else "./"
            files[name] = f"#:schema {up}schemas/{kind}.json\n{text}"
    files["copy/glossary.csv"] = ",".join(GLOSSARY_COLUMNS) + "\n"
    files |= {data.name: ",".join(data.columns) + "\n" for data in DATA_FILES}
    files |= {f"rules/{store}.toml": own.text for store, own in starter.own_rules.items()}
    files[".gitignore"] = "out/\n"
    files[".gitattributes"] = GIT_ATTRIBUTES
    taken = [name for name in files if (folder / name).exists()]
    if folder.exists() and not folder.is_dir():
        raise UsageError(f"{folder} is a file", "Choose another folder.")
    if taken:
        raise UsageError(f"{folder} already holds {', '.join(taken)}", "Nothing was written; choose another folder.")
    return files


# Which schema a file or the files of a folder follow; editors find it by the first line.
_SCHEMAS = {"tavolan.toml": "tavolan", "shots.toml": "shots", "replies.toml": "replies", "copy": "copy"}


def write_project(folder: Path, files: dict[str, str]) -> None:
    """Write the planned files."""
    for name, text in files.items():
        write_text(folder / name, text)


def _config(starter: Starter, books: list[Rulebook]) -> str:
    locales = ", ".join(_quote(tag) for tag in starter.all_locales)
    parts = [
        _CONFIG_HEAD.format(
            name=_quote(starter.name),
            source=_quote(starter.source),
            locales=locales,
            version=_quote(starter.version),
            runs_on=json.dumps(list(starter.runs_on)),
        )
    ]
    for book in books:
        parts.append(f"\n[store.{book.id}]\n")
        lacking = [tag for tag in starter.all_locales if book.store_code(tag) is None]
        if lacking:
            held = ", ".join(_quote(tag) for tag in starter.all_locales if tag not in lacking)
            for tag in lacking:
                near = nearest_code(tag, book.locales.codes)
                parts.append(f"# {locale_name(tag)} isn't in this store" + (f"; near: {near}\n" if near else "\n"))
            parts.append(f"locales = [{held}]\n")
        parts.append(
            f"# storefronts = {json.dumps(list(book.storefronts.reads)[:3])}   # all that your locales serve\n"
        )
        parts.append(f"# classes = {json.dumps(list(book.classes)[:2])}   # size classes to render\n")
    facts = {
        key: rule
        for book in books
        for key, rule in book.fields.items()
        if (rule.scope == "once" or rule.kind == "link") and rule.required == "always"
    }
    parts.append(
        "\n# Facts and links for all locales and stores; [store.ios.once] and the like override them, and so"
        "\n# does a locale's own link in its copy file.\n[once]\n"
    )
    for key, rule in facts.items():
        parts.append(f"# {key} = {_sample(rule)}   # {rule.what}\n")
    parts.append("\n[guard]\n# Names of other companies' products that must never be in your listing.\nbrands = []\n")
    return "".join(parts)


def _sample(rule: FieldRule) -> str:
    if rule.kind == "record":
        return "{ " + ", ".join(f'{part} = ""' for part in rule.parts) + " }"
    if rule.kind == "answers":
        return "{ " + ", ".join(f'{part} = "{rule.choices[0]}"' for part in rule.parts) + " }"
    samples = {
        "list": "[]",
        "yes-no": "false",
        "price": '"free"',
        "prices": '{ JP = "800 JPY" }',
        "date": '"2027-01-31"',
    }
    return samples.get(rule.kind, '""')


def _copy(tag: str, starter: Starter, books: list[Rulebook]) -> str:
    head = f"# {starter.name}: all text in {locale_name(tag)}. Lengths are the limits of the stores.\n\n"
    lines: list[str] = []
    keys = dict.fromkeys(
        key
        for book in books
        for key, rule in book.fields.items()
        if rule.scope == "locale" and rule.kind != "link" and not rule.form
    )
    for key in keys:
        asking = [
            (book, book.fields[key]) for book in books if key in book.fields and book.fields[key].scope == "locale"
        ]
        what = asking[0][1].what
        limits = ", ".join(f"{book.id} {rule.max}" for book, rule in asking if rule.max)
        needed = [book.id for book, rule in asking if rule.required != "never"]
        note = f"# {what}." + (f" At most: {limits}." if limits else "")
        lines.append(note + (f" Required: {', '.join(needed)}." if needed else ""))
        lines.append(f"{key} = {_sample(asking[0][1])}\n")
    own = "\n".join(f"# [{book.id}]        # what differs in this store alone" for book in books)
    return (
        head
        + "\n".join(lines)
        + f"\n{own}\n\n# What the shots of shots.toml print: name = caption; *words* are emphasised.\n[captions]\n"
    )


_CONFIG_HEAD = """\
# The app, its stores and its locales. Text is in copy/<locale>.toml.
[app]
name = {name}
publisher = ""                 # search reads it too
version = {version}
first_version = true           # release notes are asked for from the second version on
runs_on = {runs_on}            # phone, tablet, desktop, tv, watch
# While writing, missing text is a note. Set "ready" when all should be there: then it's an error.
stage = "writing"
source = {source}
locales = [{locales}]
"""

_REPLIES = """\
# Which reply is drafted for which review: the first whose conditions hold. What's left out asks for nothing.
[values]
# support = "help@example.org"   # {support} in a text

# [template.sorry]               # its text: sorry = "…" under [replies] of copy/<locale>.toml
# stars = [1, 2, 3]
# since = "2.0"                  # and before: versions that the review is about
# about = { en = ["crashes"] }   # phrases, one of which the review must hold
"""
_SHOTS = """\
# The store pictures, in order. Raw screens: screens/<locale>/<size class>/<screen>.png
look = "rise"
frame = "dark"                 # dark or light

[palette]
top = "#F4E6DA"                # background above
bottom = "#E9C9AE"             # background below
glow = "#FFF6EC"               # light behind the caption
ink = "#2B1B14"                # caption
accent = "#C2461E"             # *emphasised* words

# tavolan shots new FOLDER makes them of captures. By hand: put screens/{source}/phone-6.9/home.png there, and take the
# marks away:
# [[shot]]
# name = "home"                # also the key of its caption in copy/<locale>.toml
# screen = "home"
"""
