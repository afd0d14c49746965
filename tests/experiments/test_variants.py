"""Variants as pictures, sheets and packs, and the winner written into the project."""

import io
import json
import tomllib
import zipfile
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator

import tavolan
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.experiments.applying import apply_winner
from tavolan.experiments.building import build
from tavolan.experiments.files import experiment_of
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.image_headers import image_facts

VARIANTS = """
[variant.swapped]
order = ["kiln", "home"]

[variant.words]
[variant.words.captions.en-US]
home = "Quite *other* words"
[variant.words.texts.en-US]
title = "Potto: clay"
"""


def write(root, text=VARIANTS, **keys):
    (root / "experiments").mkdir(exist_ok=True)
    head = "".join(f"{key} = {json.dumps(value)}\n" for key, value in keys.items())
    path = root / "experiments/x.toml"
    path.write_text(f'hypothesis = "h"\nstore = "ios"\nlocales = ["en-US"]\n{head}{text}', "utf-8")
    opened = tavolan.open_project(root)
    return opened, experiment_of(opened, "x")


def test_only_what_differs_is_made_and_only_once(rendered):
    opened, one = write(rendered)
    before = {path: path.read_bytes() for path in (rendered / "out/shots").rglob("*.png")}
    swapped, words = build(opened, one).variants
    places = 2 * 2
    assert (swapped.made, swapped.same) == (0, places)
    # The other words are on one picture of each size class; a set's captions share one size, so others may follow.
    assert 2 <= words.made <= places and words.made + words.same == places
    assert {path: path.read_bytes() for path in (rendered / "out/shots").rglob("*.png")} == before
    again = build(opened, one).variants
    assert [variant.made for variant in again] == [0, 0] and again[1].kept == words.made
    with zipfile.ZipFile(swapped.pack) as archive:
        manifest = json.loads(archive.read("manifest.json"))
        schema = json.loads((Path(__file__).parents[2] / "docs/schemas/variant@1.json").read_text("utf-8"))
        Draft202012Validator(schema).validate(manifest)
        files = [entry["file"] for entry in manifest["files"]]
        assert files[:2] == ["phone-6.9/en-US/01-kiln.png", "phone-6.9/en-US/02-home.png"]
        home = next((rendered / "out/shots/ios/phone-6.9/en-US").glob("*home.png"))
        assert archive.read(files[1]) == home.read_bytes()
    with zipfile.ZipFile(io.BytesIO(words.pack.read_bytes())) as archive:
        manifest = json.loads(archive.read("manifest.json"))
        assert manifest["texts"] == {"en-US": {"title": "Potto: clay"}} and manifest["variant"] == "words"


def test_sheets_and_what_is_missing(rendered):
    opened, one = write(rendered)
    built = build(opened, one)
    assert [path.name for path in built.sheets] == ["sheet-phone-6.9-en-US.png", "sheet-tablet-13-en-US.png"]
    assert image_facts(built.sheets[0]).width >= 1280 and not built.missing
    # A variant that's gone takes its pictures with it.
    opened, one = write(rendered, VARIANTS[: VARIANTS.index("[variant.words]")])
    (rendered / "out/shots/ios/phone-6.9/en-US").joinpath("01-home.png").unlink()
    built = build(opened, one)
    assert built.missing == ["out/shots/ios/phone-6.9/en-US/01-home.png"] and built.variants[0].pack is None
    said = run_tavolan("experiment", "build", "x", cwd=rendered)
    assert said.code == 0 and "no pack" in said.out and "1 picture of the present page not up to date" in said.out


def test_faults_stop_it_before_anything_is_painted(rendered):
    opened, one = write(rendered, '[variant.b]\nlook = "risen"')
    with pytest.raises(tavolan.errors.TavolanError, match="risen"):
        build(opened, one)
    assert not list((rendered / "out").glob("experiments/x/b/**/*.png"))
    opened, one = write(rendered, "")
    with pytest.raises(UsageError, match="no variant"):
        build(opened, one)


def test_the_winner_becomes_the_page(rendered):
    write(rendered, winner="swapped", outcome="better")
    before = (rendered / "shots.toml").read_text("utf-8")
    dry = run_tavolan("experiment", "apply", "x", "--dry-run", cwd=rendered)
    assert dry.code == 0 and "would be the page" in dry.out and (rendered / "shots.toml").read_text("utf-8") == before
    assert run_tavolan("experiment", "apply", "x", cwd=rendered).code == 0
    after = tomllib.loads((rendered / "shots.toml").read_text("utf-8"))
    assert [shot["name"] for shot in after["shot"]] == ["kiln", "home"]
    known = {shot["name"]: shot for shot in tomllib.loads(before)["shot"]}
    assert {shot["name"]: shot for shot in after["shot"]} == known
    assert "experiment x: swapped is the page now" in (rendered / "journal.csv").read_text("utf-8")
    opened, one = write(rendered, winner="words", outcome="better")
    done = apply_winner(opened, one)
    assert {change.address for change in done.texts} == {"captions.home", "title"}
    assert tavolan.open_project(rendered).copy["en-US"].data["title"] == "Potto: clay"


@pytest.mark.parametrize(("keys", "message"), [
    ({}, "no winner yet"), ({"winner": "control"}, "the present page has won"),
])  # fmt: skip
def test_without_a_winner_there_is_nothing_to_apply(rendered, keys, message):
    opened, one = write(rendered, **keys)
    with pytest.raises(UsageError, match=message):
        apply_winner(opened, one)


def test_a_winner_over_a_limit_is_refused_whole(rendered):
    opened, one = write(rendered, VARIANTS.replace("Potto: clay", "x" * 31), winner="words")
    before = {path: path.read_bytes() for path in rendered.rglob("*.toml")}
    with pytest.raises(UsageError, match="Nothing was written"):
        apply_winner(opened, one)
    assert {path: path.read_bytes() for path in rendered.rglob("*.toml")} == before


def test_tables_of_an_array_keep_their_comments(tmp_path):
    path = tmp_path / "a.toml"
    path.write_text(
        '# head\n[[shot]]  # first\nname = "a"\n[[shot]]\nname = "b" # two\n[shot.palette]\nx = 1\n\n[other]\ny = 2\n'
    )
    editor = TomlEditor(path, "a.toml")
    editor.order_tables("shot", ["b"])
    editor.set_in("shot", {"name": "a"}, ("look",), "rise")
    editor.save()
    text = path.read_text()
    assert (
        text.startswith('# head\n[[shot]]\nname = "b" # two\n')
        and '[[shot]]  # first\nname = "a"\nlook = "rise"' in text
    )
    assert tomllib.loads(text)["other"] == {"y": 2} and tomllib.loads(text)["shot"][0]["palette"] == {"x": 1}
    with pytest.raises(KeyError):
        editor.set_in("shot", {"name": "c"}, ("look",), "rise")
    with pytest.raises(tavolan.errors.ProjectError, match="isn't written as tables"):
        editor.order_tables("other", [])
