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
    if kind == "literal_error":
        return f"can't be {_shown(given)}", f"Write one of: {context['expected']}."
    if kind in _TYPES:
        if kind == "missing":
            return _TYPES[kind], "Add it."
        return f"{_TYPES[kind]}, not {_shown(given)}", ""
    return f"can't be {_shown(given)}", f"{item['msg']}."


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
