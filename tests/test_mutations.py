"""Every reader takes mutated files in order: read, or refused with a problem; never a traceback, never a hang."""

import os
import random
import shutil
import signal
from collections.abc import Callable
from pathlib import Path
from types import FrameType

import numpy as np
import openpyxl
import pyarrow
import pyarrow.parquet
import pytest

import tavolan
from conftest import SEARCH, write_project, write_screen
from faults import files_of
from films import STORYBOARD, numbered, tone, write_clip
from spoiling import mutated
from tavolan.checking.baseline import read_baseline
from tavolan.errors import TavolanError
from tavolan.exchange.copy_sheets import merge, read_sheet, write_sheet
from tavolan.exchange.glossary import read_glossary
from tavolan.exchange.po import parse_gettext
from tavolan.exchange.receive import read_requests, receive
from tavolan.exchange.send import send
from tavolan.exchange.xliff import parse_xliff
from tavolan.experiments.files import read_experiments
from tavolan.imports.phrases import import_table, write_terms
from tavolan.imports.taking import Given
from tavolan.notes.template_process import fill_in
from tavolan.pictures.design.look import BUILT_IN, load_look
from tavolan.pictures.making.ledger import Ledger
from tavolan.pictures.raster.images import load_screen, screen_size
from tavolan.pictures.raster.thumbnail import thumb
from tavolan.project.datafile import DATA_FILES, METRICS, RANKS
from tavolan.project.hypothetical import with_texts
from tavolan.project.memory import Pair, parse_tmx, read_memory, remember, write_tmx
from tavolan.project.picture_records import read_records
from tavolan.project.tables import Tables
from tavolan.project.texts import TextChange, Texts
from tavolan.results.importing import read_export
from tavolan.results.metrics import read_metrics
from tavolan.results.ranks import read_ranks
from tavolan.reviews.templates import read_templates
from tavolan.sample.sounds import write_wave
from tavolan.standins.translator import translate
from tavolan.support.image_headers import image_facts
from tavolan.support.transaction import writing
from tavolan.video.clips import probe
from tavolan.video.frames.clip_reader import ClipReader, scaled
from tavolan.video.measuring import measure
from tavolan.video.sound.samples import read_sound
from tavolan.video.styles import BUILT_IN as BUILT_IN_STYLES
from tavolan.video.styles import load_style
from tavolan.words.mine import mine

# Inputs per reader in the suite; a search tries as many times more as TAVOLAN_FUZZ says.
EACH = 12
SECONDS = 5
SEED = os.environ.get("TAVOLAN_SEED", "")


def read_clip(path):
    probe(path, "c.mp4")
    reader = ClipReader(path, "c.mp4", 30)
    try:
        scaled(reader.at(0.1), 32, 32)
        measure(path, "c.mp4")
    finally:
        reader.close()


def with_replies(project):
    """Return a project with a text for the template."""
    return with_texts(project, [TextChange("en-US", "replies.t", "", "Thanks, {app}")])


class Bench:
    """A project to read in, and the files that are mutated: name, content, and what reads it."""

    def __init__(self, root: Path) -> None:
        self.root = write_project(root / "potto")
        shutil.copytree(self.root, root / "kept")
        self.project = tavolan.open_project(self.root)
        self.texts = Texts(self.project)
        inside = self.inside
        write_sheet(self.texts, root / "s.csv")
        write_sheet(self.texts, root / "s.xlsx")
        self.sent = {form: self._sent(form, root / form) for form in ("xliff", "xliff-1.2", "po")}
        book = openpyxl.Workbook()
        book.active.append(["phrase", "volume", "country"])
        book.active.append(["kiln log", 12, "USA"])
        book.save(root / "t.xlsx")
        write_screen(root / "a.png")
        ledger = Ledger(self.root)
        ledger.keep_fitted("k", {"a": 3})
        ledger.close()
        self.readers: dict[str, tuple[bytes, Callable[[bytes], object]]] = {
            "tavolan.toml": (self.read("tavolan.toml"), inside("tavolan.toml")),
            "shots.toml": (self.read("shots.toml"), inside("shots.toml")),
            "copy": (self.read("copy/de-DE.toml"), inside("copy/de-DE.toml")),
            "terms": (b"phrase,relevance,volume,list,storefronts\nkiln log,9,8.5,win,US CA\nclay,,,,\n", inside("terms/en-US.csv")),
            "state": (b"locale,field,source,state,text\nde-DE,title,0a1b2c3d4e5f,reviewed,0a1b2c3d4e5f\n", inside("copy/state.csv")),
            "rulebook": (b'[field.title]\nmax = 20\n[class."phone-6.9"]\nform = "phone"\nsizes = [[100, 200]]\n', inside("rules/ios.toml")),
            "new rulebook": (b'name = "N"\nas_of = "2026"\n[field.title]\n[locales]\ncodes = "en de"\n', inside("rules/n.toml")),
            "look": ((BUILT_IN / "rise.toml").read_bytes(), inside("looks/own.toml", lambda _: load_look(self.root, "own"))),
            "xliff": (self.sent["xliff"], lambda data: parse_xliff(data, "x")),
            "old xliff": (self.sent["xliff-1.2"], lambda data: parse_xliff(data, "x")),
            "received": (self.sent["xliff"], lambda data: receive(self.project, read_requests(self.file("r.xlf", data)), "theirs")),
            "answer": (self.sent["xliff"], translate),
            "po": (self.sent["po"], lambda data: parse_gettext(data, "x", "de-DE")),
            "tmx": (write_tmx([Pair("en-US", "de-DE", "a", "b", "title")], "en-US"), lambda data: parse_tmx(data, "x")),
            "memory": (write_tmx([Pair("en-US", "de-DE", "a", "b", "title")], "en-US"), inside("copy/memory.tmx", self.use_memory)),
            "glossary": (b"term,locale,target,use,note\nkiln,de-DE,Ofen,preferred,\n", inside("copy/glossary.csv", read_glossary)),
            "sheet.csv": ((root / "s.csv").read_bytes(), lambda data: self.sheet("s.csv", data)),
            "sheet.xlsx": ((root / "s.xlsx").read_bytes(), lambda data: self.sheet("s.xlsx", data)),
            "import.csv": (b'Keyword,Search Volume,Country,Extra\nkiln log,"1,200",USA,a\nclay,3k,"US, CA",b\n', lambda data: self.take_in("t.csv", data)),
            "import.xlsx": ((root / "t.xlsx").read_bytes(), lambda data: self.take_in("t.xlsx", data)),
            "baseline": (b'{"schema": "tavolan/baseline@1", "findings": {"0a1b": "x"}}', lambda data: read_baseline(self.file("b.json", data))),
            "png": ((root / "a.png").read_bytes(), self.picture),
            "jpeg": (thumb(np.full((40, 30, 4), 200, np.uint8)), self.picture),
            "ledger": ((self.root / "out/made.sqlite").read_bytes(), inside("out/made.sqlite", self.use_ledger)),
            "journal": (b'{"command": "copy set", "files": [{"path": "copy/de-DE.toml", "kept": "1", "after": ["x"]}]}',
                        inside(".tavolan/change/journal.json", self.recover)),
            "template": (b"{% for n in notes %}{{ n.code }}: {{ n.text | upper }}\n{% endfor %}", self.template),
        }  # fmt: skip
        for data_file in DATA_FILES:
            cells = {**dict.fromkeys(data_file.numbers, "1"), **dict.fromkeys(data_file.dates, "2026-05-01")}
            row = ",".join(cells.get(name, "en-US") for name in data_file.columns)
            content = f"{','.join(data_file.columns)}\n{row}\n".encode()
            self.readers[data_file.name] = (
                content,
                inside(data_file.name, lambda _, file=data_file: Tables(self.root).rows(file)),
            )
        experiment = b'hypothesis = "h"\nstore = "ios"\nexpected = 0.1\n[variant.b]\nlook = "rise"\norder = ["home"]\n'
        replies = b'[values]\na = "b"\n[template.t]\nstars = [1, 2]\nsince = "2.0"\nabout = { en = ["crash"] }\ntexts = ["t"]\n'
        self.readers["replies.toml"] = (
            replies,
            inside("replies.toml", lambda root: read_templates(with_replies(tavolan.open_project(root)))),
        )
        style = (BUILT_IN_STYLES / "below.toml").read_bytes()
        self.readers["title style"] = style, inside("titles/below.toml", lambda root: load_style(root, "below"))
        self.readers["video.toml"] = STORYBOARD.encode(), inside("video.toml", tavolan.open_project)
        clip = write_clip(root / "c.mp4", (numbered(n, (32, 32)) for n in range(4))).read_bytes()
        self.readers["clip"] = clip, inside("clips/c.mp4", lambda root: read_clip(root / "clips/c.mp4"))
        write_wave(root / "v.wav", tone(400, 0.05))
        voice = (root / "v.wav").read_bytes()
        self.readers["sound"] = (
            voice,
            inside("voice/v.wav", lambda root: read_sound(root / "voice/v.wav", "v.wav", 0, 1)),
        )
        self.readers["experiment"] = (
            experiment, inside("experiments/x.toml", lambda root: read_experiments(tavolan.open_project(root)))
        )  # fmt: skip
        metrics = f"{','.join(METRICS.columns)}\n2026-05-01,ios,US,search,9,4,1,0.5\n".encode()
        self.readers["metrics"] = (metrics, inside(METRICS.name, lambda root: read_metrics(tavolan.open_project(root))))
        self.readers["ranks.parquet"] = (
            self._parquet(), inside(RANKS.parquet_name, lambda root: read_ranks(tavolan.open_project(root)))
        )  # fmt: skip
        export = b"Day,Country,Channel,Downloads\n31.03.2026,US,organic search,1.204\n"
        self.readers["export.csv"] = (
            export,
            lambda data: read_export(self.project, self.file("export.csv", data), Given(values={"store": "ios"})),
        )
        reviews = b"locale,stars,text\nen-US,5,the kiln log's great: it's c++ and x-ray proof\nen-US,3,kiln log\n"
        self.readers["mining"] = (
            reviews,
            inside("data/reviews.csv", lambda root: mine(tavolan.open_project(root), "en-US", frozenset())),
        )

    def _parquet(self) -> bytes:
        table = pyarrow.table({"storefront": ["US"], "phrase": ["kiln log"], "rank": [4.0]})
        sink = pyarrow.BufferOutputStream()
        pyarrow.parquet.write_table(table, sink)
        return sink.getvalue().to_pybytes()

    def _sent(self, form: str, folder: Path) -> bytes:
        ((path, _),) = send(self.project, ["de-DE"], form, folder, everything=True).values()
        assert path
        return path.read_bytes()

    def read(self, name: str) -> bytes:
        return (self.root / name).read_bytes()

    def file(self, name: str, data: bytes) -> Path:
        path = self.root.parent / name
        path.write_bytes(data)
        return path

    def inside(self, name: str, use: Callable[[Path], object] = tavolan.open_project) -> Callable[[bytes], object]:
        """A reader of a file in the project, which is as before afterwards."""

        def reader(data: bytes) -> object:
            path = self.root / name
            before = path.read_bytes() if path.exists() else None
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
            try:
                return use(self.root)
            finally:
                path.unlink(missing_ok=True)
                if before is not None:
                    path.write_bytes(before)

        return reader

    def use_memory(self, root: Path) -> None:
        read_memory(root)
        remember(root, [Pair("en-US", "de-DE", "c", "d")], "en-US")
        assert Pair("en-US", "de-DE", "c", "d") in read_memory(root)
        (root / "copy/memory-broken.tmx").unlink(missing_ok=True)

    def use_ledger(self, root: Path) -> None:
        read_records(root)
        Ledger(root, write=False).close()
        Ledger(root).close()

    def recover(self, root: Path) -> None:
        with writing(root):
            pass

    def sheet(self, name: str, data: bytes) -> object:
        return merge(self.texts, read_sheet(self.file(name, data)), name)

    def take_in(self, name: str, data: bytes) -> None:
        done = import_table(self.project, "en-US", self.file(name, data), {})
        before = self.read("terms/en-US.csv")
        try:
            write_terms(self.project, "en-US", done.terms)
            # What's written can be read.
            tavolan.open_project(self.root)
        finally:
            (self.root / "terms/en-US.csv").write_bytes(before)

    def picture(self, data: bytes) -> None:
        path = self.file("a.png", data)
        image_facts(path)
        width, height = screen_size(path, "a.png")
        if width * height < 4_000_000:
            load_screen(path, "a.png", width, height)

    def template(self, data: bytes) -> object:
        note = {"code": "de", "text": "x"}
        return fill_in(data.decode("utf-8", "replace"), {"app": {}, "notes": [note]})


@pytest.fixture(scope="module")
def bench(tmp_path_factory: pytest.TempPathFactory) -> Bench:
    return Bench(tmp_path_factory.mktemp("mutations"))


def _too_slow(_signal: int, _frame: FrameType | None) -> None:
    raise AssertionError(f"takes more than {SECONDS} s")


READERS = [
    "tavolan.toml", "shots.toml", "copy", "terms", "state", "rulebook", "new rulebook", "look", "xliff", "old xliff", "received", "answer", "po",
    "tmx", "memory", "glossary", "sheet.csv", "sheet.xlsx", "import.csv", "import.xlsx", "baseline", "png", "jpeg", "ledger", "journal",
    "template", *(file.name for file in DATA_FILES), "mining", "metrics", "ranks.parquet",
    "export.csv", "experiment", "replies.toml", "video.toml", "title style", "clip", "sound",
]  # fmt: skip


def test_every_reader_is_tried(bench: Bench) -> None:
    assert sorted(bench.readers) == sorted(READERS)


@pytest.mark.parametrize("name", READERS)
def test_a_mutated_file_is_read_or_refused(bench: Bench, name: str) -> None:
    data, reader = bench.readers[name]
    signal.signal(signal.SIGALRM, _too_slow)
    reader(data)
    kept = files_of(bench.root)
    for number in range(EACH * max(1, SEARCH)):
        spoiled = mutated(data, random.Random(f"{SEED}{name} {number}"))
        signal.alarm(SECONDS)
        try:
            reader(spoiled)
        except TavolanError:
            pass
        except Exception as error:
            raise AssertionError(f"{name} {number}: {spoiled[:2000]!r}") from error
        finally:
            signal.alarm(0)
        if number % 50 == 0 or not SEARCH:
            assert files_of(bench.root) == kept, (name, number)
    assert files_of(bench.root) == kept, name
