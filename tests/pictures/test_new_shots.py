"""From captures to shots by commands: `shots new`, `add`, `remove` and `order`."""

import tomllib

import pytest

from conftest import run_tavolan, write_screen

TALL, WIDE = (1290, 2796), (2796, 1290)


@pytest.fixture
def fresh(tmp_path):
    """Return a new project of one store, and a folder of captures as a phone names them."""
    assert run_tavolan("new", tmp_path / "app", "--store", "ios", cwd=tmp_path).code == 0
    captures = tmp_path / "captures"
    captures.mkdir()
    for number, name in enumerate(("10 Timer.png", "2 Bake.png", "1 Home.png", ".hidden.png")):
        write_screen(captures / name, *TALL, shade=20 + number)
    (captures / "notes.txt").write_text("not a picture")
    return tmp_path / "app"


def tables(project):
    return tomllib.loads((project / "shots.toml").read_text("utf-8")).get("shot", [])


def captions(project):
    return tomllib.loads((project / "copy/en-US.toml").read_text("utf-8"))["captions"]


def contents(project):
    return {path: path.read_bytes() for path in project.rglob("*") if path.is_file() and ".tavolan" not in path.parts}


def test_a_folder_of_captures_becomes_shots_in_the_order_of_their_numbers(fresh):
    before = contents(fresh)
    done = run_tavolan("shots", "new", "../captures", "--dry-run", cwd=fresh)
    assert done.code == 0 and "3 new shots: home, bake, timer" in done.out and contents(fresh) == before
    done = run_tavolan("shots", "new", "../captures", cwd=fresh)
    assert done.code == 0, done.err
    assert [(shot["name"], shot["screen"]) for shot in tables(fresh)] == [
        (name, name) for name in ("home", "bake", "timer")
    ]
    assert captions(fresh) == {"home": "", "bake": "", "timer": ""}
    assert (fresh / "screens/en-US/phone-6.9/timer.png").is_file()
    # The commands that it names do what they say.
    named = [line.strip() for line in done.out.splitlines() if line.startswith("  tavolan ")]
    assert named[0] == "tavolan copy set en-US captions.home TEXT" and len(named) == 3
    for command in named:
        assert run_tavolan(*command.replace("TEXT", "Bake-it-today").split()[1:], cwd=fresh).code == 0
    done = run_tavolan("shots", "render", cwd=fresh)
    assert done.code == 0 and "3 pictures in" in done.out, done.err
    # A second time there's nothing new, and a caption stays as it was written.
    done = run_tavolan("shots", "new", "../captures", "--caption", "x", cwd=fresh)
    assert done.code == 2 and "--caption is given 1 times for 0 new shots" in done.err
    done = run_tavolan("shots", "new", "../captures", cwd=fresh)
    assert done.code == 0 and "0 new shots: none" in done.out and captions(fresh)["home"] == "Bake-it-today"


def test_captions_come_along_one_for_each(fresh):
    given = [part for text in ("Bake *today*", "Note it", "On time") for part in ("--caption", text)]
    done = run_tavolan("shots", "new", "../captures", *given[:2], cwd=fresh)
    assert done.code == 2 and "in this order: home, bake, timer" in done.err and tables(fresh) == []
    assert not (fresh / "screens").exists()
    done = run_tavolan("shots", "new", "../captures", *given, cwd=fresh)
    assert done.code == 0 and "Captions to write" not in done.out
    assert captions(fresh) == {"home": "Bake *today*", "bake": "Note it", "timer": "On time"}


def test_screens_that_lie_on_their_side_get_a_picture_as_wide(fresh, tmp_path):
    write_screen(tmp_path / "race.png", *WIDE, shade=7)
    done = run_tavolan("shots", "new", tmp_path / "race.png", cwd=fresh)
    assert done.code == 0 and "As wide as their screens: race" in done.out, done.err
    assert tables(fresh) == [{"name": "race", "screen": "race", "look": "beside", "turn": "wide"}]
    assert run_tavolan("shots", "render", "--dry-run", cwd=fresh).code == 0


def test_another_picture_of_a_name_makes_no_second_shot(fresh, tmp_path):
    run_tavolan("shots", "new", "../captures", cwd=fresh)
    before = contents(fresh)
    write_screen(tmp_path / "home.png", *TALL, shade=99)
    done = run_tavolan("shots", "new", "../home.png", cwd=fresh)
    assert done.code == 3 and "shows something else than screens/en-US/phone-6.9/home.png" in done.err
    assert "tavolan shots take home.png --replace" in done.err and contents(fresh) == before
    assert run_tavolan("shots", "take", "../home.png", "--replace", cwd=fresh).code == 0
    (tmp_path / "none").mkdir()
    for command in ("new", "take"):
        done = run_tavolan("shots", command, "../none", cwd=fresh)
        assert done.code == 2 and "none has no captures" in done.err


def test_take_has_folders_too(fresh):
    run_tavolan("shots", "new", "../captures", cwd=fresh)
    (fresh / "screens/en-US/phone-6.9/bake.png").unlink()
    done = run_tavolan("shots", "take", "../captures", cwd=fresh)
    assert done.code == 0 and "2 Bake.png → screens/en-US/phone-6.9/bake.png" in done.out, done.err


def test_shots_are_added_ordered_and_taken_out(fresh):
    run_tavolan("shots", "new", "../captures", cwd=fresh)
    done = run_tavolan("shots", "order", "timer", "bake", cwd=fresh)
    assert done.out == "In order: timer, bake, home\n"
    done = run_tavolan("shots", "add", "again", "--screen", "home", "--look", "words", "--before", "bake", cwd=fresh)
    assert done.code == 0 and "tavolan copy set en-US captions.again TEXT" in done.out
    assert [shot["name"] for shot in tables(fresh)] == ["timer", "again", "bake", "home"]
    assert "\n\n[[shot]]" in (fresh / "shots.toml").read_text("utf-8").replace('look = "words"\n\n[[shot]]', "", 1)
    assert 'look = "words"\n\n[[shot]]' in (fresh / "shots.toml").read_text("utf-8")
    done = run_tavolan("shots", "remove", "again", "timer", cwd=fresh)
    assert done.code == 0 and [shot["name"] for shot in tables(fresh)] == ["bake", "home"]
    assert "timer" in captions(fresh) and (fresh / "screens/en-US/phone-6.9/timer.png").is_file()
    assert run_tavolan("check", cwd=fresh).code in (0, 1)
    before = contents(fresh)
    for wrong, said in (
        (("order", "bakes"), 'there is no shot "bakes"'),
        (("remove", "bakes"), "bake"),
        (("add", "home"), 'there is a shot "home" already'),
        (("add", "more", "--screen", "home", "--before", "nothing"), 'there is no shot "nothing"'),
        (("add", "more", "--screen", "nothing"), 'no screen "nothing"'),
        (("add", "more", "--screen", "home", "--look", "rice"), '"rice"'),
    ):
        done = run_tavolan("shots", *wrong, cwd=fresh)
        assert done.code == 2 and said in done.err, (wrong, done.err)
    assert contents(fresh) == before
