"""JSON Schemas of all JSON documents that commands print or write, made from their classes."""

from typing import Any

from pydantic.json_schema import GenerateJsonSchema

from tavolan.project.json_schemas import DRAFT
from tavolan.reports.documents import (
    checks,
    copy,
    experiments,
    facts,
    hand_over,
    next,
    outcome,
    pictures,
    ranks,
    results,
    reviews,
    undo,
    words,
)
from tavolan.reports.documents.part import Document

_MODULES = (checks, copy, experiments, facts, hand_over, next, outcome, pictures, ranks, results, reviews, undo, words)
_CLASSES = (item for module in _MODULES for item in vars(module).values() if isinstance(item, type))
# The class of each document by its kind, as its `schema` names it.
DOCUMENTS: dict[str, type[Document]] = dict(
    sorted((item.kind, item) for item in _CLASSES if issubclass(item, Document) and item is not Document)
)


class _Untitled(GenerateJsonSchema):
    """Leaves out the titles of parts: they say the names again."""

    def field_title_should_be_set(self, schema: Any) -> bool:  # noqa: ARG002
        return False

    def field_is_required(self, field: Any, total: bool) -> bool:
        return "serialization_exclude_if" not in field and super().field_is_required(field, total)

    def model_field_schema(self, schema: Any) -> dict[str, Any]:
        """A key that's left out where nothing is known is never null, and no other one is ever left out."""
        made = super().model_field_schema(schema)
        made.pop("default", None)
        if "serialization_exclude_if" in schema:
            (known,) = (each for each in made.pop("anyOf") if each != {"type": "null"})
            made |= known
        return made


def document_schema(name: str) -> dict[str, Any]:
    """Return the JSON Schema of a kind of document: one of `DOCUMENTS`. Raises KeyError for another name."""
    made = DOCUMENTS[name].model_json_schema(schema_generator=_Untitled, mode="serialization")
    for part in made.get("$defs", {}).values():
        if "properties" in part:
            part["additionalProperties"] = False
    schema = {"type": "string", "const": f"tavolan/{name}"}
    return {
        "$schema": DRAFT,
        **made,
        "title": f"tavolan/{name}",
        "properties": {"schema": schema, **made["properties"]},
        "required": ["schema", *made["required"]],
    }
