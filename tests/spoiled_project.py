"""A project with something of everything, and the commands that read each of its files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import openpyxl
import pyarrow as pa
from pyarrow import csv, parquet

import tavolan
from conftest import write_project, write_screen
from films import STORYBOARD, numbered, tone, write_clip
from inside import run_inside
from tavolan.exchange.copy_sheets import write_sheet
from tavolan.exchange.send import send
from tavolan.pictures.design.look import BUILT_IN
from tavolan.pictures.raster.thumbnail import thumb
from tavolan.pictures.text.fonts import packaged_path
from tavolan.project.datafile import DATA_FILES, METRICS, RANKS, REVIEWS
from tavolan.project.texts import Texts
from tavolan.sample.sounds import write_wave
from tavolan.video.styles import BUILT_IN as BUILT_IN_STYLES

ANY = (
    "check",
    "check",
    "status",
    "next",
    "preview --out p.html",
    "status --translations --units",
    "shots render --dry-run",
    "terms cover",
    "notes show",
)
FIGURES = (
    "check", "check", "next", "results moved", "results effect", "results report --out r.html", "results worth --cost 100", "results funnel", "results ranks",
    "results ranks --share", "results rivals", "results ranks --to-win", "terms score", "terms plan --locale en-US", "terms mine --locale en-US", "reviews queue", "reviews themes",
    "reviews reply", "experiment show", "experiment show x", "experiment judge x", "terms swap --without clay --with mud --locale en-US",
)  # fmt: skip
PAINTED = (
    "shots render --locale en-US --device phone-6.9",
    "check",
    "shots render --board --device phone-6.9",
    "shots looks --sheet l.png --look rise",
)
FILMED = ("video render --dry-run", "check", "video render --board", "check --videos", "shots looks --titles", "next")
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
                "experiment show",
                "experiment show x",
                "experiment start --dry-run x",
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
                "console submit --forecast",
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
            sink = pa.BufferOutputStream()
            parquet.write_table(csv.read_csv(self.root / file.name), sink)
            self.files[file.parquet_name] = sink.getvalue().to_pybytes(), FIGURES

    def _pictures(self, folder: Path) -> None:
        root = self.root
        write_screen(root / "art/icon.png", 256, 256)
        for name in ("screens/en-US/phone-6.9/home.png", "art/icon.png"):
            self.add(name, (root / name).read_bytes(), (*PAINTED, "shots render --icons"))
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
            ("check", "shots render --board", "preview --out p.html", "shots pack --ready"),
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
        self.outside["t.xlsx"] = (
            (folder / "t.xlsx").read_bytes(),
            ("import --as phrases ../t.xlsx --locale en-US --dry-run",),
        )
        keywords = b'Keyword,Search Volume,Country\nkiln log,"1,200",USA\nclay,3k,"US, CA"\n'
        self.outside["t.csv"] = keywords, ("import --as phrases ../t.csv --locale en-US --dry-run",)
        export = b"Day,Country,Channel,Downloads\n31.03.2026,US,organic search,1.204\n"
        self.outside["e.csv"] = (
            export,
            ("import ../e.csv --store ios --dry-run", "import --as reviews ../e.csv --store ios --dry-run"),
        )
        self.outside["b.json"] = (
            b'{"schema": "tavolan/baseline@1", "findings": {"0a1b": "x"}}',
            ("check --baseline ../b.json",),
        )
        self.outside["n.j2"] = (
            b"{% for n in notes %}{{ n.code }}: {{ n.text | upper }}\n{% endfor %}",
            ("notes show --format json --template ../n.j2 --drafts",),
        )
