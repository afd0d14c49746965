"""The built program, run as people run it."""

import re
import shutil

import pytest

from conftest import replace, run_tavolan, thorough, write_screen
from films import numbered, write_clip
from tavolan.sample.app_screens import SCREENS
from tavolan.sample.clips import CLIPS
from tavolan.sample.write import SIZES, sample_files, sample_locales, write_texts


def test_help_begins_with_ten_commands_that_are_there_and_lists_the_others_in_the_order_of_the_work():
    shown = run_tavolan("--help", COLUMNS="100").out
    first = re.findall(r"^ +tavolan ([a-z]+(?: [a-z]+)?) .*$", shown.split("Options")[0], re.M)
    assert len(first) == 10, shown
    for command in first:
        assert run_tavolan(*command.split(), "--help").code == 0, command
    panels = [line.split(" ")[1:] for line in shown.splitlines() if line.startswith("╭─")]
    names = [" ".join(words[: next(i for i, word in enumerate(words) if word.startswith("─"))]) for words in panels]
    assert names[:3] == ["Options", "Every day", "Begin"] and "Commands" not in names
    for name in ("next", "new", "copy", "shots", "console", "results", "schema", "standin"):
        assert f"│ {name} " in shown


def test_help_lists_the_commands():
    done = run_tavolan("--help")
    assert done.code == 0
    for name in ("demo", "new", "check", "preview", "terms", "shots", "rules"):
        assert re.search(rf"\b{name}\b", done.out)


@pytest.mark.parametrize(
    "args", [["status"], ["preview"], ["terms", "plan", "--locale", "en-US"],
             ["shots", "render", "--locale", "de-DE", "--shot", "home"], ["status", "--translations"], ["notes", "show"],
             ["schema", "copy"]],
)  # fmt: skip
def test_a_command_loads_all_that_it_needs_by_itself(project, args):
    done = run_tavolan(*args, cwd=project, cold=True)
    assert done.code == 0 and done.out, done.err


def test_version():
    assert run_tavolan("--version").out == "tavolan 0.1.0\n"


@pytest.mark.parametrize(
    "args", [["chekc"], ["check", "--nope"], ["shots", "render", "--store"], ["rules", "show"], ["new"]]
)
def test_wrong_usage_ends_with_2(args):
    assert run_tavolan(*args).code == 2


def test_without_a_project_the_way_out_is_shown(tmp_path):
    done = run_tavolan("check", cwd=tmp_path)
    assert done.code == 3 and "Start one with: tavolan new DIR" in done.err and not done.out


# --- new -------------------------------------------------------------------------------------------------------


def test_new_starts_a_project_that_has_only_notes(tmp_path):
    args = ["--store", "ios", "--store", "android", "--store", "maker", "--locale", "de-DE", "--locale", "th"]
    assert run_tavolan("new", tmp_path / "app", *args).code == 0
    done = run_tavolan("check", "--json", cwd=tmp_path / "app")
    assert done.code == 0
    assert {(f["rule"], f["level"]) for f in done.json["findings"]} <= {
        ("to-write", "note"),
        ("unused-field", "note"),
        ("shot-count", "note"),
        ("graphic-to-make", "note"),
    }
    assert "Thai isn't in this store" in (tmp_path / "app/tavolan.toml").read_text()
    assert run_tavolan("terms", "cover", cwd=tmp_path / "app").code == 0


def test_new_never_overwrites(tmp_path):
    (tmp_path / "copy").mkdir()
    (tmp_path / "copy/en-US.toml").write_text("mine")
    done = run_tavolan("new", tmp_path)
    assert done.code == 2 and "already holds copy/en-US.toml" in done.err
    assert sorted(path.name for path in tmp_path.rglob("*")) == ["copy", "en-US.toml"]


def test_new_can_rehearse(tmp_path):
    assert "tavolan.toml" in run_tavolan("new", tmp_path / "app", "--dry-run").out
    assert not (tmp_path / "app").exists()


@pytest.mark.parametrize(
    ("args", "message"),
    [
        (["--store", "oss"], '--store: there\'s no rulebook "oss". Did you mean "ios"?'),
        (["--locale", "de_DE"], 'Write "de-DE".'),
        (["--source", "klingon"], '"klingon" isn\'t a locale tag'),
    ],
)
def test_new_with_bad_values(tmp_path, args, message):
    done = run_tavolan("new", tmp_path / "app", *args)
    assert done.code == 2 and message in done.err and not (tmp_path / "app").exists()


# --- check -----------------------------------------------------------------------------------------------------


def test_check_is_fine_on_a_faultless_project(shared_project):
    done = run_tavolan("check", "--project", shared_project)
    assert done.code == 0 and "nothing to find fault with in 3 locales, 1 store" in done.out


def test_check_as_json(project):
    replace(project / "copy/de-DE.toml", "Notizen zum Brand", "x" * 33)
    done = run_tavolan("check", "--json", cwd=project)
    assert done.code == 1 and not done.err
    assert done.json["schema"] == "tavolan/check@1"
    assert done.json["summary"] == {
        "error": 1, "warning": 0, "note": 0, "waived": 0, "hidden": 0, "locales": 3, "stores": 1,
    }  # fmt: skip
    (found,) = done.json["findings"]
    assert {key: found[key] for key in ("rule", "level", "store", "locale", "field", "path", "line")} == {
        "rule": "too-long", "level": "error", "store": "ios", "locale": "de-DE", "field": "subtitle",
        "path": "copy/de-DE.toml", "line": 2,
    }  # fmt: skip
    assert (found["measured"], found["limit"]) == (33, 30) and found["message"] and found["remedy"]


def test_check_for_people_and_selections(project):
    replace(project / "copy/de-DE.toml", "Notizen zum Brand", "x" * 33)
    done = run_tavolan("check", cwd=project)
    assert done.code == 1 and "German (Germany) · de-DE" in done.out and "copy/de-DE.toml:2" in done.out
    assert "\x1b" not in done.out
    assert run_tavolan("check", "--locale", "ar-SA", cwd=project).code == 0
    done = run_tavolan("check", "--locale", "ar", cwd=project)
    assert done.code == 2 and '--locale: this project has no "ar"' in done.err


def test_check_explains_rules():
    done = run_tavolan("check", "--explain", "too-long")
    assert done.code == 0 and "code points after NFC" in done.out
    assert run_tavolan("check", "--explain", "too-lang").code == 2


def test_an_unreadable_project_ends_with_3_and_every_problem(project):
    replace(project / "copy/de-DE.toml", "subtitle", "subtitel")
    replace(project / "shots.toml", 'look = "rise"', "lok = 1")
    (project / "terms/en-US.csv").write_bytes(b"phrase\nk\xfche\n")
    done = run_tavolan("check", cwd=project)
    assert done.code == 3 and done.err.endswith("tavolan: 3 problems to put right first.\n")
    assert [line.split(" ")[0] for line in done.err.splitlines()[:3]] == [
        "copy/de-DE.toml:2:", "shots.toml:1:", "terms/en-US.csv:2:",
    ]  # fmt: skip


def test_control_characters_of_a_file_never_reach_the_terminal(project):
    replace(project / "copy/de-DE.toml", "title", '"ti\\u001b[31mtle"')
    assert "\x1b" not in run_tavolan("check", cwd=project).err


# --- rules -----------------------------------------------------------------------------------------------------


def test_rules(project):
    (project / "rules").mkdir()
    (project / "rules/ios.toml").write_text("[field.title]\nmax = 44\n")
    done = run_tavolan("rules", cwd=project)
    assert done.code == 0 and all(name in done.out for name in ("ios", "android", "maker", "rules/", "2025"))
    assert "2 to 44 characters" in run_tavolan("rules", "show", "ios", cwd=project).out
    shown = run_tavolan("rules", "show", "maker", "--json").json
    assert shown["field"]["bullets"]["item_max"] == 200
    assert [book["id"] for book in run_tavolan("rules", "--json").json["rulebooks"]] == ["ios", "android", "maker"]
    done = run_tavolan("rules", "show", "androit")
    assert done.code == 2 and 'Did you mean "android"' in done.err


# --- terms cover -----------------------------------------------------------------------------------------------


def test_cover(shared_project):
    done = run_tavolan("terms", "cover", "--json", "--project", shared_project)
    assert done.code == 0 and done.json["schema"] == "tavolan/cover@1"
    assert done.json["summary"]["ios"]["US"]["phrases"] == 2 and done.json["summary"]["ios"]["US"]["covered"] == 1
    assert [a["tier"] for a in done.json["answers"]] == ["with-keywords", None]
    assert [a["missing"] for a in done.json["answers"]] == [[], ["recipe"]]
    shown = run_tavolan("terms", "cover", "--uncovered", "--project", shared_project).out
    assert "glaze recipe" in shown and "pottery kiln" not in shown and "Missing words worth most" in shown
    matrix = run_tavolan("terms", "cover", "--matrix", "--budgets", "--word-list", "x", "--project", shared_project)
    assert matrix.code == 2
    matrix = run_tavolan("terms", "cover", "--matrix", "--budgets", "--locale", "en-US", "--project", shared_project)
    assert "░░" in matrix.out and "Second budgets" in matrix.out and "ar-SA" in matrix.out
    done = run_tavolan("terms", "cover", "--storefront", "FR", "--project", shared_project)
    assert done.code == 2 and '--storefront: this project has no "FR"' in done.err


# --- shots and preview -----------------------------------------------------------------------------------------


def test_shots_and_preview(project):
    select = ["--locale", "de-DE", "--locale", "ar-SA", "--device", "phone-6.9"]
    rehearsal = run_tavolan("shots", "render", *select, "--dry-run", cwd=project)
    assert rehearsal.code == 0 and "Would make 4 pictures." in rehearsal.out and not (project / "out").exists()
    done = run_tavolan("shots", "render", *select, cwd=project)
    assert done.code == 0 and "4 pictures" in done.out
    files = sorted(path.relative_to(project / "out/shots").as_posix() for path in project.rglob("out/shots/**/*.png"))
    assert files == [f"ios/phone-6.9/{tag}/{name}.png" for tag in ("ar-SA", "de-DE") for name in ("01-home", "02-kiln")]
    done = run_tavolan("shots", "render", "--board", cwd=project)
    assert done.code == 0 and (project / "out/boards/ios-phone-6.9.png").exists()
    done = run_tavolan("preview", cwd=project)
    page = (project / "out/preview.html").read_text("utf-8")
    assert done.code == 0 and page.count("data:image/jpeg") == 4
    assert 'dir="rtl"' in page and "tavolan shots render --locale en-US" in page
    assert not re.search(r'(src|href)="https?:', page)


def test_shots_with_bad_input(project):
    done = run_tavolan("shots", "render", "--shot", "hoem", cwd=project)
    assert done.code == 2 and 'Did you mean "home"' in done.err
    done = run_tavolan("shots", "render", "--board", cwd=project)
    assert done.code == 2 and "tavolan shots render" in done.err
    (project / "screens/de-DE/phone-6.9/kiln.png").write_bytes(b"\x89PNG broken")
    done = run_tavolan("shots", "render", "--locale", "de-DE", cwd=project)
    assert done.code == 3 and "screens/de-DE/phone-6.9/kiln.png: isn't a picture" in done.err
    assert not list(project.rglob("*.part"))


def test_preview_escapes_what_people_write(project):
    replace(project / "copy/de-DE.toml", "Potto: de-DE", "<script>alert(1)</script>")
    assert run_tavolan("preview", "--out", project / "p.html", cwd=project).code == 0
    assert "<script>alert" not in (project / "p.html").read_text()


def test_an_output_that_cannot_be_written_ends_with_4(project):
    (project / "p.html").mkdir()
    done = run_tavolan("preview", "--out", project / "p.html", cwd=project)
    assert done.code == 4 and "can't be written" in done.err


# --- demo ------------------------------------------------------------------------------------------------------


def test_the_sample_says_what_was_planted(tmp_path):
    for name, data in sample_files().items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(data)
    shutil.copytree(tmp_path / "copy", tmp_path / "screens/en-US")  # no screens: they take long to draw
    done = run_tavolan("check", "--json", cwd=tmp_path)
    (missing,) = [f for f in done.json["findings"] if f["rule"] == "screen-missing"]
    assert done.code == 1 and missing["measured"] == 280 and "all 5 shots" in missing["message"]
    text = (tmp_path / "shots.toml").read_text()
    (tmp_path / "shots.toml").write_text(text[: text.index("[[shot]]")])
    for path in (tmp_path / "copy").glob("*.toml"):
        content = path.read_text("utf-8")
        path.write_text(re.sub(r"\[captions\].*?(?=\n\[|\Z)", "", content, flags=re.S), "utf-8")
    done = run_tavolan("check", "--json", cwd=tmp_path)
    assert done.code == 1
    serious = [f for f in done.json["findings"] if f["level"] != "note" and f["rule"] != "shot-count"]
    assert {(f["rule"], f["locale"], f["field"], f["subject"]) for f in serious} == {
        ("too-long", "de-DE", "subtitle", ""),
        ("keyword-filler", "en-US", "keywords", "app"),
        ("keyword-repeats", "en-US", "keywords", "glazes"),
        ("first-sentence", "fr-FR", "description", "words"),
        ("outdated", "fr-FR", "description", ""),
        ("notes-repeated", "es-ES", "notes", "2.3"),
        ("reply-promise", "en-US", "replies.export", "next week"),
    }
    assert done.json["summary"]["waived"] == 1


def test_the_demo_refuses_a_folder_with_other_files(tmp_path):
    (tmp_path / "mine.txt").write_text("x")
    done = run_tavolan("demo", tmp_path)
    assert done.code == 2 and "holds other files" in done.err
    assert [path.name for path in tmp_path.iterdir()] == ["mine.txt"]


@thorough
def test_the_demo_walks_through_everything_and_keeps_what_is_there(tmp_path):
    root = tmp_path / "k"
    write_texts(root)
    replace(root / "copy/ja.toml", "リアルタイム", "ライブ")
    mine = (root / "copy/ja.toml").read_bytes()
    # Screens and clips of one's own are kept too, and a smaller project takes less time.
    write_screen(tmp_path / "small.png")
    for folder in (f"{tag}/{name}" for tag in sample_locales() if tag != "ko" for name in SIZES):
        (root / "screens" / folder).mkdir(parents=True)
        for name in SCREENS:
            shutil.copyfile(tmp_path / "small.png", root / "screens" / folder / f"{name}.png")
    for name in CLIPS:
        write_clip(root / f"clips/en-US/phone-6.9/{name}.mp4", (numbered(n) for n in range(30)))
    (root / "video.toml").write_text('[sound]\noff = true\n\n[[scene]]\nname = "firing"\nclip = "firing"\n')
    replace(root / "tavolan.toml", 'classes = ["phone-6.9", "tablet-13"]', 'classes = ["phone-6.9"]')
    replace(root / "tavolan.toml", 'classes = ["phone", "tablet-10"]', 'classes = ["phone"]')
    done = run_tavolan("demo", root)
    assert done.code == 0, done.err
    assert "33 pictures in en-US, ja, ar-SA" in done.out and "2 errors, " in done.out
    assert "7 files and 15 raw screens written" in done.out and "files went out and came back" in done.out
    assert "0 clips of the app" in done.out and ", from 1 pieces" in done.out
    assert (root / "copy/ja.toml").read_bytes() == mine
    named = [line.strip() for line in done.out.split("Open next")[1].splitlines() if line.strip()]
    assert len(named) > 3 and all((root / line).exists() for line in named)
