"""The whole program takes spoiled files, options and answers in order: it reads them or says what's wrong, in a line.

Commands run in this process, as a program would run them: that's thirty times as quick as a start each.
"""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import httpx
import pytest
from typer.main import get_command

from conftest import SEARCH, thorough
from inside import run_inside
from spoiled_project import ANY, FIGURES, FILMED, PAINTED, Base
from spoiling import CELLS, mutated, spoiled
from tavolan.cli.main import commands as build
from tavolan.project.datafile import DATA_FILES, METRICS, RANKS, REVIEWS
from tavolan.standins.console.seeds import add_app, add_reports
from tavolan.standins.console.server import ConsoleServer
from tavolan.standins.translator import translate

# Inputs per kind in the suite; a search tries as many times more as TAVOLAN_FUZZ says.
EACH = 3
SEED = os.environ.get("TAVOLAN_SEED", "")
SECONDS = 60


@pytest.fixture(scope="module")
def base(tmp_path_factory) -> Base:
    return Base(tmp_path_factory.mktemp("spoiled"))


def _too_slow(_signal, _frame):
    raise AssertionError(f"takes more than {SECONDS} s")


@contextmanager
def in_time() -> Iterator[None]:
    signal.signal(signal.SIGALRM, _too_slow)
    signal.alarm(SECONDS)
    try:
        yield
    finally:
        signal.alarm(0)


def attempt(root: Path, line: str, what: object) -> None:
    """Run a command; whatever goes wrong must be said."""
    try:
        with in_time():
            code, said = run_inside(root, line)
    except Exception as error:
        raise AssertionError(f"{line}: {what!r}"[:3000]) from error
    assert code in (0, 1, 2, 3, 4), (line, what, code)
    assert "Traceback" not in said and (code < 2 or said.strip()), (line, what, said)


FILES = [
    "tavolan.toml", "shots.toml", "copy/de-DE.toml", "terms/en-US.csv", "copy/state.csv", "copy/glossary.csv", "rules/ios.toml", "looks/own.toml", "replies.toml",
    "experiments/x.toml", "journal.csv", *(file.name for file in DATA_FILES), *(file.parquet_name for file in (METRICS, RANKS, REVIEWS)),
    "screens/en-US/phone-6.9/home.png", "screens/en-US/phone-6.9/kiln.png", "art/icon.png", "art/fonts/own.ttf", "out/made.sqlite", "out/shots", "video.toml",
    "clips/en-US/phone-6.9/home.mp4", "clips/en-US/phone-6.9/kiln.mp4", "art/music.wav", "titles/below.toml",
]  # fmt: skip


@pytest.mark.parametrize("name", FILES)
def test_a_spoiled_file_of_a_project_is_read_or_said(base, name, tmp_path):
    name = next((known for known in base.files if known.startswith(name)), name)
    data, commands = base.files[name]
    root = tmp_path / "potto"
    for number in range(EACH * max(1, SEARCH)):
        if number % 25 == 0:
            # Some commands write.
            shutil.rmtree(root, ignore_errors=True)
            shutil.copytree(base.root, root)
        dice = random.Random(f"{SEED}{name} {number}")
        changed = spoiled(data, name, dice)
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_bytes(changed)
        try:
            attempt(root, dice.choice(commands), changed)
        finally:
            if name in ("art/fonts/own.ttf",) or name.endswith(".parquet"):
                (root / name).unlink(missing_ok=True)
            else:
                (root / name).write_bytes(data)


TABLES = (*(file.name for file in DATA_FILES), "journal.csv", "copy/glossary.csv", "copy/state.csv", "terms/en-US.csv")


def test_tables_that_are_all_spoiled_at_once_are_each_read_or_said(base, tmp_path):
    root = tmp_path / "potto"
    shutil.copytree(base.root, root)
    for number in range(EACH * max(1, SEARCH)):
        dice = random.Random(f"{SEED}tables {number}")
        changed = {name: spoiled(base.files[name][0], name, dice) for name in TABLES}
        for name, data in changed.items():
            (root / name).write_bytes(data)
        attempt(root, "check", changed)


def test_a_folder_whose_name_is_not_utf_8_is_as_good_as_any(base, tmp_path):
    folder = Path(os.fsdecode(os.fsencode(tmp_path) + b"/\xff\xfe"))
    folder.mkdir()
    shutil.copytree(base.root, folder / "potto")
    for line in dict.fromkeys(
        (*ANY, *FIGURES, *PAINTED, *FILMED, "shots pack", "locale send --all", "copy set de-DE subtitle Ton")
    ):
        attempt(folder / "potto", line, folder)


OUTSIDE = ("s.csv", "s.xlsx", "rxliff.xlf", "rxliff-1.2.xlf", "rpo.po", "t.csv", "t.xlsx", "e.csv", "b.json", "n.j2")


@pytest.mark.parametrize("name", OUTSIDE)
def test_a_spoiled_file_from_outside_is_read_or_said(base, name):
    data, commands = base.outside[name]
    for number in range(max(1, (EACH * max(1, SEARCH)) // (20 if name == "n.j2" else 1))):
        dice = random.Random(f"{SEED}{name} {number}")
        changed = (
            mutated(data, dice)
            if dice.random() < 0.7
            else spoiled(data, name if "," in data.decode("latin-1") else "x", dice)
        )
        (base.root.parent / name).write_bytes(changed)
        attempt(base.root, dice.choice(commands), changed)


DAYS = ("check --on {}", "preview --on {} --out p.html", "next --on {}", "results effect {}", "results moved --since {}", "results report --month {} --out r.html",
        "console journal --note x --on {}", "experiment start x --on {}", "shots render --dry-run --on {}", "results funnel --first {} --last {}", "copy show {} title",
        "results worth --cost {}", "terms plan --locale {}", "check --store {}", "results ranks {}", "shots render --dry-run --device {}")  # fmt: skip


@pytest.mark.parametrize("line", DAYS)
def test_odd_options_are_taken_or_said(base, line):
    for number in range(EACH * max(1, SEARCH)):
        dice = random.Random(f"{SEED}{line} {number}")
        cell = dice.choice([cell for cell in CELLS if cell and " " not in cell and not cell.startswith("-")])
        attempt(base.root, line.format(cell, cell), cell)


NUMBERS = ("99999999999999999999", "999999999", "1e308", "nan", "inf", "-1", "0")
# A line for each command that takes numbers; the others serve or wait until somebody stops them.
NUMBERED = tuple(
    dict.fromkeys(
        (*ANY, *FIGURES, *FILMED, "experiment start --dry-run x", "experiment start x", "experiment stop x", "locale add --suggest", "terms cover --title-words en-US",
         "experiment new y --metric page --store ios --expected 0.1 --hypothesis h", "locale draft --locale de-DE", "console wait --store ios",
         "copy set de-DE title --alternate 1", "terms score --reach --locale en-US", "reviews send", "import ../e.csv --store ios --dry-run", "import --as reviews ../e.csv --store ios --dry-run",
         "import --as phrases ../t.csv --locale en-US --dry-run", "terms add mud --locale en-US", "results campaign spring --from 2026-03-01 --to 2026-03-10 --store ios")
    )
)  # fmt: skip
SERVING = ("standin console", "standin translator", "preview", "shots take", "console submit")


def commands_of(command, path=()):
    """Yield each command with its words."""
    if not getattr(command, "commands", None):
        yield path, command
    for name, below in getattr(command, "commands", {}).items():
        yield from commands_of(below, (*path, name))


def numbers_of(command):
    """Return the options and arguments of a command that are numbers, as they're written."""
    numbers = [one for one in command.params if one.type_descriptor.annotation in (int, float)]
    return [f"{one.opts[0]} " if one.opts[0].startswith("-") else "" for one in numbers]


WITH_NUMBERS = [(" ".join(path), numbers_of(command)) for path, command in commands_of(get_command(build()))]
WITH_NUMBERS = [(path, names) for path, names in WITH_NUMBERS if names and path not in SERVING]


@thorough
@pytest.mark.parametrize(("path", "names"), WITH_NUMBERS, ids=[path for path, _ in WITH_NUMBERS])
def test_odd_numbers_are_taken_or_said(base, path, names):
    """Every option of every command that takes a number."""
    line = next(line for line in NUMBERED if line.split()[: len(path.split())] == path.split())
    for name in names:
        for number in NUMBERS:
            attempt(base.root, f"{line} {name}{number}", number)


@cache
def console() -> ConsoleServer:
    made = ConsoleServer()
    for store in ("ios",):
        add_app(made.state, f"potto-{store}", store, "en-US")
        add_reports(made.state, f"potto-{store}")
    made.start()
    return made


@contextmanager
def spoiling_server(dice: random.Random) -> Iterator[str]:
    """A server that passes requests on to the stand-ins, and spoils some of what they answer: the body, status, headers."""

    class Handler(BaseHTTPRequestHandler):
        def log_message(self, *_):
            pass

        def pass_on(self):
            body = self.rfile.read(int(self.headers.get("Content-Length") or 0))
            if self.path == "/translate":
                status, headers, content = 200, {"Content-Type": "application/xliff+xml"}, translate(body)
            else:
                kept = {
                    name: value for name, value in self.headers.items() if name.lower() not in ("host", "connection")
                }
                kept["Host"] = console().address.removeprefix("http://")
                with httpx.Client(trust_env=False) as client:
                    answer = client.request(self.command, console().address + self.path, content=body, headers=kept)
                status, content = answer.status_code, answer.content
                headers = {
                    name: value
                    for name, value in answer.headers.items()
                    if name.lower() not in ("content-length", "date", "server", "connection")
                }
            if dice.random() < (0.3 if self.path != "/token" else 0.05):
                content = mutated(content, dice) if dice.random() < 0.5 or not content else odd_json(content, dice)
            if dice.random() < 0.03:
                status = dice.choice(
                    (100, 204, 206, 301, 302, 304, 400, 401, 403, 404, 409, 412, 413, 418, 422, 429, 500, 503, 599)
                )
            if dice.random() < 0.03:
                headers[dice.choice(("Retry-After", "Content-Encoding", "ETag", "Location", "Content-Type"))] = (
                    dice.choice(("", "x", "0", "nan", "gzip", "\xff"))
                )
            self.send_response(status)
            for name, value in headers.items():
                self.send_header(name, value)
            self.send_header("Content-Length", str(len(content)))
            self.end_headers()
            self.wfile.write(content)

        do_GET = do_POST = do_PUT = do_PATCH = do_DELETE = pass_on  # noqa: N815

    class Server(ThreadingHTTPServer):
        daemon_threads = True

        def handle_error(self, *_):
            pass

    server = Server(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_address[1]}"
    finally:
        server.shutdown()
        server.server_close()


def odd_json(content: bytes, dice: random.Random) -> bytes:
    """A document with one value of another kind."""
    try:
        document = json.loads(content)
    except ValueError:
        return content
    places = []

    def walk(part):
        for key in part if isinstance(part, dict) else range(len(part)):
            places.append((part, key))
            if isinstance(part[key], dict | list):
                walk(part[key])

    if isinstance(document, dict | list):
        walk(document)
    if places:
        part, key = dice.choice(places)
        part[key] = dice.choice(
            (
                None,
                "",
                "x",
                0,
                -1,
                1e308,
                True,
                [],
                {},
                [None],
                "../../x",
                "\u202e\x1b[31m",
                "0001-01-01",
                "9999-12-31",
                "9999-12-31T23:59:59Z",
                "x" * 2000,
                10**30,
                ["a"],
            )
        )
    return json.dumps(document).encode()


ASKING = ("console compare", "console pull --prefer theirs", "console push --yes --despite to-write --reason x", "console wait --store ios --minutes 0", "console submit --forecast",
          "import --from-console --dry-run", "import --as reviews --from-console --dry-run", "console submit --store ios --yes", "locale draft --locale de-DE", "import --experiment x --from-console")  # fmt: skip


@pytest.mark.parametrize("line", ASKING)
def test_spoiled_answers_are_taken_or_said(base, line, tmp_path, monkeypatch):
    # Nobody waits before a request is tried again.
    monkeypatch.setattr(time, "sleep", lambda _: None)
    for number in range(EACH * SEARCH or 1):
        root = tmp_path / "potto"
        shutil.rmtree(root, ignore_errors=True)
        shutil.copytree(base.root, root)
        dice = random.Random(f"{SEED}{line} {number}")
        with spoiling_server(dice) as url:
            for name, value in console().variables.items():
                monkeypatch.setenv(name, url if name.endswith("URL") else value)
            monkeypatch.setenv("TAVOLAN_PROVIDER_URL", url)
            with (root / "tavolan.toml").open("a") as file:
                file.write(
                    f'\n[console.ios]\nurl = "{url}"\napp = "potto-ios"\n[provider.p]\nurl = "{url}/translate"\ntries = 1\n'
                )
            (root / "copy/de-DE.toml").write_text('title = "Potto"\n')
            attempt(root, line, number)
