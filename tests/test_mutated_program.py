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
import numpy as np
import openpyxl
import pytest

import tavolan
from conftest import SEARCH, write_project, write_screen
from films import STORYBOARD, numbered, tone, write_clip
from inside import run_inside
from spoiling import CELLS, mutated, spoiled
from tavolan.exchange.copy_sheets import write_sheet
from tavolan.exchange.send import send
from tavolan.pictures.design.look import BUILT_IN
from tavolan.pictures.raster.thumbnail import thumb
from tavolan.pictures.text.fonts import packaged_path
from tavolan.project.data_tables import read_frame, write_frame
from tavolan.project.datafile import DATA_FILES, METRICS, RANKS, REVIEWS
from tavolan.project.texts import Texts
from tavolan.sample.sounds import write_wave
from tavolan.standins.console.seeds import add_app, add_reports
from tavolan.standins.console.server import ConsoleServer
from tavolan.standins.translator import translate
from tavolan.video.styles import BUILT_IN as BUILT_IN_STYLES

# Inputs per kind in the suite; a search tries as many times more as TAVOLAN_FUZZ says.
EACH = 3
SEED = os.environ.get("TAVOLAN_SEED", "")
SECONDS = 60
ANY = (
    "check",
    "check",
    "status",
    "next",
    "preview --out p.html",
    "locale status --units",
    "shots render --dry-run",
    "terms cover",
    "notes show",
)
FIGURES = (
    "check", "check", "next", "results moved", "results effect", "results report --out r.html", "results worth --cost 100", "results funnel", "results ranks",
    "results share", "results rivals", "results wins", "terms score en-US", "terms plan --locale en-US", "terms mine --locale en-US", "reviews queue", "reviews themes",
    "reviews reply", "experiment list", "experiment show x", "experiment judge x", "terms swap clay mud --locale en-US",
)  # fmt: skip
PAINTED = (
    "shots render --locale en-US --device phone-6.9",
    "check",
    "shots board --device phone-6.9",
    "shots looks --sheet l.png --look rise",
)
FILMED = ("video render --dry-run", "check", "video board", "video check", "video styles", "next")
EXPERIMENT = b'hypothesis = "h"\nstore = "ios"\nexpected = 0.1\nstart = "2026-05-01"\nvisitors = 100\nstorefronts = ["US"]\n[variant.b]\nlook = "rise"\norder = ["home"]\n'
REPLIES = b'[values]\na = "b"\n[template.t]\nstars = [1, 2]\nsince = "2.0"\nabout = { en = ["crash"] }\ntexts = ["t"]\n'
JOURNAL = (
    b"date,store,locale,field,version,from_digest,to_digest,who,note,before,after\n2026-03-10T09:00:00Z,ios,en-US,title,2.1,79087aa792ec,0a9fcea87b77,project,words,Potto,Potto: en-US\n"
    b"2026-04-01,,,,2.2,,,hand,update,,\n2026-05-01T00:00:00Z,ios,de-DE,subtitle,2.3,9dea64741d75,ef02a4c1df2d,console,refused: a name,a,b\n"
)


class Base:
    """A project with something of everything, and the commands that read each of its files."""

    def __init__(self, folder: Path) -> None:
        self.root = write_project(folder / "potto")
        root = self.root
        self.files: dict[str, tuple[bytes, tuple[str, ...]]] = {}
        for name in ("tavolan.toml", "shots.toml", "copy/de-DE.toml", "terms/en-US.csv"):
            self.add(name, (root / name).read_bytes(), ANY)
        self.add(
            "copy/state.csv", b"locale,field,source,state,text\nde-DE,title,0a1b2c3d4e5f,reviewed,0a1b2c3d4e5f\n", ANY
        )
        self.add(
            "copy/glossary.csv",
            b"term,locale,target,use,note\nkiln,de-DE,Ofen,preferred,\n",
            (*ANY, "locale send --all"),
        )
        self.add(
            "rules/ios.toml",
            b'[field.title]\nmax = 20\n[class."phone-6.9"]\nform = "phone"\nsizes = [[100, 200]]\n',
            (*ANY, *PAINTED, "rules show ios"),
        )
        self.add(
            "looks/own.toml", (BUILT_IN / "rise.toml").read_bytes(), (*PAINTED, "shots looks --sheet l.png --look own")
        )
        self.add("replies.toml", REPLIES, ("check", "reviews reply", "next"))
        self.add(
            "experiments/x.toml",
            EXPERIMENT,
            (
                "experiment list",
                "experiment show x",
                "experiment size x",
                "experiment judge x",
                "next",
                "experiment build x",
            ),
        )
        self.add(
            "journal.csv",
            JOURNAL,
            (
                "check",
                "next",
                "results effect",
                "results moved",
                "results report --out r.html",
                "console journal",
                "console forecast",
                "status",
            ),
        )
        self._tables()
        self._pictures(folder)
        self._video(folder)
        self._exchanged(folder)

    def add(self, name: str, data: bytes, commands: tuple[str, ...]) -> None:
        path = self.root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        self.files[name] = data, commands

    def _tables(self) -> None:
        days = [f"2026-{month:02d}-{day:02d}" for month in (3, 4, 5) for day in range(1, 29, 3)]
        rows = {
            "data/metrics.csv": [
                [day, "ios", front, "search", 900 + n, 90 + n, 9 + n, 1.5]
                for n, day in enumerate(days)
                for front in ("US", "DE")
            ],
            "data/ranks.csv": [
                [day, "ios", app, "US", phrase, 3 + n % 9, 100]
                for n, day in enumerate(days)
                for app in ("", "Other")
                for phrase in ("pottery kiln", "glaze recipe")
            ],
            "data/reviews.csv": [
                [f"r{n}", "ios", "US", "en-US", day, "2.0", 1 + n % 5, "the kiln log crashes", "", "", "", ""]
                for n, day in enumerate(days)
            ],
            "data/experiments.csv": [
                ["x", day, variant, 100, 20 + n % 5] for n, day in enumerate(days[18:]) for variant in ("control", "b")
            ],
        }
        for file in DATA_FILES:
            cells = {**dict.fromkeys(file.numbers, "1"), **dict.fromkeys(file.dates, "2026-05-01")}
            usual = [[cells.get(name, "en-US") for name in file.columns]]
            lines = [",".join(map(str, row)) for row in rows.get(file.name, usual)]
            self.add(file.name, "\n".join([",".join(file.columns), *lines, ""]).encode(), FIGURES)
        for file in (METRICS, RANKS, REVIEWS):
            frame = read_frame(self.root, file)
            write_frame(self.root.parent, file, frame)
            packed = self.root.parent / file.parquet_name
            import pyarrow as pa
            from pyarrow import csv, parquet

            table = csv.read_csv(self.root / file.name)
            sink = pa.BufferOutputStream()
            parquet.write_table(table, sink)
            self.files[file.parquet_name] = sink.getvalue().to_pybytes(), FIGURES
            assert not packed.exists()

    def _pictures(self, folder: Path) -> None:
        root = self.root
        write_screen(root / "art/icon.png", 256, 256)
        for name in ("screens/en-US/phone-6.9/home.png", "art/icon.png"):
            self.add(name, (root / name).read_bytes(), (*PAINTED, "shots icons"))
        self.add("screens/en-US/phone-6.9/kiln.png", thumb(np.full((400, 300, 4), 200, np.uint8)), PAINTED)
        self.files["art/fonts/own.ttf"] = Path(packaged_path("Hebrew")).read_bytes(), PAINTED
        assert run_inside(root, "shots render --locale en-US --device phone-6.9")[0] == 0
        self.files["out/made.sqlite"] = (
            (root / "out/made.sqlite").read_bytes(),
            (*PAINTED, "status", "shots pack --ready", "preview --out p.html"),
        )
        made = next((root / "out/shots").rglob("*.png"))
        self.files[made.relative_to(root).as_posix()] = (
            made.read_bytes(),
            ("check", "shots board", "preview --out p.html", "shots pack --ready"),
        )

    def _video(self, folder: Path) -> None:
        self.add("video.toml", STORYBOARD.encode(), FILMED)
        clip = write_clip(folder / "c.mp4", (numbered(n, (96, 208)) for n in range(8)))
        for name in ("home", "kiln"):
            self.add(f"clips/en-US/phone-6.9/{name}.mp4", clip.read_bytes(), FILMED)
        write_wave(self.root / "art/music.wav", tone(400, 0.5))
        self.add("art/music.wav", (self.root / "art/music.wav").read_bytes(), FILMED)
        self.add("titles/below.toml", (BUILT_IN_STYLES / "below.toml").read_bytes(), FILMED)

    def _exchanged(self, folder: Path) -> None:
        project = tavolan.open_project(self.root)
        texts = Texts(project)
        self.outside: dict[str, tuple[bytes, tuple[str, ...]]] = {}
        for ending in ("csv", "xlsx"):
            write_sheet(texts, folder / f"s.{ending}")
            self.outside[f"s.{ending}"] = (
                (folder / f"s.{ending}").read_bytes(),
                (f"copy sheet --read ../s.{ending} --dry-run",),
            )
        for form in ("xliff", "xliff-1.2", "po"):
            ((path, _),) = send(project, ["de-DE"], form, folder / form, everything=True).values()
            assert path
            self.outside[f"r{form}{path.suffix}"] = (
                path.read_bytes(),
                (f"locale receive ../r{form}{path.suffix} --dry-run",),
            )
        book = openpyxl.Workbook()
        for row in (["phrase", "volume", "country"], ["kiln log", 12, "USA"]):
            book.active.append(row)
        book.save(folder / "t.xlsx")
        self.outside["t.xlsx"] = (folder / "t.xlsx").read_bytes(), ("terms import ../t.xlsx --locale en-US --dry-run",)
        keywords = b'Keyword,Search Volume,Country\nkiln log,"1,200",USA\nclay,3k,"US, CA"\n'
        self.outside["t.csv"] = keywords, ("terms import ../t.csv --locale en-US --dry-run",)
        export = b"Day,Country,Channel,Downloads\n31.03.2026,US,organic search,1.204\n"
        self.outside["e.csv"] = (
            export,
            ("results import ../e.csv --store ios --dry-run", "reviews import ../e.csv --store ios --dry-run"),
        )
        self.outside["b.json"] = (
            b'{"schema": "tavolan/baseline@1", "findings": {"0a1b": "x"}}',
            ("check --baseline ../b.json",),
        )
        self.outside["n.j2"] = (
            b"{% for n in notes %}{{ n.code }}: {{ n.text | upper }}\n{% endfor %}",
            ("notes export --template ../n.j2 --drafts",),
        )


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
        "console journal --add x --date {}", "experiment start x --day {}", "shots render --dry-run --on {}", "results funnel --first {} --last {}", "copy show {} title",
        "results worth --cost {}", "terms plan --locale {}", "check --store {}", "results ranks {}", "shots render --dry-run --device {}")  # fmt: skip


@pytest.mark.parametrize("line", DAYS)
def test_odd_options_are_taken_or_said(base, line):
    for number in range(EACH * max(1, SEARCH)):
        dice = random.Random(f"{SEED}{line} {number}")
        cell = dice.choice([cell for cell in CELLS if cell and " " not in cell and not cell.startswith("-")])
        attempt(base.root, line.format(cell, cell), cell)


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


ASKING = ("console compare", "console pull --keep theirs", "console push --yes --despite to-write --reason x", "console wait --store ios --minutes 0", "console forecast",
          "results import --from-console --dry-run", "reviews import --from-console --dry-run", "console submit --store ios --yes", "locale draft --locale de-DE", "experiment record x --from-console")  # fmt: skip


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
