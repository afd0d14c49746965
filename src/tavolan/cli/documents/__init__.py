"""The shapes of all JSON documents that commands print or write, as types; JSON Schemas are made from them."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter
from pydantic.json_schema import GenerateJsonSchema

from tavolan.cli.documents import words, work
from tavolan.project.json_schemas import DRAFT

# The shape of each document by its id and version, as its `schema` names it.
SHAPES: dict[str, type] = {
    "baseline@1": work.Baseline,
    "check@1": work.Check,
    "copy@1": work.Copy,
    "cover@1": words.Cover,
    "field@1": work.Field,
    "fit@1": words.Fit,
    "lists@2": words.Lists,
    "locales@1": work.Locales,
    "mine@1": words.Mine,
    "notes@1": work.Notes,
    "pack@1": work.Pack,
    "plan@1": words.Plan,
    "render@1": work.Render,
    "rules@1": work.Rules,
    "score@1": words.Score,
    "status@2": work.Status,
    "suggestions@1": work.Suggestions,
    "text@1": work.Text,
    "title@1": words.Title,
}


class _Untitled(GenerateJsonSchema):
    """Leaves out the titles of parts: they say the names again."""

    def field_title_should_be_set(self, schema: Any) -> bool:  # noqa: ARG002
        return False


def document_schema(name: str) -> dict[str, Any]:
    """Return the JSON Schema of a kind of document: one of `SHAPES`. Raises KeyError for another name."""
    made = TypeAdapter(SHAPES[name]).json_schema(schema_generator=_Untitled)
    schema = {"type": "string", "const": f"tavolan/{name}"}
    return {
        "$schema": DRAFT,
        **made,
        "title": f"tavolan/{name}",
        "properties": {"schema": schema, **made["properties"]},
        "required": ["schema", *made["required"]],
    }
