"""Export release notes of all locales in one file: JSON, CSV, or any layout by a sandboxed Jinja2 template."""

import csv
import io
import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from tavolan.errors import Problem, ProjectError, UnknownNameError, one_problem
from tavolan.notes.limit_fitting import fit_text
from tavolan.project.model import Project
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import is_drafted
from tavolan.rulebooks.model import Role
from tavolan.support.csvfile import guarded
from tavolan.support.files import read_text
from tavolan.support.own_processes import run_module
from tavolan.support.programs import Done

# What a template may take.
SECONDS = 10.0
MOST_BYTES = 150_000_000
TEMPLATES = Path(__file__).parent / "templates"
SCHEMA = "tavolan/notes@1"
# What a template may know of the app.
_APP = ("name", "publisher", "version", "source", "locales")


@dataclass(frozen=True)
class Note:
    """The notes of one store and locale; `code` is the store's own locale code, `dropped` are lines that didn't fit."""

    store: str
    locale: str
    code: str
    field: str
    version: str
    text: str
    dropped: tuple[str, ...] = ()


def collect(
    project: Project, stores: list[str], locales: list[str], role: Role = "notes", drafts: bool = False
) -> list[Note]:
    """Return the notes of stores and locales, fitted. Raises ProjectError for drafts that nobody has reviewed."""
    texts = Texts(project)
    found, problems = [], []
    for store_id in stores:
        store = project.stores[store_id]
        field = store.rulebook.field_with(role)
        if not field:
            continue
        rule = store.rulebook.fields[field]
        for tag in (tag for tag in locales if tag in store.locales):
            value = project.value(store_id, tag, field)
            if not value.written:
                continue
            own = value.inherited_from or tag
            if not drafts and is_drafted(texts, own, ".".join(map(str, value.key))):
                message = "are a draft that nobody has reviewed"
                problem = Problem(
                    value.source.shown, value.line, field, message, "Review them, or export with --drafts."
                )
                problems += [problem] if problem not in problems else []
            fitted = fit_text(str(value.content), rule)
            code = store.rulebook.store_code(tag) or tag
            found.append(Note(store_id, tag, code, field, project.app.version, fitted.text, fitted.dropped))
    if problems:
        raise ProjectError(problems)
    return found


def without_notes(project: Project, stores: list[str], locales: list[str], notes: list[Note]) -> dict[str, list[str]]:
    """Return the locales of each store that an export leaves out, since nothing is written there."""
    there = {(note.store, note.locale) for note in notes}
    stored = {note.store for note in notes}
    lacking = {
        store: [tag for tag in locales if tag in project.stores[store].locales and (store, tag) not in there]
        for store in stores
        if store in stored
    }
    return {store: tags for store, tags in lacking.items() if tags}


def as_json(notes: list[Note]) -> str:
    """Return notes as a JSON document."""
    return (
        json.dumps({"schema": SCHEMA, "notes": [asdict(note) for note in notes]}, ensure_ascii=False, indent=2) + "\n"
    )


def as_csv(notes: list[Note]) -> str:
    """Return notes as CSV, one a line, for a spreadsheet."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(("store", "locale", "code", "field", "version", "text"))
    writer.writerows((n.store, n.locale, n.code, n.field, n.version, guarded(n.text)) for n in notes)
    return out.getvalue()


def template_names() -> list[str]:
    """Return the names of the templates that ship."""
    return sorted(path.name.removesuffix(".j2") for path in TEMPLATES.glob("*.j2"))


def by_template(notes: list[Note], project: Project, template: str, seconds: float = SECONDS) -> str:
    """Return notes in the layout of a shipped template, or of a file. Raises UsageError or ProjectError.

    A template gets `app` (name, publisher, version, source, locales) and `notes` (one per store and locale, with the
    parts of `Note`). Only plain values reach it: any object of ours would bring methods that read files or run code.
    """
    path = Path(template)
    shipped = TEMPLATES / f"{template}.j2"
    if shipped.is_file() and not path.is_file():
        path = shipped
    if not path.is_file():
        raise UnknownNameError("there's no template", template, template_names())
    app = {name: getattr(project.app, name) for name in _APP}
    asked = {"template": read_text(path, str(path)), "values": {"app": app, "notes": [asdict(note) for note in notes]}}
    try:
        done = run_module("tavolan.notes.template_process", json.dumps(asked).encode(), seconds, MOST_BYTES)
    except TimeoutError as error:
        message = f"can't be filled in: it takes more than {seconds:g} s"
        raise one_problem(str(path), None, "", message, "Put the template right.") from error
    answer = _answer(done)
    if "text" not in answer:
        message = f"can't be filled in: {answer['error']}"
        raise one_problem(str(path), answer["line"], "", message, "Put the template right.")
    return str(answer["text"])


def _answer(done: Done) -> dict[str, Any]:
    try:
        answer = json.loads(done.out)
    except ValueError:
        # Ended by the system, for want of memory.
        answer = None
    return answer if isinstance(answer, dict) else {"error": "it takes more memory than a text needs", "line": None}
