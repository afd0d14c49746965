"""JSON Schemas of all JSON documents that commands print or write, made from their shapes."""

from typing import Any

from pydantic import TypeAdapter
from pydantic.json_schema import GenerateJsonSchema

from tavolan.project.json_schemas import DRAFT
from tavolan.reports.documents import (
    experiment_shapes,
    hand_over_shapes,
    next_shapes,
    results_shapes,
    review_shapes,
    shapes,
    video_shapes,
)

# The shape of each document by its id and version, as its `schema` names it.
SHAPES: dict[str, type] = {
    "baseline@1": shapes.Baseline,
    "check@1": shapes.Check,
    "compare@1": hand_over_shapes.Compare,
    "copy@1": shapes.Copy,
    "cover@1": shapes.Cover,
    "effect@1": results_shapes.Effects,
    "experiments@1": experiment_shapes.Experiments,
    "field@1": shapes.Field,
    "fit@1": shapes.Fit,
    "forecast@1": hand_over_shapes.Forecast,
    "funnel@1": results_shapes.FunnelDocument,
    "journal@1": hand_over_shapes.Journal,
    "learned@1": experiment_shapes.LearnedDocument,
    "lists@2": shapes.Lists,
    "locales@1": shapes.Locales,
    "mine@1": shapes.Mine,
    "moved@1": results_shapes.MovedDocument,
    "next@1": next_shapes.NextDocument,
    "notes@1": shapes.Notes,
    "pack@1": shapes.Pack,
    "plan@1": shapes.Plan,
    "push@1": hand_over_shapes.Push,
    "queue@1": review_shapes.QueueDocument,
    "ranks@1": results_shapes.Ranks,
    "render@1": shapes.Render,
    "replies@1": review_shapes.RepliesDocument,
    "report@1": results_shapes.Report,
    "rivals@1": results_shapes.RivalsDocument,
    "rules@1": shapes.Rules,
    "score@1": shapes.Scores,
    "sent@1": review_shapes.SentDocument,
    "share@1": results_shapes.Shares,
    "size@1": experiment_shapes.ExperimentSize,
    "status@3": shapes.Status,
    "suggestions@1": shapes.Suggestions,
    "swap@1": shapes.Swap,
    "text@1": shapes.Text,
    "themes@1": review_shapes.ThemesDocument,
    "title@1": shapes.Title,
    "variant@1": experiment_shapes.VariantPack,
    "verdict@1": experiment_shapes.ExperimentVerdict,
    "videofiles@1": video_shapes.CheckedVideosDocument,
    "videos@1": video_shapes.VideosDocument,
    "wins@1": results_shapes.WinsDocument,
    "worth@1": results_shapes.WorthDocument,
}


class _Untitled(GenerateJsonSchema):
    """Leaves out the titles of parts: they say the names again."""

    def field_title_should_be_set(self, schema: Any) -> bool:  # noqa: ARG002
        return False


def document_schema(name: str) -> dict[str, Any]:
    """Return the JSON Schema of a kind of document: one of `SHAPES`. Raises KeyError for another name."""
    made = TypeAdapter(SHAPES[name]).json_schema(schema_generator=_Untitled, mode="serialization")
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
