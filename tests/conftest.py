"""Shared fixtures: small projects on disk, and the built program."""

from __future__ import annotations

import atexit
import json
import os
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st

from tavolan import open_project, render
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import translations_of
from tavolan.sample.write import write_texts
from tavolan.sample.year import write_year
from warm import PATIENCE, Warm

# Time limits per example would make tests fail on a busy machine; fixtures of one test may serve all its examples.
_ALWAYS: dict[str, Any] = {"deadline": None, "suppress_health_check": [HealthCheck.function_scoped_fixture]}
# The suite tries the same examples at every run; `make fuzz` looks for others.
settings.register_profile("same", derandomize=True, database=None, **_ALWAYS)
# How many times as many examples a search tries; 0 where nothing is searched.
SEARCH = int(os.environ.get("TAVOLAN_FUZZ", "0"))
settings.register_profile("search", max_examples=100 * max(1, SEARCH), print_blob=True, **_ALWAYS)
settings.load_profile("search" if SEARCH else "same")


# For tests that are long, random or killing. `make test` leaves them out, `make test-all` and `make fuzz` run them.
thorough = pytest.mark.thorough


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave the thorough tests out where nothing is searched."""
    if SEARCH or config.getoption("-m"):
        return
    left = [item for item in items if item.get_closest_marker("thorough")]
    config.hook.pytest_deselected(items=left)
    items[:] = [item for item in items if item not in set(left)]


def examples(number: int) -> settings:
    """Return settings of a property test that is too slow for the usual number of examples."""
    return settings(max_examples=number * max(1, SEARCH))


# Text that any format of translation files can carry.
printable = st.text(
    st.characters(exclude_categories=("Cs", "Cc", "Cn"), exclude_characters="\ufffe\uffff"), min_size=1, max_size=60
).filter(lambda text: text.strip() == text and text)
# Entities that grow without end when they are read.
LAUGHS = b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "ha"><!ENTITY b "&a;&a;">]><xliff version="2.1">&b;</xliff>'

# No test reads or changes what the user who runs it trusts.
SETTINGS = tempfile.TemporaryDirectory(prefix="tavolan-settings-")
os.environ["TAVOLAN_SETTINGS"] = SETTINGS.name
# Each of the processes that share the tests has a core of its own, as a command has.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

PROGRAM = Path(sys.executable).parent / "tavolan"

CONFIG = """\
[app]
name = "Potto"
publisher = "Potto Works"
source = "en-US"
locales = ["en-US", "de-DE", "ar-SA"]

[store.ios]
classes = ["phone-6.9", "tablet-13"]
storefronts = ["US", "DE"]

[store.ios.once]
copyright = "2026 Potto Works"
stock_number = "potto-1"
category = "Lifestyle"
review_contact = { first_name = "A", last_name = "B", phone = "+1 555 0100", email = "a@potto.example" }
age_answers = { violence = "none" }

[check.levels]
old-rulebook = "off"
origin-unknown = "off"
keyword-room = "off"
title-room = "off"
"""
COPY = """\
title = "Potto: {tag}"
subtitle = "Clay and kiln notes"
keywords = ["pottery", "glaze"]
description = "Kiln notes for people who make pots."
notes = "Better notes."
support_url = "https://potto.example/help"
privacy_url = "https://potto.example/privacy"

[captions]
home = "All your *pots*"
kiln = "Every firing"
"""
SHOTS = """\
look = "rise"

[[shot]]
name = "home"
screen = "home"

[[shot]]
name = "kiln"
screen = "kiln"
[shot.palette]
top = "#102030"
"""
TERMS = "phrase,relevance,volume\npottery kiln,90,10\nglaze recipe,80,5\n"


def write_screen(path: Path, width: int = 260, height: int = 560, shade: int = 200) -> None:
    """Write a small raw screen with a gradient, so that flips and crops show."""
    from tavolan.pictures.raster.png import write as png

    pixels = np.full((height, width, 4), 255, np.uint8)
    pixels[..., 0] = np.linspace(0, 255, width, dtype=np.uint8)[None, :]
    pixels[..., 1] = np.linspace(0, 255, height, dtype=np.uint8)[:, None]
    pixels[..., 2] = shade
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(png(pixels))


def write_project(root: Path) -> Path:
    """Write a small, faultless project with screens for a phone and a tablet."""
    (root / "copy").mkdir(parents=True)
    (root / "terms").mkdir()
    (root / "tavolan.toml").write_text(CONFIG, "utf-8")
    (root / "shots.toml").write_text(SHOTS, "utf-8")
    (root / "terms" / "en-US.csv").write_text(TERMS, "utf-8")
    captions = {"ar-SA": ("كل *أعمالك*", "كل حرق"), "de-DE": ("Alle *Töpfe*", "Jeder Brand")}
    texts = {
        "de-DE": ("Notizen zum Brand", "Ein Heft für alle, die töpfern.", "Bessere Notizen.", '"ton", "keramik"'),
        "ar-SA": ("دفتر الطين والفرن", "دفتر لكل من يصنع الخزف.", "ملاحظات أفضل.", '"فخار", "خزف"'),
    }
    for tag in ("en-US", "de-DE", "ar-SA"):
        text = COPY.replace("{tag}", tag)
        if tag in captions:
            words = (
                "Clay and kiln notes",
                "Kiln notes for people who make pots.",
                "Better notes.",
                '"pottery", "glaze"',
            )
            for old, new in zip(words, texts[tag], strict=True):
                text = text.replace(old, new)
            text = text.replace("All your *pots*", captions[tag][0]).replace("Every firing", captions[tag][1])
        (root / "copy" / f"{tag}.toml").write_text(text, "utf-8")
        for name in ("home", "kiln"):
            write_screen(root / "screens" / tag / "phone-6.9" / f"{name}.png")
            write_screen(root / "screens" / tag / "tablet-13" / f"{name}.png", 400, 533)
    write_screen(root / "art" / "icon.png", 64, 64)
    return root


@pytest.fixture
def project(tmp_path: Path) -> Path:
    """A fresh small project."""
    return write_project(tmp_path / "potto")


@pytest.fixture(scope="session")
def shared_project(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A small project for tests that only read."""
    return write_project(tmp_path_factory.mktemp("shared") / "potto")


@pytest.fixture(scope="session")
def shared_rendered(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The small project with its twelve pictures, for tests that only read."""
    root = write_project(tmp_path_factory.mktemp("rendered") / "potto")
    assert len(render(open_project(root))) == 12
    return root


@pytest.fixture
def rendered(shared_rendered: Path, tmp_path: Path) -> Path:
    """A small project of its own, with its twelve pictures."""
    # With its times: else every picture would count as changed.
    return shutil.copytree(shared_rendered, tmp_path / "potto")


@dataclass
class Result:
    """What a run of the program left."""

    code: int
    out: str
    err: str

    @property
    def json(self) -> Any:
        """Standard output as one JSON document."""
        return json.loads(self.out)


def run_tavolan(*args: str | Path, cwd: Path | None = None, cold: bool = False, **env: str) -> Result:
    """Run the built program as people do; a traceback is never a good answer.

    It starts with its libraries loaded, unless `cold`: then it has a process all of its own, as everywhere where
    TAVOLAN_COLD is set.
    """
    command = [str(PROGRAM), *map(str, args)]
    around = {**os.environ, "TAVOLAN_WORKERS": "2", "COLUMNS": "120", **env}
    if cold or os.environ.get("TAVOLAN_COLD"):
        done = subprocess.run(
            command, cwd=cwd, env=around, capture_output=True, encoding="utf-8", timeout=PATIENCE, check=False
        )
        result = Result(done.returncode, done.stdout, done.stderr)
    else:
        result = Result(*_warm().run(command, cwd or Path.cwd(), around))
    assert "Traceback" not in result.err, result.err
    return result


@cache
def _warm() -> Warm:
    warm = Warm()
    atexit.register(warm.close)
    return warm


def promises(*sentences: str) -> Any:
    """Mark a test as that of sentences of docs/console.md."""
    return pytest.mark.promises(*sentences)


def replace(path: Path, old: str, new: str) -> None:
    """Replace a text that must be in a file."""
    text = path.read_text("utf-8")
    assert old in text
    path.write_text(text.replace(old, new), "utf-8")


def standings(root: Path, locale: str) -> dict[str, str]:
    """Return the standing of each text of a locale, by its address."""
    return {unit.address: unit.standing for unit in translations_of(Texts(open_project(root)), locale)}


@pytest.fixture(scope="session")
def year(tmp_path_factory):
    """Return the folder of the sample with a year of figures, read-only, once per process."""
    folder = tmp_path_factory.mktemp("year") / "kilnary"
    write_texts(folder)
    write_year(folder)
    return folder
