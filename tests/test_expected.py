"""Documents for other tools are byte for byte those in `expected/`, of a small project with some faults.

`make expected` stores them anew: read the difference before it's committed.
"""

import os
import re
from pathlib import Path

import pytest
from babel import __version__ as babel

from conftest import replace, run_tavolan, write_project
from tavolan.support.version import __version__

EXPECTED = Path(__file__).parent / "expected"
# By file: the command that writes the document, into the folder OUT or on standard output.
COMMANDS = {
    "check.csv": "check --format csv",
    "check.json": "check --json",
    "check.junit.xml": "check --format junit",
    "check.md": "check --format markdown",
    "check.sarif": "check --format sarif",
    "copy.csv": "copy sheet OUT/copy.csv",
    "cover.json": "terms cover --json",
    "de-DE.po": "locale send --locale de-DE --all --keywords --format po --out OUT",
    "de-DE.xlf": "locale send --locale de-DE --all --keywords --out OUT",
    "de-DE.xliff-1.2.xlf": "locale send --locale de-DE --all --keywords --format xliff-1.2 --out OUT",
    "glossary.tbx": "locale send --locale de-DE --all --out OUT",
    "memory.tmx": "locale send --format tmx --out OUT",
    "notes.json": "notes show --format json --format json",
    "status.json": "status --json",
}


@pytest.fixture(scope="module")
def faulty(tmp_path_factory):
    """A project with a title that's too long, a missing caption, a text that's not translated, and a glossary."""
    root = write_project(tmp_path_factory.mktemp("expected") / "potto")
    replace(root / "copy/de-DE.toml", "Potto: de-DE", "Potto: alles für deinen Brennofen")
    replace(root / "copy/de-DE.toml", 'kiln = "Jeder Brand"\n', "")
    replace(root / "copy/ar-SA.toml", "دفتر لكل من يصنع الخزف.", "Kiln notes for people who make pots.")
    assert run_tavolan("locale", "approve", "--all", "--fits-source", "--project", root).code == 0
    (root / "copy/glossary.csv").write_text("term,locale,target,use,note\nkiln,de-DE,Brennofen,preferred,\n", "utf-8")
    return root


@pytest.mark.parametrize("name", COMMANDS)
def test_documents_for_other_tools_are_as_stored(faulty, tmp_path, name):
    done = run_tavolan(*COMMANDS[name].replace("OUT", str(tmp_path)).split(), "--project", faulty)
    assert done.code in (0, 1), done.err
    kept = {"de-DE.xliff-1.2.xlf": "de-DE.xlf"}.get(name, name)
    data = (tmp_path / kept).read_bytes() if "OUT" in COMMANDS[name] else done.out.encode()
    data = data.replace(f'"{__version__}"'.encode(), b'"VERSION"')
    data = re.sub(rb"\d{4}-\d\d-\d\d \d\d:\d\d[+-]\d{4}", b"DATE", data).replace(f"Babel {babel}".encode(), b"Babel")
    if os.environ.get("TAVOLAN_EXPECTED") == "write":
        (EXPECTED / name).write_bytes(data)
    assert data.decode() == (EXPECTED / name).read_bytes().decode()
