"""Release notes: from a real repository to lines for users, fitted, kept, exported."""

import csv
import io
import json
import subprocess

import pytest
from hypothesis import given
from hypothesis import strategies as st

import tavolan
from conftest import replace, run_tavolan
from tavolan.errors import ProjectError, UsageError
from tavolan.notes.changes import bullets
from tavolan.notes.export import template_names
from tavolan.notes.gitlog import Commit, commits_since
from tavolan.notes.limit_fitting import fit_bullets, fit_text
from tavolan.rulebooks.model import FieldRule

COMMITS = [
    "feat(kiln): add cone tables from 022 to 14 (#12)",
    "fix: crash when a schedule has no segments.",
    "chore: bump versions",
    "Speed up curves of long firings",
    "Refactor the curve model",
    "feat!: let users share a kiln",
    "Fix bug in glaze search [POT-7]",
    "docs: explain cones",
    "Redesign the shelf",
]


def git(folder, *args):
    subprocess.run(
        ["git", "-C", str(folder), "-c", "user.name=Mara", "-c", "user.email=mara@potto.example", *args],
        check=True, capture_output=True,
    )  # fmt: skip


@pytest.fixture
def repository(tmp_path):
    folder = tmp_path / "app"
    folder.mkdir()
    git(folder, "init", "-q", "-b", "main")
    git(folder, "commit", "-q", "--allow-empty", "-m", "First")
    git(folder, "tag", "v1.0")
    for subject in COMMITS:
        git(folder, "commit", "-q", "--allow-empty", "-m", subject)
    return folder


@pytest.fixture
def app(project, repository):
    replace(project / "tavolan.toml", 'name = "Potto"', f'name = "Potto"\nversion = "1.1"\nrepository = "{repository}"')
    for tag in ("en-US", "de-DE", "ar-SA"):
        path = project / f"copy/{tag}.toml"
        path.write_text(
            "\n".join(line for line in path.read_text().splitlines() if not line.startswith("notes = ")) + "\n"
        )
    return project


LINES = [
    "You can now share a kiln",
    "Cone tables from 022 to 14",
    "Faster curves of long firings",
    "A new look for the shelf",
    "Fixed a crash when a schedule has no segments",
    "Fixed a bug in glaze search",
]


def test_a_draft_tells_what_users_feel_and_says_what_it_left_out(app):
    done = run_tavolan("notes", "draft", "--since", "v1.0", "--dry-run", cwd=app)
    assert done.code == 0, done.err
    for line in LINES:
        assert line in done.out
    assert "chore isn't for users" in done.out and "begins with refactor" in done.out
    assert "\nnotes = " not in (app / "copy/en-US.toml").read_text()


def test_a_draft_is_marked_until_somebody_changes_it(app):
    assert run_tavolan("notes", "draft", "--since", "v1.0", cwd=app).code == 0
    text = tavolan.open_project(app).value("ios", "en-US", "notes").content
    assert text == "\n".join(f"- {line}" for line in LINES)
    found = [f for f in run_tavolan("check", "--json", cwd=app).json["findings"] if f["rule"] == "drafted"]
    assert [(f["locale"], f["field"]) for f in found] == [("en-US", "notes")]
    refused = run_tavolan("notes", "show", "--format", "json", cwd=app)
    assert refused.code == 3 and "are a draft that nobody has reviewed" in refused.err
    assert run_tavolan("notes", "draft", "--since", "v1.0", cwd=app).code == 0
    replace(app / "copy/en-US.toml", "Cone tables from 022 to 14", "All cone tables")
    assert run_tavolan("notes", "show", "--format", "json", "--locale", "en-US", cwd=app).code == 0
    again = run_tavolan("notes", "draft", "--since", "v1.0", cwd=app)
    assert again.code == 2 and "has notes that a person wrote" in again.err
    assert "All cone tables" in (app / "copy/en-US.toml").read_text()
    author = (app / "out/notes/1.1.md").read_text()
    assert "feat(kiln): add cone tables" in author and "Mara" in author


def test_each_store_gets_what_fits_the_least_important_goes_first(app):
    replace(app / "tavolan.toml", "[check.levels]", "[store.android]\n\n[check.levels]")
    (app / "rules").mkdir()
    (app / "rules/android.toml").write_text("[field.notes]\nmax = 90\n")
    done = run_tavolan("notes", "draft", "--since", "v1.0", cwd=app)
    assert "android has no room for" in done.out
    opened = tavolan.open_project(app)
    android, ios = (opened.value(store, "en-US", "notes").content for store in ("android", "ios"))
    assert android.startswith("- You can now share a kiln\n- Cone tables") and len(android) <= 90
    assert ios.count("\n") == 5 and "Fixed" not in android
    for store in ("ios", "android"):
        refused = run_tavolan("notes", "show", "--format", "json", "--store", store, cwd=app)
        assert refused.code == 3 and "are a draft that nobody has reviewed" in refused.err
    # Where no store has room for all, the longest goes to all of them, and nothing earlier stays.
    (app / "rules/ios.toml").write_text("[field.notes]\nmax = 120\n")
    assert run_tavolan("notes", "draft", "--since", "v1.0", cwd=app).code == 0
    data = tavolan.open_project(app).copy["en-US"].data
    assert 90 < len(data["notes"]) <= 120 and data["android"]["notes"] == android
    # A person's text for one store is as safe as that for all.
    run_tavolan("copy", "set", "en-US", "android.notes", "By hand.", cwd=app)
    refused = run_tavolan("notes", "draft", "--since", "v1.0", cwd=app)
    assert refused.code == 2 and "a person wrote, under android.notes" in refused.err


def test_where_there_is_no_repository_it_says_so(app, tmp_path):
    for args, words in (
        (["--since", "v9"], 'no tag or commit "v9". Tags there: v1.0'),
        (["--since", "v1.0", "--repository", tmp_path / "none"], "there's no folder"),
        (["--since", "v1.0", "--repository", tmp_path], "is no git repository"),
        (["--since", "--upload-pack=x"], "no tag or commit"),
    ):
        done = run_tavolan("notes", "draft", *args, cwd=app)
        assert done.code == 2 and words in done.err, done.err
    with pytest.raises(UsageError):
        commits_since(tmp_path / "nowhere", "v1")


def commit(subject, body="", number=0):
    return Commit(f"{number:040x}", "Mara", "2026-01-01", subject, body)


def test_reverted_commits_and_reverts_are_left_out():
    commits = [commit("feat: add sharing", number=1), commit("fix: a thing", number=2),
               commit('Revert "feat: add sharing"', f"This reverts commit {1:040x}.", 3)]  # fmt: skip
    found, dropped = bullets(commits)
    assert [bullet.text for bullet in found] == ["Fixed: a thing"]
    assert {item.commit.subject for item in dropped} == {"feat: add sharing", 'Revert "feat: add sharing"'}


def test_a_release_note_in_the_body_has_the_last_word():
    found, dropped = bullets([
        commit("feat: impl kiln DTO", "Release-note: Kilns can be shared", 1),
        commit("feat: hidden", "Release-note: none", 2),
    ])  # fmt: skip
    assert [bullet.text for bullet in found] == ["Kilns can be shared"]
    assert dropped[0].why == "its Release-note says none"


def test_the_same_line_is_told_once_with_all_its_commits():
    (bullet,), _ = bullets([commit("Fix crash in search", number=1), commit("Fix crash in search.", number=2)])
    assert len(bullet.commits) == 2 and bullet.text == "Fixed a crash in search"


@given(st.lists(st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1, max_size=60), max_size=8))
def test_any_subjects_become_lines_or_are_left_out(subjects):
    commits = [commit(subject, number=i) for i, subject in enumerate(subjects)]
    found, dropped = bullets(commits)
    mentioned = {c.id for bullet in found for c in bullet.commits} | {item.commit.id for item in dropped}
    assert mentioned == {c.id for c in commits}


@given(st.integers(1, 200))
def test_what_is_fitted_fits(most):
    found, _ = bullets([commit(subject, number=i) for i, subject in enumerate(COMMITS)])
    fitted = fit_bullets(found, FieldRule(max=most))
    assert len(fitted.text) <= most
    assert len(fitted.dropped) + (fitted.text.count("\n") + 1 if fitted.text else 0) == len(found)
    lines = fit_text("one\ntwo\n\nthree", FieldRule(max=most))
    assert lines.text.startswith("one")


# --- keeping and exporting --------------------------------------------------------------------------------------


def test_notes_are_kept_per_version(project):
    replace(project / "tavolan.toml", 'name = "Potto"', 'name = "Potto"\nversion = "1.1"')
    assert "Better notes." in run_tavolan("notes", "show", cwd=project).out
    assert run_tavolan("notes", "keep", cwd=project).code == 0
    opened = tavolan.open_project(project)
    assert opened.copy["de-DE"].history() == {"1.1": "Bessere Notizen."} and "notes" not in opened.copy["de-DE"].data
    replace(project / "tavolan.toml", 'version = "1.1"', 'version = "1.2"')
    assert "Bessere Notizen." in run_tavolan("notes", "show", "--version", "1.1", "--locale", "de-DE", cwd=project).out
    assert run_tavolan("notes", "show", "--version", "9", cwd=project).code == 2


def test_a_stores_own_notes_and_those_for_testers_are_kept_too(project):
    """Left where they are, they'd be published with the next version."""
    replace(project / "tavolan.toml", 'name = "Potto"', 'name = "Potto"\nversion = "1.1"')
    replace(project / "tavolan.toml", "[store.ios.once]", "[store.android]\n[store.ios.once]")
    with (project / "copy/en-US.toml").open("a") as file:
        file.write('[android]\nnotes = "Better, in short."\n')
    replace(project / "copy/en-US.toml", 'notes = "Better notes."', 'notes = "Better notes."\ntester_notes = "Try it."')
    shown = run_tavolan("notes", "show", "--locale", "en-US", cwd=project).out
    assert shown.split("\n\n")[:3] == [
        "en-US\nBetter notes.", "en-US  android\nBetter, in short.", "en-US  testers\nTry it."
    ]  # fmt: skip
    assert run_tavolan("notes", "keep", cwd=project).code == 0
    data = tavolan.open_project(project).copy["en-US"].data
    assert data["history"] == {"1.1": "Better notes.", "1.1 android": "Better, in short.", "1.1 testers": "Try it."}
    assert "notes" not in data["android"] and not {"notes", "tester_notes"} & set(data)
    replace(project / "tavolan.toml", 'version = "1.1"', 'version = "1.2"')
    assert run_tavolan("notes", "show", "--version", "1.1", "--locale", "en-US", cwd=project).out == shown
    replace(project / "copy/en-US.toml", '"1.1 android"', '"1.0 beta"')
    assert "Known here: 1.0 beta, 1.1." in run_tavolan("notes", "show", "--version", "9", cwd=project).err
    assert "in short" in run_tavolan("notes", "show", "--version", "1.0 beta", cwd=project).out
    assert "There are no notes yet" in run_tavolan("notes", "show", cwd=project).out


def test_export_in_every_layout(project, tmp_path):
    text = (project / "copy/ar-SA.toml").read_text("utf-8")
    (project / "copy/ar-SA.toml").write_text(text.replace("\nnotes = ", "\n# notes = ", 1), "utf-8")
    lacking = run_tavolan("notes", "show", "--format", "json", cwd=project)
    assert "ios: no notes in ar-SA; left out" in lacking.err
    (project / "copy/ar-SA.toml").write_text(text, "utf-8")
    document = run_tavolan("notes", "show", "--format", "json", cwd=project).json
    assert document["schema"] == "tavolan/notes@1"
    assert [(n["store"], n["locale"], n["code"], n["text"]) for n in document["notes"]][1] == (
        "ios",
        "de-DE",
        "de-DE",
        "Bessere Notizen.",
    )
    target = tmp_path / "notes.csv"
    assert run_tavolan("notes", "show", "--format", "json", "--format", "csv", "--out", target, cwd=project).code == 0
    assert next(csv.DictReader(io.StringIO(target.read_text())))["text"] == "Better notes."
    for name in template_names():
        done = run_tavolan("notes", "show", "--format", "json", "--template", name, cwd=project)
        assert done.code == 0 and "Bessere Notizen." in done.out, name
    own = tmp_path / "own.j2"
    own.write_text("{% for n in notes %}<{{ n.code }}>{{ n.text }}</{{ n.code }}>{% endfor %}")
    assert (
        "<de-DE>Bessere Notizen.</de-DE>"
        in run_tavolan("notes", "show", "--format", "json", "--template", own, cwd=project).out
    )


@pytest.mark.parametrize(
    ("text", "code", "words"),
    [
        ("{{ notes.__class__.__mro__ }}", 3, "can't be filled in"),
        ("{{ nothing }}", 3, "can't be filled in"),
        ("{% for %}", 3, "can't be filled in"),
        ("\n{{ 1 / 0 }}", 3, "own.j2:2: can't be filled in: division by zero"),
        ('{{ app.parse_file("/etc/hostname") }}', 3, "has no attribute 'parse_file'"),
        ("{{ app.model_dump() }}", 3, "has no attribute 'model_dump'"),
        ("{{ notes[0].__init__.__globals__ }}", 3, "can't be filled in"),
        (None, 2, "there's no template"),
    ],
)
def test_bad_and_hostile_templates_are_refused(project, tmp_path, text, code, words):
    path = tmp_path / "own.j2"
    if text is not None:
        path.write_text(text)
    done = run_tavolan("notes", "show", "--format", "json", "--template", path, cwd=project)
    assert done.code == code and words in done.err and "Traceback" not in done.err


def test_a_template_runs_no_program(project, tmp_path):
    pickled = "cos\\nsystem\\n(S'touch ran'\\ntR."
    text = f'{{{{ app.parse_raw("{pickled}", proto="pickle", allow_pickle=True) }}}}'
    (tmp_path / "own.j2").write_text(text)
    done = run_tavolan("notes", "show", "--format", "json", "--template", tmp_path / "own.j2", cwd=project)
    assert done.code == 3 and "has no attribute 'parse_raw'" in done.err
    assert not (project / "ran").exists()


def test_export_shortens_per_locale_and_says_so(project):
    (project / "rules").mkdir()
    (project / "rules/ios.toml").write_text("[field.notes]\nmax = 20\n")
    replace(project / "copy/de-DE.toml", '"Bessere Notizen."', '"- Eins und zwei\\n- Drei und vier"')
    done = run_tavolan("notes", "show", "--format", "json", "--locale", "de-DE", cwd=project)
    assert json.loads(done.out)["notes"][0]["text"] == "- Eins und zwei"
    assert "ios de-DE: no room for 1 lines: - Drei und vier" in done.err


def test_regional_variants_take_the_notes_in_their_own_spelling(project):
    replace(project / "copy/en-US.toml", "Better notes.", "Color and more colors. COLOR stays a word.")
    replace(project / "tavolan.toml", 'locales = ["en-US", ', 'locales = ["en-US", "en-GB", ')
    (project / "copy/en-GB.toml").write_text('like = "en-US"\n[replace]\ncolor = "colour"\ncolors = "colours"\n')
    notes = run_tavolan("notes", "show", "--format", "json", "--locale", "en-GB", cwd=project).json["notes"]
    assert notes[0]["text"] == "Colour and more colours. COLOUR stays a word."
    (project / "copy/en-GB.toml").write_text('like = "en-US"\n[replace]\ncolor = 1\n')
    with pytest.raises(ProjectError, match="must be text"):
        tavolan.open_project(project)
