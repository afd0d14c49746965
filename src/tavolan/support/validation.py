"""Where foreign data is validated: turn pydantic's errors into problems in the user's words."""

from types import UnionType
from typing import Any, Union, get_args, get_origin

from pydantic import BaseModel, ValidationError

from tavolan.errors import FaultError, Problem, nearest
from tavolan.support.toml_lines import KeyPath, line_of

_TYPES = {
    "string_type": "must be text in quotes",
    "int_type": "must be a whole number",
    "int_parsing": "must be a whole number",
    "int_from_float": "must be a whole number",
    "float_type": "must be a number",
    "bool_type": "must be true or false",
    "bool_parsing": "must be true or false",
    "list_type": 'must be a list, as in ["one", "two"]',
    "tuple_type": 'must be a list, as in ["one", "two"]',
    "dict_type": "must be a table",
    "model_type": "must be a table",
    "model_attributes_type": "must be a table",
    "missing": "is missing",
}

# What to do about a value of the right type, filled in with what pydantic says of its limits.
_REMEDIES = {
    "greater_than": "Write more than {gt:g}.",
    "greater_than_equal": "Write {ge:g} or more.",
    "less_than": "Write less than {lt:g}.",
    "less_than_equal": "Write {le:g} or less.",
    "finite_number": "Write a number that has an end.",
    "int_parsing_size": "Write a smaller number.",
    "too_short": "It needs {min_length} entries at least, and has {actual_length}.",
    "too_long": "It holds {max_length} entries at most, not {actual_length}.",
    "string_too_short": "Write at least {min_length} letters.",
    "string_too_long": "Write at most {max_length} letters.",
    "date_type": "Write a day as 2026-11-30.",
    "date_parsing": "Write a day as 2026-11-30.",
    "date_from_datetime_parsing": "Write a day as 2026-11-30.",
}
# What texts of a pattern look like.
_PATTERNS = {
    r"^[A-Z]{2}$": "Write two capital letters, as US.",
    r"^[a-z][a-z0-9_]*$": "Use small letters, digits and _, beginning with a letter.",
    r"^[a-z0-9][a-z0-9_-]*$|^$": "Use small letters, digits, - and _, beginning with a letter or a digit.",
    r"^[A-Za-z0-9][A-Za-z0-9._-]*$": "Use letters, digits, dots, - and _, beginning with a letter or a digit.",
    r"^https?://": "Write an address that begins with https://.",
    r"^(never|always|update|items|form:[a-z]+)$": "Write never, always, update, items, or as form:phone.",
}


def problems_of(error: ValidationError, shown: str, text: str, model: type[BaseModel]) -> list[Problem]:
    """Turn every error of a validation into a `Problem` with its line in the TOML text."""
    problems = []
    items = error.errors(include_url=False)
    for item in items:
        depth = len(item["loc"])
        if item["type"] == "too_short" and any(i["loc"][:depth] == item["loc"] and i is not item for i in items):
            # Short only for want of the entry that has a fault of its own.
            continue
        path: KeyPath = tuple(part for part in item["loc"] if part not in ("[key]", "str", "dict"))
        where = ".".join(str(part + 1) if isinstance(part, int) else part for part in path)
        message, remedy = _in_words(dict(item), model, path)
        problems.append(Problem(shown, line_of(text, path), where, message, remedy))
    return problems


def _in_words(item: dict[str, Any], model: type[BaseModel], path: KeyPath) -> tuple[str, str]:
    kind, given = item["type"], item.get("input")
    context = item.get("ctx", {})
    if kind == "extra_forbidden":
        return "isn't a known key", nearest(str(path[-1]), _keys_at(model, path[:-1]))
    if kind == "value_error":
        refused = context["error"]
        return refused.fault if isinstance(refused, FaultError) else (str(refused), "")
    if kind in _TYPES:
        return (_TYPES[kind], "Add it.") if kind == "missing" else (f"{_TYPES[kind]}, not {_shown(given)}", "")
    return f"can't be {_shown(given)}", _remedy(kind, context) or f"{item['msg']}."


def _remedy(kind: str, context: dict[str, Any]) -> str:
    """Return what to write in the place of a value that's beyond its limits; nothing where only pydantic knows."""
    if kind == "literal_error":
        return f"Write one of: {context['expected']}."
    if kind == "string_pattern_mismatch":
        return _PATTERNS.get(context["pattern"], "")
    return _REMEDIES[kind].format(**context) if kind in _REMEDIES else ""


def _shown(value: Any) -> str:
    """Return a value as the user wrote it, cut short."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, dict):
        return "a table"
    if isinstance(value, list):
        return "a list"
    text = f'"{value}"' if isinstance(value, str) else str(value)
    return text if len(text) <= 60 else text[:57] + "…" + text[-1:]


def _keys_at(model: Any, path: KeyPath) -> list[str]:
    """Return the keys that a model knows at a place, following nested models, tables and lists."""
    annotation: Any = model
    for part in path:
        annotation = _bare(annotation)
        if _is_model(annotation):
            by_key = {(info.alias or name): info.annotation for name, info in annotation.model_fields.items()}
            annotation = by_key.get(str(part))
        elif get_origin(annotation) in (dict, list, tuple):
            annotation = [arg for arg in get_args(annotation) if arg is not Ellipsis][-1]
        else:
            return []
    annotation = _bare(annotation)
    if not _is_model(annotation):
        return []
    return [info.alias or name for name, info in annotation.model_fields.items()]


def _is_model(annotation: Any) -> bool:
    return isinstance(annotation, type) and issubclass(annotation, BaseModel)


def _bare(annotation: Any) -> Any:
    """Take the annotation out of `X | None`."""
    if get_origin(annotation) in (Union, UnionType):
        return next((arg for arg in get_args(annotation) if arg is not type(None)), None)
    return annotation
