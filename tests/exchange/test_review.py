"""Review of a language on a page, by somebody without a terminal: the page, and the answers that come back."""

import json
import re

import pytest

from browser import needs_browser, reported_by, with_script
from conftest import replace, run_tavolan, standings


@pytest.fixture
def page(rendered):
    """The page of a project's German, with its pictures."""
    done = run_tavolan("locale", "review", "de-DE", "--out", rendered / "sent", "--project", rendered)
    assert done.code == 0 and "review-de-DE.html" in done.out, done.err
    return rendered / "sent/review-de-DE.html"


def answers_of(page):
    """Return what the page would save if nobody had changed or ticked anything."""
    data = page.read_text("utf-8")
    start = data.index("const answers = ") + len("const answers = ")
    answers, end = json.JSONDecoder().raw_decode(data, start)
    sent, _ = json.JSONDecoder().raw_decode(data, data.index("sent = ", end) + len("sent = "))
    texts = [{**each, "right": False, "remark": ""} for each in sent]
    return {**answers, "reviewer": "Mara Lind", "saved": "2026-11-30", "texts": texts}


def received(page, answers, *options):
    file = page.with_name("answers-de-DE.json")
    file.write_text(json.dumps(answers), "utf-8")
    return run_tavolan("locale", "receive", file, *options, "--project", page.parents[1])


def text_of(answers, address):
    return next(each for each in answers["texts"] if each["address"] == address)


def test_the_page_shows_source_text_length_and_picture(page):
    shown = page.read_text("utf-8")
    assert shown.count("<article") == len(answers_of(page)["texts"]) > 3
    assert 'alt="Store picture of caption home"' in shown and 'data-limit="30"' in shown
    assert not re.search(r'(?:src|href)="https?:', shown)


def test_answers_change_texts_approve_and_remark(page):
    root = page.parents[1]
    answers = answers_of(page)
    text_of(answers, "subtitle")["text"] = "Ganz neu"
    text_of(answers, "title")["right"] = text_of(answers, "subtitle")["right"] = True
    text_of(answers, "description")["remark"] = "Klingt [bold]hölzern[/]"
    before = {path: path.read_bytes() for path in (root / "copy").iterdir()}
    done = received(page, answers, "--dry-run")
    assert done.code == 0 and "2 approved" in done.out, done.err
    assert {path: path.read_bytes() for path in (root / "copy").iterdir()} == before
    done = received(page, answers)
    assert done.code == 0 and "description, Mara Lind: Klingt [bold]hölzern[/]" in done.out, done.err
    assert standings(root, "de-DE")["title"] == standings(root, "de-DE")["subtitle"] == "approved"
    assert 'subtitle = "Ganz neu"' in (root / "copy/de-DE.toml").read_text("utf-8")
    assert "Mara Lind,2026-11-30" in (root / "copy/approved.csv").read_text("utf-8")
    assert run_tavolan("undo", "--project", root).code == 0
    assert {path: path.read_bytes() for path in (root / "copy").iterdir()} == before


def test_what_both_sides_changed_is_asked_about_and_not_approved(page):
    root = page.parents[1]
    answers = answers_of(page)
    text = text_of(answers, "title")
    replace(root / "copy/de-DE.toml", text["text"], "Hier geändert")
    text["text"], text["right"] = "Dort geändert", True
    done = received(page, answers)
    assert done.code == 1 and "conflict" in done.out
    assert not (root / "copy/approved.csv").exists()
    done = received(page, answers, "--prefer", "mine")
    assert done.code == 0 and standings(root, "de-DE")["title"] != "approved"
    done = received(page, answers, "--prefer", "theirs")
    assert done.code == 0 and standings(root, "de-DE")["title"] == "approved"


def test_a_text_that_is_too_long_or_whose_source_changed_isnt_approved(page):
    root = page.parents[1]
    answers = answers_of(page)
    long, moved = text_of(answers, "title"), text_of(answers, "subtitle")
    long["text"], long["right"], moved["right"] = "viel zu lang " * 5, True, True
    replace(root / "copy/en-US.toml", moved["source"], "Another source")
    done = received(page, answers)
    assert done.code == 1 and "the source changed" in done.out and "over" in done.out
    assert "approved" not in done.out and not (root / "copy/approved.csv").exists()


@pytest.mark.parametrize(
    ("broken", "said"),
    [
        (lambda answers: answers.pop("locale"), "locale"),
        (lambda answers: answers.update(saved="yesterday"), "is no date"),
        (lambda answers: answers.update(app="Other"), 'is for "Other"'),
        (lambda answers: answers["texts"].append(1), "isn't what the page saves"),
        (lambda answers: answers.update(more=1), "more"),
    ],
)
def test_what_no_page_saved_is_refused(page, broken, said):
    answers = answers_of(page)
    broken(answers)
    done = received(page, answers)
    assert done.code == 3 and said in done.err


def test_the_source_and_an_unknown_locale_have_no_page(project):
    for tag in ("en-US", "xx"):
        done = run_tavolan("locale", "review", tag, "--project", project)
        assert done.code == 2 and "de-DE" in done.err


@pytest.mark.thorough
@needs_browser
def test_the_page_in_a_browser_saves_what_was_answered(page):
    act = """addEventListener("load", () => {
      const article = document.querySelector("article"), area = article.querySelector("textarea");
      document.getElementById("reviewer").value = "Mara";
      article.querySelector("input[type=checkbox]").checked = true;
      area.value = "a".repeat(40); area.dispatchEvent(new Event("input", {bubbles: true}));
      const report = document.body.appendChild(document.createElement("pre"));
      report.id = "report";
      report.textContent = JSON.stringify([answered(), article.querySelector(".count").textContent,
        document.getElementById("progress").textContent]);
    });"""
    saved, count, progress = reported_by(with_script(page, act))
    assert (count, progress) == ("40 of 30 characters, 10 too many", "1 right, 1 changed")
    assert text_of(saved, saved["texts"][0]["address"])["text"] == "a" * 40
    assert [each["text"] for each in saved["texts"][1:]] == [each["text"] for each in answers_of(page)["texts"][1:]]
    saved["texts"][0]["text"] = "Potto"
    assert received(page, saved).code == 0
