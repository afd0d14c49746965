"""What a reviewer may refuse: checks, facts, past refusals; and the draft of the review notes."""

import tomllib
from datetime import date
from pathlib import Path

import pytest

import tavolan
from conftest import promises, replace, run_tavolan
from tavolan.checking.registry import all_checks
from tavolan.consoles.forecast import draft_notes, forecast
from tavolan.project.journal import add_lines, line_of, refusal_note
from tavolan.results.periods import changes_of

TODAY = date(2026, 11, 26)


def risks(root):
    return {(one.finding.rule, one.finding.locale, one.finding.field): one
            for one in forecast(tavolan.open_project(root), "ios", TODAY)}  # fmt: skip


@promises(
    "`tavolan console submit --forecast` names what a reviewer is likely to refuse, the likely first: errors and warnings of the rules that reviewers care about, with why (`consoles/refusals.toml` in the package);",
    "empty review notes where a sign-in is needed or something is sold;",
)
def test_findings_that_reviewers_care_about_are_in_it_the_likely_first(project):
    assert not [one for one in risks(project).values() if one.likelihood == "likely"]
    replace(project / "copy/de-DE.toml", "Ein Heft", "Für 3,99 € ein Heft")
    replace(project / "copy/de-DE.toml", "Notizen zum Brand", "x" * 31)
    found = forecast(tavolan.open_project(project), "ios", TODAY)
    assert [(one.likelihood, one.finding.rule) for one in found[:2]] == [("likely", "too-long"), ("possible", "price")]
    assert all(one.why for one in found)


def test_every_rule_that_it_names_is_a_check():
    lists = tomllib.loads((Path(tavolan.__file__).parent / "consoles/refusals.toml").read_text("utf-8"))
    assert set(lists["check"]) <= set(all_checks())


@promises('answers of "none" that the words of a description belie;')
def test_answers_that_the_page_belies_are_named(project):
    assert not any(rule == "answers-doubtful" for rule, *_ in risks(project))
    config = (project / "tavolan.toml").read_text("utf-8")
    answers = tomllib.loads(config)["store"]["ios"]["once"]["age_answers"]
    assert set(answers.values()) == {"none"}
    replace(project / "copy/de-DE.toml", "die töpfern.", "die töpfern. Auch Waffen!")
    (found,) = [one for key, one in risks(project).items() if key[0] == "answers-doubtful"]
    assert found.finding.subject == "Waffen" and "violence" in found.finding.message


@promises(
    "and texts that were refused before and are still the same.",
    "such lines count as no change.",
    "`tavolan check` and `status` show it (`review-refused`) until the text is another.",
)
def test_a_refusal_counts_until_the_text_is_another(project):
    opened = tavolan.open_project(project)
    title = str(opened.value("ios", "de-DE", "title").content)
    add_lines(
        project,
        [
            line_of(
                "ios",
                "de-DE",
                "title",
                "1.0",
                None,
                title,
                "console",
                refusal_note("too general"),
                "2026-05-01T00:00:00Z",
            )
        ],
    )
    found = risks(project)["review-refused", "de-DE", "title"]
    assert found.likelihood == "likely" and "refused on 2026-05-01" in found.finding.message
    assert (found.finding.path, bool(found.finding.line)) == ("copy/de-DE.toml", True)
    # Everybody sees it until it's answered.
    shown = run_tavolan("check", "--json", cwd=project).json["findings"]
    assert [f["field"] for f in shown if f["rule"] == "review-refused"] == ["title"]
    status = run_tavolan("status", "--json", cwd=project).json["rows"]
    assert [row["refused"] for row in status if (row["locale"], row["store"]) == ("de-DE", "ios")] == [1]
    assert (
        "review-refused" in run_tavolan("next", "--json", cwd=project).out
        or "too general" in run_tavolan("next", cwd=project).out
    )
    assert run_tavolan("preview", cwd=project).code == 0
    assert "too general" in (project / "out/preview.html").read_text()
    # It's no change of the listing.
    assert not changes_of(tavolan.open_project(project))
    replace(project / "copy/de-DE.toml", title, "Potto: Brennheft")
    assert ("review-refused", "de-DE", "title") not in risks(project)
    notes = draft_notes(tavolan.open_project(project), "ios")
    assert f"It was “{title}”, now it's “Potto: Brennheft”" in notes and "too general" in notes


@promises(
    "Below it is a draft of the review notes: what's new, how to sign in, what's sold inside the app, what was refused and has changed since, whom to ask.",
    "`--write-notes` writes it into `tavolan.toml` where there are none.",
)
@pytest.mark.parametrize(("old", "new", "reason"), [
    ("needed = false", 'needed = true, user = "u", password_reference = "safe"', "a sign-in is needed"),
    ("[app]", "[app]\nfirst_version = true", "it's the first version"),
])  # fmt: skip
def test_review_notes_are_drafted_and_written_where_some_are_needed(project, old, new, reason):
    config = project / "tavolan.toml"
    if old not in config.read_text("utf-8"):
        replace(config, "[store.ios.once]", "[store.ios.once]\nreview_sign_in = { needed = false }")
    replace(config, old, new)
    assert reason in risks(project)["review-notes-empty", "", "review_notes"].finding.message
    done = run_tavolan("console", "submit", "--forecast", "--write-notes", cwd=project)
    assert done.code == 0 and "is in tavolan.toml" in done.out
    written = tavolan.open_project(project).once_value("ios", "review_notes").content
    assert written.startswith("Potto") and "What's new:" in written
    assert "review-notes-empty" not in run_tavolan("console", "submit", "--forecast", cwd=project).out
    document = run_tavolan("console", "submit", "--forecast", "--json", cwd=project).json
    assert document["stores"][0]["store"] == "ios" and document["stores"][0]["notes_draft"].startswith("Potto")
