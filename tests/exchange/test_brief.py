"""A brief for a client: the page and the workbook of what's asked, and the answers that come back."""

import json
import tomllib

import openpyxl
import pytest

from conftest import run_tavolan


@pytest.fixture
def fresh(tmp_path):
    """A new project with nothing written, and its brief as page and workbook."""
    done = run_tavolan("new", "potto", "--store", "ios", "--store", "android", "--locale", "de-DE", cwd=tmp_path)
    assert done.code == 0, done.err
    root = tmp_path / "potto"
    for file in ("brief.html", "brief.xlsx"):
        done = run_tavolan("brief", file, "--deadline", "2026-12-20", cwd=root)
        assert done.code == 0 and "5 texts to write, 32 facts to answer" in done.out, done.err
    return root


def answers_of(root):
    """Return what the page would save if nothing were answered."""
    data = (root / "brief.html").read_text("utf-8")
    answers, end = json.JSONDecoder().raw_decode(data, data.index("const answers = ") + len("const answers = "))
    cells, _ = json.JSONDecoder().raw_decode(data, data.index("sent = ", end) + len("sent = "))
    return {**answers, "reviewer": "Ada", "saved": "2026-12-01", "cells": cells, "remarks": []}


def answer(answers, address, text):
    next(cell for cell in answers["cells"] if cell["address"] == address)["text"] = text


def read(root, answers, *options):
    (root / "answers-brief.json").write_text(json.dumps(answers), "utf-8")
    return run_tavolan("brief", "--read", "answers-brief.json", *options, cwd=root)


def contents(root):
    return {path: path.read_bytes() for path in root.rglob("*.toml")}


def test_the_page_asks_for_texts_facts_pictures_and_languages(fresh):
    page = (fresh / "brief.html").read_text("utf-8")
    assert page.count('class="open"') == 5 and page.count('class="fact open"') == 32
    assert "2026-12-20" in page and "icon.png" in page and "German (Germany)" in page
    assert "http://" not in page and "https://" not in page


def test_answers_of_the_page_are_written_and_remarks_said(fresh):
    before = contents(fresh)
    answers = answers_of(fresh)
    assert read(fresh, answers).out.startswith("0 written") and contents(fresh) == before
    answer(answers, "title", "Potto: Timer")
    answer(answers, "ios.category", "Business")
    answer(answers, "review_contact.email", "ada@potto.example")
    answers["remarks"] = [{"about": "languages", "words": "Japanese [bold]too[/]"}]
    done = read(fresh, answers, "--dry-run")
    assert "3 would be written" in done.out and contents(fresh) == before
    done = read(fresh, answers)
    assert done.code == 0 and "languages, Ada: Japanese [bold]too[/]" in done.out, done.err
    facts = tomllib.loads((fresh / "tavolan.toml").read_text("utf-8"))
    assert facts["store"]["ios"]["once"]["category"] == "Business"
    assert 'title = "Potto: Timer"' in (fresh / "copy/en-US.toml").read_text("utf-8")
    assert run_tavolan("undo", cwd=fresh).code == 0 and contents(fresh) == before


def test_the_workbook_says_what_is_asked_and_takes_answers(fresh):
    book = openpyxl.load_workbook(fresh / "brief.xlsx")
    asked = [[cell.value for cell in row] for row in book["Asked"].iter_rows(min_row=2)]
    assert asked[0][:2] == ["deadline", "2026-12-20"]
    assert list(dict.fromkeys(row[0] for row in asked[1:])) == ["text to write", "fact to answer", "icon", "language"]
    for row in book["Facts"].iter_rows(min_row=2):
        if row[0].value == "copyright":
            row[1].value = "2026 Ada"
    search = book["Search"]
    assert [cell.value for cell in search[1]][:2] == ["field", "en-US"]
    next(row for row in search.iter_rows(min_row=2) if row[0].value == "title")[1].value = "Potto"
    book.save(fresh / "answered.xlsx")
    done = run_tavolan("brief", "--read", "answered.xlsx", cwd=fresh)
    assert done.code == 0 and "2 written" in done.out, done.err


def test_what_was_written_here_meanwhile_is_a_conflict(fresh):
    answers = answers_of(fresh)
    answer(answers, "title", "Theirs")
    assert run_tavolan("copy", "set", "en-US", "title", "Ours", cwd=fresh).code == 0
    done = read(fresh, answers)
    assert done.code == 1 and "1 in conflict" in done.out
    assert read(fresh, answers, "--prefer", "theirs").code == 0
    assert 'title = "Theirs"' in (fresh / "copy/en-US.toml").read_text("utf-8")


def test_what_isnt_a_brief_of_this_project_is_refused(fresh):
    answers = answers_of(fresh)
    before = contents(fresh)
    answer(answers, "price", "no idea")
    done = read(fresh, answers)
    assert done.code == 2 and "price" in done.err
    answers = answers_of(fresh)
    answers["cells"].append({"locale": "", "address": "colour", "text": "red", "base": ""})
    assert '"colour" is no fact' in read(fresh, answers).err
    assert 'is for "Other"' in read(fresh, {**answers_of(fresh), "app": "Other"}).err
    assert read(fresh, {"schema": "tavolan/brief@2"}).code == 3
    for given in ([], ["brief.pdf"], ["a.html", "--read", "b.json"], ["brief.html", "--deadline", "soon"]):
        assert run_tavolan("brief", *given, cwd=fresh).code == 2
    assert contents(fresh) == before
