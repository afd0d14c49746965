"""Baselines: findings that are known, so that a build fails only on new ones."""

import json
from pathlib import Path

from tavolan.checking.findings import Finding
from tavolan.errors import one_problem
from tavolan.support.files import read_text, write_text

SCHEMA = "tavolan/baseline@1"


def write_baseline(path: Path, findings: list[Finding]) -> None:
    """Write the ids of findings, with what they say for the reader."""
    known = {f.id: f"{f.rule} {f.store} {f.locale} {f.field} {f.subject}".replace("  ", " ").strip() for f in findings}
    document = {"schema": SCHEMA, "findings": dict(sorted(known.items(), key=lambda item: item[1]))}
    write_text(path, json.dumps(document, ensure_ascii=False, indent=2) + "\n")


def read_baseline(path: Path) -> set[str]:
    """Return the ids of a baseline file. Raises ProjectError when it can't be read."""
    text = read_text(path, str(path))
    remedy = "Write a new one with: tavolan check --write-baseline FILE"
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise one_problem(path, getattr(error, "lineno", None), "", "isn't valid JSON", remedy) from error
    if not isinstance(document, dict) or document.get("schema") != SCHEMA:
        raise one_problem(path, 1, "schema", f"isn't {SCHEMA}", remedy)
    if not isinstance(document.get("findings"), dict):
        raise one_problem(path, 1, "findings", "must be a table of ids", remedy)
    return set(document["findings"])
