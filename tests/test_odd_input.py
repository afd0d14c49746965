"""Odd input and an odd environment: one line that says what, where and why, an exit code, never a traceback."""

import json
import os
import shlex
import sqlite3
import subprocess
from pathlib import Path

import openpyxl
import pytest

from conftest import PROGRAM, SEARCH, run_tavolan

DEEP = 5000
XLIFF = (
    '<xliff xmlns="urn:oasis:names:tc:xliff:document:2.0" version="2.1" srcLang="en-US" trgLang="de-DE"><file id="f">'
)


def write(path: Path, data: str | bytes) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data.encode("utf-8", "surrogateescape") if isinstance(data, str) else data)
    return path


# A file of the project, what it holds, the command that reads it, its exit code, and words of the message.
FILES = [
    ("tavolan.toml", "x = " + "9" * 5000, ("check",), 3, "tavolan.toml: holds a value that can't be read"),
    ("copy/de-DE.toml", "title = " + "9" * 5000, ("check",), 3, "copy/de-DE.toml"),
    ("copy/de-DE.toml", f'title = "{"a" * 100_001}"', ("check",), 3, "copy/de-DE.toml:1: title: has more than 100,000"),
    ("copy/de-DE.toml", f'title = "{"a" * 5_000_000}"', ("check",), 3, "copy/de-DE.toml: has more than 4 MB"),
    ("copy/de-DE.toml", "[captions" + ".a" * DEEP + "]", ("check",), 3, "copy/de-DE.toml"),
    ("copy/de-DE.toml", "x = " + "[" * DEEP + "]" * DEEP, ("check",), 3, "copy/de-DE.toml: is nested too deeply"),
    ("shots.toml", "x = " + "{a=" * DEEP + "1" + "}" * DEEP, ("shots", "render"), 3, "shots.toml"),
    ("known.json", "[" * 200_000, ("check", "--baseline", "known.json"), 3, "known.json: isn't valid JSON"),
    (
        "known.json",
        '{"schema": "tavolan/baseline@1", "findings": []}',
        ("check", "--baseline", "known.json"),
        3,
        "findings",
    ),
    (
        "in.xlf",
        XLIFF + "<a>" * DEEP + "</a>" * DEEP + "</file></xliff>",
        ("locale", "receive", "in.xlf"),
        3,
        "nest more than 200",
    ),
    (
        "in.xlf",
        XLIFF.replace("xliff xmlns", "xliff\x01 xmlns"),
        ("locale", "receive", "in.xlf"),
        3,
        "isn't well-formed XML",
    ),
    (
        "in.po",
        'msgid ""\nmsgstr ""\n"Content-Type: text/plain; charset=klingon\\n"\n',
        ("locale", "receive", "in.po"),
        3,
        "in.po",
    ),
    ("in.po", b'msgid "\xff"\nmsgstr "x"\n', ("locale", "receive", "in.po"), 3, "in.po"),
    (
        "in.tmx",
        "<tmx>" + "<a>" * DEEP + "</a>" * DEEP + "</tmx>",
        ("locale", "receive", "in.tmx"),
        3,
        "nest more than 200",
    ),
    ("in.xlsx", b"PK\x03\x04junk", ("copy", "sheet", "--read", "in.xlsx"), 3, "isn't a workbook"),
    ("in.csv", "locale,field,text\nde-DE\n", ("copy", "sheet", "--read", "in.csv"), 3, "in.csv"),
    ("in.csv", "field,text,locale\ntitle\n", ("copy", "sheet", "--read", "in.csv"), 3, "in.csv"),
    (
        "in.csv",
        'phrase,volume\n"a',
        ("import", "--as", "phrases", "in.csv", "--locale", "en-US"),
        3,
        "in.csv:2: isn't valid CSV",
    ),
    (
        "looks/own.toml",
        'schema = "tavolan/look@1"\nwhat = "x"\n[[device]]\nx = -inf\n',
        ("shots", "looks"),
        3,
        "looks/own.toml",
    ),
    ("rules/ios.toml", "[graphic.icon]\nmax_megabytes = nan\n", ("check",), 3, "rules/ios.toml"),
    ("art/fonts/a.ttf", b"\0\1\0\0junk", ("shots", "render"), 3, "art/fonts/a.ttf: isn't a font"),
    ("own.j2", b"\xff", ("notes", "show", "--format", "json", "--template", "own.j2"), 3, "own.j2:1: isn't UTF-8"),
]


@pytest.mark.parametrize(("name", "data", "command", "code", "words"), FILES)
def test_a_file_that_cannot_be_taken_is_named(project, name, data, command, code, words):
    write(project / name, data)
    done = run_tavolan(*command, cwd=project)
    assert done.code == code and words in done.err, done.err


PNG = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR"


@pytest.mark.parametrize("data", [b"", PNG + b"\0" * 17] if SEARCH else [PNG + b"\0" * 17])
def test_a_damaged_picture_is_named_wherever_it_stands(rendered, data):
    (picture,) = (rendered / "out/shots/ios/phone-6.9/de-DE").glob("01-*")
    write(picture, data)
    for command in (("check",), ("status",), ("preview",), ("shots", "render", "--board"), ("shots", "pack")):
        assert run_tavolan(*command, cwd=rendered).code in (0, 1, 3), command
    assert run_tavolan("shots", "render", cwd=rendered).code == 0
    write(rendered / "art/icon.png", data)
    done = run_tavolan("shots", "render", "--icons", cwd=rendered)
    assert done.code == 3 and "art/icon.png" in done.err
    assert run_tavolan("check", cwd=rendered).code in (0, 1)
    write(rendered / "screens/de-DE/phone-6.9/home.png", data)
    done = run_tavolan("shots", "render", cwd=rendered)
    assert done.code == 3 and "screens/de-DE/phone-6.9/home.png" in done.err
    assert run_tavolan("check", cwd=rendered).code in (0, 1)
    done = run_tavolan("shots", "take", "art/icon.png", cwd=rendered)
    assert done.code == 3 and "art/icon.png" in done.err


@pytest.mark.parametrize("data", [b"SQLite format 3\0" + b"junk" * 50, *(["tables"] if SEARCH else [])])
def test_damaged_databases_are_begun_anew(rendered, data):
    for name in ("made.sqlite", "thumbs.sqlite"):
        path = rendered / "out" / name
        path.unlink(missing_ok=True)
        if isinstance(data, bytes):
            path.write_bytes(data)
            continue
        with sqlite3.connect(path) as base:
            base.execute("create table made (x)")
            base.execute("create table thumbs (x)")
    for command in (("check",), ("shots", "render", "--dry-run"), ("shots", "render", "--board"), ("shots", "render")):
        assert run_tavolan(*command, cwd=rendered).code in (0, 1), command
    assert run_tavolan("shots", "render", "--json", cwd=rendered).json["kept"] == 12


def test_workbooks_without_cells_and_with_chart_sheets(project):
    book = openpyxl.Workbook()
    book.active.append(["locale", "field", "title"])
    book.active.append(["de-DE"])
    book.active.append([])
    chart = openpyxl.chart.BarChart()
    chart.add_data(openpyxl.chart.Reference(book.active, 1, 1, 1, 2))
    book.create_chartsheet("chart").add_chart(chart)
    book.create_sheet("empty")
    book.save(project / "in.xlsx")
    for command in (
        ("copy", "sheet", "--read", "in.xlsx"),
        ("import", "--as", "phrases", "in.xlsx", "--locale", "en-US"),
    ):
        done = run_tavolan(*command, cwd=project)
        assert done.code in (0, 2, 3), done.err


def test_mark_up_in_columns_commits_and_paths_stays_text(project):
    write(project / "in.csv", "phrase,[/x],[bold]\nkiln,a,b\n")
    done = run_tavolan("import", "--as", "phrases", "in.csv", "--locale", "en-US", cwd=project)
    assert done.code == 0 and "[/x], [bold]" in done.out
    done = run_tavolan("check", "--project", "[/x]", cwd=project)
    assert done.code == 3 and "[/x]" in done.err
    done = run_tavolan("preview", "--out", "[/x].html", cwd=project)
    assert done.code == 0 and "[/x].html" in done.out


@pytest.mark.parametrize("out", [".", "copy", "/dev/null/x.html", "\udcff.html", "x" * 300])
def test_an_output_that_cannot_be_written_is_said(project, out):
    command = ("preview", "--out") if out == "copy" else ("check", "--write-baseline")
    done = subprocess.run([PROGRAM, *command, os.fsencode(out)], cwd=project, capture_output=True, check=False)
    assert done.returncode == (0 if "html" in out and "/" not in out else 4) and b"Traceback" not in done.stderr


def shell(project: Path, line: str, **env: str) -> tuple[int, str]:
    """Run the program as a shell does; return the exit code and what's on stderr."""
    line = line.replace("tavolan", shlex.quote(str(PROGRAM)), 1)
    done = subprocess.run(
        ["bash", "-c", line], cwd=project, env={**os.environ, **env}, capture_output=True, text=True, errors="replace", check=False,
    )  # fmt: skip
    assert "Traceback" not in done.stderr, done.stderr
    return done.returncode, done.stderr


def test_full_and_closed_streams(project):
    code, error = shell(project, "tavolan copy show --field title --json > /dev/full")
    assert code == 4 and "No space left" in error
    code, error = shell(project, "tavolan check > /dev/full")
    assert code == 4 and "No space left" in error
    assert shell(project, "tavolan status >&-")[0] == 0
    assert shell(project, "tavolan status 2>&-")[0] == 0
    assert shell(project, "tavolan status <&- >&- 2>&-")[0] == 0
    code, error = shell(project, "tavolan copy set de-DE promo - <&-")
    assert code == 2 and "is empty" in error
    assert shell(project, "tavolan terms cover --json | head -1; exit ${PIPESTATUS[0]}")[0] == 0


def test_an_output_in_ascii_is_still_json_and_shows_what_it_lacks(project):
    # LC_ALL=C would do too, but for a checkout in a folder with an é: Python 3.11 reads path files by the locale.
    ascii_only = {"PYTHONIOENCODING": "ascii"}
    command = [PROGRAM, "copy", "show", "ar-SA"]
    for extra in ([], ["--json"], ["title"]):
        done = subprocess.run(
            [*command, *extra], cwd=project, env={**os.environ, **ascii_only}, capture_output=True, check=False
        )
        assert done.returncode == 0 and done.stdout.isascii() and b"Traceback" not in done.stderr
    done = subprocess.run(
        [*command, "--json"], cwd=project, env={**os.environ, **ascii_only}, capture_output=True, check=True
    )
    assert json.loads(done.stdout)["texts"]["subtitle"] == "دفتر الطين والفرن"


def test_a_fault_of_our_own_is_one_line_and_ends_with_70(project, tmp_path):
    start = "import sys; import tavolan.project.load as l; l.load_project = lambda root: 1 / 0; sys.argv = ['tavolan', 'check']"
    command = [PROGRAM.parent / "python", "-c", f"{start}; from tavolan.cli.main import run; run()"]
    done = subprocess.run(command, cwd=project, capture_output=True, text=True, check=False)
    assert done.returncode == 70 and done.stderr.count("\n") == 1
    assert "ZeroDivisionError: division by zero. Please report it" in done.stderr
    done = subprocess.run(
        command, cwd=project, env={**os.environ, "TAVOLAN_DEBUG": "1"}, capture_output=True, text=True, check=False
    )
    assert done.returncode == 70 and "Traceback" in done.stderr


def test_a_memory_that_cannot_be_read_stops_nothing(project):
    run_tavolan("copy", "set", "de-DE", "subtitle", "Ton", cwd=project)
    memory = project / "copy/memory.tmx"
    for data, words in ((b"<tmx><tu>", "couldn't be read"), (None, "")):
        good = '<tmx version="1.4"><header srclang="en-US"/><body><tu><tuv xml:lang="en-US"><seg>a&#7;\x07</seg></tuv>' \
               '<tuv xml:lang="de-DE"><seg>b</seg></tuv></tu></body></tmx>'  # fmt: skip
        write(memory, data or good)
        for command in (("locale", "send", "--all"), ("locale", "draft"), ("check",)):
            assert run_tavolan(*command, cwd=project).code in (0, 1, 2), command
        done = run_tavolan("copy", "set", "en-US", "subtitle", f"Clay {words}!", cwd=project)
        assert done.code == 0 and words in done.err
        sent = run_tavolan("locale", "send", "--format", "tmx", "--out", project / "out", cwd=project)
        assert sent.code == 0 and not sent.err
    assert (project / "copy/memory-broken.tmx").read_bytes() == b"<tmx><tu>"


def test_what_is_imported_can_be_read_again(project):
    write(project / "terms/en-US.csv", "phrase,volume,relevance\nkiln,1234567,20.10\nclay,0.123456789,7\n")
    rows = [
        ("Keyword", "Country"),
        ("kiln", "USA"),
        ("glaze", "US, CA"),
        ("cone", "Narnia"),
        ("mug", "United Kingdom;de"),
    ]
    write(project / "in.csv", "\n".join(",".join(f'"{cell}"' for cell in row) for row in rows))
    done = run_tavolan("import", "--as", "phrases", "in.csv", "--locale", "en-US", cwd=project)
    assert done.code == 0 and "“Narnia” is no country" in done.out
    text = (project / "terms/en-US.csv").read_text()
    assert "kiln,20.10,1234567,,,,US\n" in text and "clay,7,0.123456789," in text
    assert "glaze,,,,,,US CA" in text and "mug,,,,,,GB DE" in text and "cone,,,,,storefronts: Narnia," in text
    assert run_tavolan("check", cwd=project).code in (0, 1)


# --- stand-ins -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("request_text", "status"),
    [
        (b"POST /translate HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nContent-Length: x\r\n\r\n", b" 411 "),
        (b"POST /translate HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nContent-Length: -5\r\n\r\n", b" 411 "),
        (b"POST /translate HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nContent-Length: 99999999999\r\n\r\n", b" 413 "),
        (b"POST /translate HTTP/1.1\r\nHost: potto.example:1\r\nContent-Length: 0\r\n\r\n", b" 403 "),
        (b"POST /translate HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nContent-Length: 9\r\n\r\n", b""),
        (b"POST /translate HTTP/1.1\r\nHost: 127.0.0.1:PORT\r\nContent-Length: 60000\r\n\r\n"
         + b"<a>" * 10000 + b"</a>" * 7500, b" 400 "),
        (b"\x00\xff\r\n\r\n", b" 400 "),
    ],
)  # fmt: skip
def test_the_stand_in_answers_odd_requests_in_order(capfd, request_text, status):
    import socket

    from tavolan.standins.translator import Server

    made = Server(0)
    made.start()
    try:
        port = int(made.address.split(":")[2].split("/")[0])
        with socket.create_connection(("127.0.0.1", port)) as connection:
            connection.sendall(request_text.replace(b"PORT", str(port).encode()))
            if status:
                assert status.strip() in connection.makefile("rb").read()
        # And goes on.
        with socket.create_connection(("127.0.0.1", port)) as connection:
            connection.sendall(
                f"POST /translate HTTP/1.1\r\nHost: localhost:{port}\r\nContent-Length: 0\r\n\r\n".encode()
            )
            assert b" 400 " in connection.makefile("rb").readline()
    finally:
        made.close()
    assert "Traceback" not in capfd.readouterr().err


def test_what_a_pipe_would_wait_for_is_said(project):
    os.mkfifo(project / "terms/fr-FR.csv")
    done = run_tavolan("check", cwd=project)
    assert done.code == 3 and "terms/fr-FR.csv: is no ordinary file" in done.err
    (project / "terms/fr-FR.csv").unlink()
    readers = {
        "copy/state.csv": ("check",),
        "copy/glossary.csv": ("locale", "send"),
        "data/reviews.csv": ("terms", "mine", "--locale", "en-US"),
        "rules/ios.toml": ("check",),
        "looks/own.toml": ("shots", "looks"),
    }
    for name, command in readers.items():
        path = project / name
        path.parent.mkdir(exist_ok=True)
        os.mkfifo(path)
        assert run_tavolan(*command, cwd=project).code in (0, 3), name
        path.unlink()
    screen = project / "screens/en-US/phone-6.9/home.png"
    for make in (os.mkfifo, Path.mkdir):
        screen.unlink() if screen.exists() else None
        make(screen)
        done = run_tavolan("shots", "render", cwd=project)
        assert done.code == 3 and "home.png" in done.err
        run_tavolan("check", cwd=project)
        screen.unlink() if make is os.mkfifo else screen.rmdir()


@pytest.mark.parametrize(("head", "what"), [
    (b"PK\x03\x04mimetypeapplication/vnd.oasis.opendocument.spreadsheet", "an archive"), (b"\xd0\xcf\x11\xe0x", "an old workbook"),
    (b"%PDF-1.7", "a PDF"), (b"\x89PNG\r\n", "a picture"), (b"phrase\0volume", "a file of bytes"), (b"<html>", "a web page"),
])  # fmt: skip
def test_what_is_no_table_is_said(project, tmp_path, head, what):
    (tmp_path / "sheet.ods").write_bytes(head)
    for command in (
        ("import", "--as", "phrases", "--locale", "en-US"),
        ("import", "--store", "ios"),
        ("import", "--as", "reviews", "--store", "ios"),
    ):
        done = run_tavolan(*command, "../sheet.ods", cwd=project)
        assert (
            done.code == 3 and f"sheet.ods: is {what}" in done.err and "Save it as .csv, .xlsx or .ods." in done.err
        ), done
