"""Ordinary texts get no alarm, and crafted faults do: one text at a time in a listing that has no fault otherwise."""

import dataclasses
import tomllib
from pathlib import Path

import pytest

import tavolan
from tavolan.project.model import Copy, Source

TEXTS = Path(__file__).parent / "texts"
HONEST = tomllib.loads((TEXTS / "honest.toml").read_text("utf-8"))
# What a listing of one text lacks, and what it doesn't need to say.
BESIDE = {"to-write", "caption-missing", "phrases-unsaid", "shot-count", "screen-missing", "graphic-to-make",
          "origin-unknown", "untranslated", "unused-field", "first-sentence", "old-rulebook"}  # fmt: skip


@pytest.fixture(scope="module")
def bare(tmp_path_factory):
    """A project of all locales in two stores, without a text."""
    root = tmp_path_factory.mktemp("honest")
    (root / "copy").mkdir()
    for tag in HONEST:
        (root / "copy" / f"{tag}.toml").write_text("")
    (root / "tavolan.toml").write_text(
        f'[app]\nname = "Potto"\nstage = "writing"\nsource = "en-US"\nlocales = {[*HONEST]}\n[store.ios]\nclasses = []\n'
        "[store.android]\nclasses = []\n"
    )
    return tavolan.open_project(root)


def found(project, tag, field, text):
    """Return the findings about one text."""
    data: dict[str, object] = {"title": "Potto", field: text}
    if "." in field:
        store, key = field.split(".")
        data = {"title": "Potto", store: {key: text}}
    copies = {**project.copy, tag: Copy(tag, Source("x", ""), data)}
    app = project.app.model_copy(update={"locales": ["en-US", tag] if tag != "en-US" else ["en-US"]})
    stores = {key: dataclasses.replace(store, locales=tuple(app.locales)) for key, store in project.stores.items()}
    own = dataclasses.replace(project, app=app, stores=stores, copy={key: copies[key] for key in app.locales})
    return [f for f in tavolan.check(own) if f.locale == tag and f.rule not in BESIDE and f.level != "note"]


def test_ordinary_texts_raise_no_alarm(bare):
    alarms = [
        (f.level, f.rule, tag, text, f.message)
        for tag, fields in HONEST.items()
        for field, texts in fields.items()
        for text in texts
        for f in found(bare, tag, field, text)
    ]
    assert [alarm for alarm in alarms if alarm[0] == "error"] == []
    assert alarms == []


FAULTY = tomllib.loads((TEXTS / "faulty.toml").read_text("utf-8"))


def test_crafted_faults_are_found(bare):
    guarded = dataclasses.replace(bare, guard=bare.guard.model_copy(update={"brands": ["Zorglaze"]}))
    cases = [(rule, *case) for rule, texts in FAULTY.items() for case in texts]
    missed = [case for case in cases if case[0] not in {f.rule for f in found(guarded, *case[1:])}]
    assert len(cases) >= 150
    assert not missed, missed
