"""The document of the protocol: what the framework says of it, and what it can't know of our errors and bodies."""

import re
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

from tavolan.consoles.client import MERGE_PATCH
from tavolan.consoles.protocol import Trouble

PROBLEM = "application/problem+json"
TITLES = {
    400: "Not understood",
    401: "Sign in first",
    403: "Not allowed",
    404: "Not found",
    405: "Not allowed here",
    409: "In conflict",
    412: "Changed meanwhile",
    413: "Too large",
    415: "Not taken",
    422: "Not valid",
    428: "Say what you saw",
    429: "Busy",
    503: "Broken",
}
# After how many seconds to ask again, or a date (RFC 9110, section 10.2.3).
_RETRY_AFTER = {"Retry-After": {"description": "When to ask again", "schema": {"type": "string"}}}
_ALLOW = {"Allow": {"description": "The methods that are allowed", "schema": {"type": "string"}}}
_HEADERS = {405: _ALLOW, 429: _RETRY_AFTER, 503: _RETRY_AFTER}
_TROUBLE = "#/components/schemas/Trouble"
# All refusals have one shape.
ANSWERS: dict[int | str, dict[str, Any]] = {
    status: {
        "description": title,
        "content": {PROBLEM: {"schema": {"$ref": _TROUBLE}}},
        **({"headers": _HEADERS[status]} if status in _HEADERS else {}),
    }
    for status, title in TITLES.items()
}
_PARAMETER = re.compile(r"\{[^}]+\}")
PART_BODY = {
    "requestBody": {
        "required": True,
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}


def document_of(app: FastAPI) -> dict[str, Any]:
    """Return the OpenAPI document of the stand-in, made once."""
    if app.openapi_schema is None:
        made = get_openapi(title=app.title, version=app.version, summary=app.summary, routes=app.routes)
        made["components"]["schemas"]["Trouble"] = Trouble.model_json_schema()
        for operations in made["paths"].values():
            body = operations.get("patch", {}).get("requestBody", {}).get("content", {})
            if "application/json" in body:
                body[MERGE_PATCH] = body.pop("application/json")
        app.openapi_schema = made
    return app.openapi_schema


def methods_of(app: FastAPI, path: str) -> list[str]:
    """Return the methods that the document names for a path."""
    templates = document_of(app)["paths"].items()
    found = (operations for template, operations in templates if re.fullmatch(_PARAMETER.sub("[^/]+", template), path))
    return sorted(method.upper() for operations in found for method in operations)
