"""The shapes of all JSON documents that commands print or write, as types; JSON Schemas are made from them."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter
from pydantic.json_schema import GenerateJsonSchema

from tavolan.project.json_schemas import DRAFT
from tavolan.reports.documents import word_shapes, work_shapes

# The shape of each document by its id and version, as its `schema` names it.
SHAPES: dict[str, type] = {
    "baseline@1": work_shapes.Baseline,
    "check@1": work_shapes.Check,
    "copy@1": work_shapes.Copy,
    "cover@1": word_shapes.Cover,
    "field@1": work_shapes.Field,
    "fit@1": word_shapes.Fit,
    "lists@2": word_shapes.Lists,
    "locales@1": work_shapes.Locales,
    "mine@1": word_shapes.Mine,
    "notes@1": work_shapes.Notes,
    "pack@1": work_shapes.Pack,
    "plan@1": word_shapes.Plan,
    "render@1": work_shapes.Render,
    "rules@1": work_shapes.Rules,
    "score@1": word_shapes.Score,
    "status@2": work_shapes.Status,
    "suggestions@1": work_shapes.Suggestions,
    "text@1": work_shapes.Text,
    "title@1": word_shapes.Title,
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
