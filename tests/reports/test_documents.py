"""Each JSON document that a command prints or writes is as its JSON Schema says."""

import json
import re
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

import tavolan
from conftest import run_tavolan, write_screen
from tavolan.reports.documents.schemas import DOCUMENTS
from tavolan.sample.write import write_texts
from tavolan.sample.year import write_year

SCHEMAS = Path(__file__).parents[2] / "docs" / "schemas"
# What needs more than a project to be printed: tested where that is.
ELSEWHERE = {
    "pack@1",
    "baseline@1",
    "compare@1",
    "push@2",
    "journal@1",
    "variant@1",
    "sent@1",
    "videos@1",
    "videofiles@1",
    "verify@1",
}
# Which command prints which document, in the sample project or the small rendered one.
PRINTED = {
    "check@1": ("check",),
    "copy@1": ("copy", "show", "de-DE"),
    "text@1": ("copy", "show", "de-DE", "title"),
    "experiments@1": ("experiment", "show"),
    "field@1": ("copy", "show", "--field", "title"),
    "cover@1": ("terms", "cover"),
    "effect@1": ("results", "effect"),
    "facts@1": ("facts", "--list"),
    "fit@1": ("terms", "score", "--reach", "--locale", "en-US"),
    "forecast@1": ("console", "submit", "--forecast"),
    "funnel@1": ("results", "funnel"),
    "learned@1": ("experiment", "show", "--learned"),
    "lists@2": ("terms", "cover", "--lists"),
    "locales@1": ("status", "--translations"),
    "mine@1": ("terms", "mine", "--locale", "en-US"),
    "moved@1": ("results", "moved"),
    "next@1": ("next",),
    "notes@1": ("notes", "show", "--format", "json"),
    "outcome@1": ("shots", "looks"),
    "plan@1": ("terms", "plan", "--locale", "en-US", "--why"),
    "queue@1": ("reviews", "queue"),
    "ranks@1": ("results", "ranks"),
    "render@1": ("shots", "render"),
    "replies@1": ("reviews", "reply", "--dry-run"),
    "report@1": ("results", "report"),
    "rivals@1": ("results", "rivals"),
    "rules@1": ("rules",),
    "score@1": ("terms", "score"),
    "share@1": ("results", "ranks", "--share"),
    "size@1": ("experiment", "start", "glaze-icon", "--dry-run"),
    "status@4": ("status",),
    "suggestions@1": ("locale", "add", "--suggest"),
    "swap@2": ("terms", "swap", "--without", "recipe", "--with", "calculator"),
    "themes@1": ("reviews", "themes"),
    "title@1": ("terms", "cover", "--title-words", "--locale", "en-US"),
    "undo@1": ("undo", "--list"),
    "verdict@1": ("experiment", "judge", "first-picture"),
    "wins@1": ("results", "ranks", "--to-win"),
    "worth@1": ("results", "worth", "--cost", "200"),
}


def validate(name: str, document: Any) -> None:
    schema = json.loads((SCHEMAS / f"{name}.json").read_text(encoding="utf-8"))
    Draft202012Validator.check_schema(schema)
    Draft202012Validator(schema).validate(document)


def printed(root: Path, name: str) -> Any:
    command = PRINTED[name]
    done = run_tavolan(*command, *(() if "--format" in command else ("--json",)), cwd=root)
    assert done.code in (0, 1) and not done.err, done.err
    return json.loads(done.out)


@pytest.fixture(scope="module")
def sample(tmp_path_factory: pytest.TempPathFactory) -> Path:
    root = tmp_path_factory.mktemp("documents") / "kilnary"
    write_texts(root)
    write_year(root)
    return root


@pytest.mark.parametrize("name", [name for name in PRINTED if name != "render@1"])
def test_what_the_sample_prints_is_as_its_schema_says(sample: Path, name: str) -> None:
    validate(name, printed(sample, name))


def test_what_a_rendered_project_prints_and_writes_is_as_its_schema_says(rendered: Path) -> None:
    for name in ("check@1", "status@4", "render@1"):
        validate(name, printed(rendered, name))
    write_screen(rendered / "art" / "icon.png", 1024, 1024)
    for command in ("render", "icons", "pack"):
        assert run_tavolan("shots", command, cwd=rendered).code == 0
    for pack in (rendered / "out" / "packs").glob("*.zip"):
        validate("pack@1", json.loads(zipfile.ZipFile(pack).read("manifest.json")))
    run_tavolan("check", "--write-baseline", "known.json", cwd=rendered)
    validate("baseline@1", json.loads((rendered / "known.json").read_text(encoding="utf-8")))


def test_a_schema_refuses_another_document_and_an_unknown_part(sample: Path) -> None:
    document = printed(sample, "check@1")
    schema = json.loads((SCHEMAS / "check@1.json").read_text(encoding="utf-8"))
    spoiled: list[Callable[[Any], object]] = [
        lambda d: d.update(schema="tavolan/check@2"),
        lambda d: d.update(more=1),
        lambda d: d["findings"][0].pop("stores"),
        lambda d: d["findings"][0].update(level="fatal"),
        lambda d: d["summary"].update(error="3"),
    ]
    for spoil in spoiled:
        other = json.loads(json.dumps(document))
        spoil(other)
        assert not Draft202012Validator(schema).is_valid(other)


def test_the_schemas_in_the_docs_are_those_that_the_program_writes(tmp_path: Path) -> None:
    assert run_tavolan("schema", "--documents", "--out", tmp_path / "schemas").code == 0
    written = {path.name: path.read_text(encoding="utf-8") for path in (tmp_path / "schemas").iterdir()}
    assert written == {path.name: path.read_text(encoding="utf-8") for path in SCHEMAS.iterdir()}


def test_every_kind_of_document_has_a_schema() -> None:
    source = Path(tavolan.__file__).parent
    named = {name for path in source.rglob("*.py") for name in re.findall(r'"tavolan/([a-z]+@\d+)"', path.read_text())}
    of_toml = {"rulebook@1", "look@1", "titlestyle@1"}
    # What pages save in a browser and commands read: no command prints it.
    saved = {"review@1", "brief@1"}
    assert (
        named - of_toml - saved < set(DOCUMENTS) == {path.stem for path in SCHEMAS.iterdir()} == {*PRINTED, *ELSEWHERE}
    )


def test_one_schema_is_printed_by_its_id_and_an_unknown_one_is_refused(tmp_path: Path) -> None:
    done = run_tavolan("schema", "plan@1", cwd=tmp_path)
    assert done.json == json.loads((SCHEMAS / "plan@1.json").read_text(encoding="utf-8"))
    done = run_tavolan("schema", "plan@9", cwd=tmp_path)
    assert done.code == 2 and 'no schema "plan@9"' in done.err and "plan@1" in done.err


def _keys(schema, parts, seen):
    """Yield the names of all properties below a schema."""
    if reference := schema.get("$ref", "").split("/")[-1]:
        yield from () if reference in seen else _keys(parts[reference], parts, {*seen, reference})
    for name, below in schema.get("properties", {}).items():
        yield name
        yield from _keys(below, parts, seen)
    single = [schema[name] for name in ("items", "additionalProperties") if isinstance(schema.get(name), dict)]
    for below in [*single, *(below for name in ("anyOf", "allOf", "prefixItems") for below in schema.get(name, ()))]:
        yield from _keys(below, parts, seen)


@pytest.mark.parametrize("name", ["tavolan", "shots", "copy", "rulebook", "experiment", "video", "title-style"])
def test_the_page_of_files_names_every_key(name):
    schema = run_tavolan("schema", name).json
    pages = {"experiment": "experiments.md", "video": "video.md", "title-style": "video.md"}
    page = (SCHEMAS.parent / pages.get(name, "files.md")).read_text("utf-8")
    known = set(re.findall(r"[A-Za-z_][\w-]*", page))
    assert {key for key in _keys(schema, schema.get("$defs", {}), set()) if key not in known} == set()
