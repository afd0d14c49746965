"""JSON Schemas (draft 2020-12) of the TOML files that people write, so that editors complete and check them."""

from collections.abc import Callable, Iterable
from typing import Any

from tavolan.project.experiment_schema import ExperimentTable
from tavolan.project.replies_schema import RepliesFile
from tavolan.project.schema import Config, Shots
from tavolan.project.video_schema import VideoFile
from tavolan.rulebooks.model import FieldRule, Rulebook

DRAFT = "https://json-schema.org/draft/2020-12/schema"
Schema = dict[str, Any]
_TEXT: Schema = {"type": "string"}
_TEXTS: Schema = {"type": "array", "items": {"type": "string"}}


def schema_of(name: str, books: Iterable[Rulebook]) -> Schema:
    """Return the schema of a kind of file: one of `NAMES`. Raises KeyError for another name."""
    return {"$schema": DRAFT, **_MAKERS[name](list(books))}


def _rulebook(_: list[Rulebook]) -> Schema:
    """A project's file may override single values of a rulebook, so nothing is required in it."""
    optional: Schema = _without_required(Rulebook.model_json_schema(by_alias=True))
    return {**optional, "title": "rules/<id>.toml"}


def _without_required(value: Any) -> Any:
    if isinstance(value, dict):
        return {
            key: _without_required(part)
            for key, part in value.items()
            if not (key == "required" and isinstance(part, list))
        }
    return [_without_required(part) for part in value] if isinstance(value, list) else value


def _copy(books: list[Rulebook]) -> Schema:
    """Return the schema of copy/<locale>.toml for some rulebooks: their fields with what they are and their limits."""
    local = {book.id: _of_scope(book, "locale") for book in books}
    items = {key: rule for book in books for key, rule in _of_scope(book, "item").items()}
    shared = {key: _field(key, local, books) for fields in local.values() for key in fields}
    texts = {"type": "object", "additionalProperties": _TEXT}
    of_items = {
        "type": "object",
        "additionalProperties": {
            "type": "object",
            "additionalProperties": False,
            "properties": {key: {**_TEXT, "description": rule.what} for key, rule in items.items()},
        },
    }
    return {
        "title": "copy/<locale>.toml",
        "type": "object",
        "additionalProperties": False,
        "properties": {
            "like": {"type": "string", "description": "A locale of the same language; what's missing comes from it."},
            **shared,
            **{
                store: {
                    "type": "object",
                    "description": f"What differs in {store} alone.",
                    "additionalProperties": False,
                    "properties": {**{key: shared[key] for key in fields}, "items": of_items},
                }
                for store, fields in local.items()
            },
            "captions": {**texts, "description": "By the shot's name; *words* are emphasised, _words_ slanted."},
            "titles": {
                **texts,
                "description": "Of the preview video, by the scene's name; *words* are emphasised, _words_ slanted.",
            },
            "showcase": {**texts, "description": "Values that the screens show, by name."},
            "replies": {**texts, "description": "Replies to reviews, by the names that replies.toml gives them."},
            "history": {**texts, "description": "Release notes of earlier versions, by version."},
            "replace": {**texts, "description": "Words of the locale that this one is like, and their spelling here."},
            "alternates": {"type": "object", "additionalProperties": _TEXTS},
            "items": of_items,
        },
    }


def _of_scope(book: Rulebook, scope: str) -> dict[str, FieldRule]:
    return {key: rule for key, rule in book.fields.items() if rule.scope == scope}


def _field(key: str, local: dict[str, dict[str, FieldRule]], books: list[Rulebook]) -> Schema:
    """Return a field's type, what it is, and its limits in all stores, in words: each counts in a unit of its own."""
    rules = {book.id: local[book.id][key] for book in books if key in local[book.id]}
    first = next(iter(rules.values()))
    limits = ", ".join(f"{store} {rule.max}" for store, rule in rules.items() if rule.max)
    description = f"{first.what}. At most: {limits}." if limits else f"{first.what}."
    return {**(_TEXTS if first.kind == "list" else _TEXT), "description": description}


_MAKERS: dict[str, Callable[[list[Rulebook]], Schema]] = {
    "tavolan": lambda _: {**Config.model_json_schema(), "title": "tavolan.toml"},
    "shots": lambda _: {**Shots.model_json_schema(), "title": "shots.toml"},
    "copy": _copy,
    "experiment": lambda _: {**ExperimentTable.model_json_schema(), "title": "experiments/<id>.toml"},
    "video": lambda _: {**VideoFile.model_json_schema(), "title": "video.toml"},
    "replies": lambda _: {**RepliesFile.model_json_schema(), "title": "replies.toml"},
    "rulebook": _rulebook,
}
# The schemas of looks and title styles come from their own packages.
NAMES = (*_MAKERS, "look", "title-style")
