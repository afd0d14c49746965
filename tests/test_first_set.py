"""The first set of pictures, as the beginning of the README has it: from ten screens, by commands alone."""

import shlex
import shutil
import tomllib
from pathlib import Path

import openpyxl
import pytest
import pyvips

from conftest import run_tavolan, write_screen

README = (Path(__file__).parents[1] / "README.md").read_text(encoding="utf-8")
SCREENS = ["home", "curve", "glazes", "recipe", "shelf", "photos", "notes", "plan", "cone", "export"]
LOCALES = ("en-US", "de-DE", "ja")
# What somebody types into the spreadsheet, who knows the three languages.
TEXTS = {
    "title": ("Potto: Pottery Kiln Log", "Potto: Brennbuch für Ton", "Potto：陶芸の記録"),
    "subtitle": ("Firing curves, glaze recipes", "Brennkurven und Glasuren", "焼成カーブと釉薬"),
    "keywords": ("ceramics,clay,studio,cone,wheel", "keramik,töpfern,werkstatt,kegel", "窯,粘土,ろくろ,磁器,工房"),
    "description": (
        "Keep every firing and glaze recipe of your pottery studio in one kiln log.",
        "Alle Brände und Glasurrezepte deiner Werkstatt in einem Brennbuch.",
        "工房の焼成と釉薬レシピを一冊にまとめます。",
    ),
    "short": ("A kiln log with firing curves", "Ein Brennbuch mit Brennkurven", "焼成カーブを残す記録帳"),
}
CAPTION = ("See your {} at a *glance*", "Dein {} auf einen *Blick*", "{} を*ひと目で*")


def commands():
    """Return the commands of the README's beginning."""
    block = README.split("<!-- first set -->")[1].split("```")[1]
    lines = [line.partition("  # ")[0] for line in block.replace("\\\n", " ").splitlines()]
    return [line.removeprefix("$ ") for line in lines if line.startswith("$ tavolan ")]


def fill_in(path):
    """Type the texts into the spreadsheet."""
    book = openpyxl.load_workbook(path)
    for sheet in book:
        head = [cell.value for cell in sheet[1]]
        for row in sheet.iter_rows(min_row=2) if head[0] == "locale" and sheet.title != "base" else ():
            language = LOCALES.index(row[0].value)
            for cell, name in zip(row[1:], head[1:], strict=True):
                if name in TEXTS:
                    cell.value = TEXTS[name][language]
                elif (name or "").startswith("captions."):
                    cell.value = CAPTION[language].format(name.partition(".")[2])
    book.save(path)


@pytest.fixture(scope="module")
def walked(tmp_path_factory):
    """The folder after all commands of the README, in order, and what each printed."""
    base = tmp_path_factory.mktemp("first")
    for number, name in enumerate(SCREENS):
        write_screen(base / f"captures/{number:02}-{name}.png", 1290, 2796, 60 + 15 * number)
    where, printed = base, {}
    for command in commands():
        words = shlex.split(command)[1:]
        if words[:2] == ["copy", "sheet"] and "--read" in words:
            fill_in(base / "texts.xlsx")
        done = run_tavolan(*words, cwd=where)
        assert done.code == 0, (command, done.out, done.err)
        printed[command] = done.out
        where = base / "potto"
    return where, printed


def test_the_first_set_takes_at_most_twelve_commands_and_no_file_is_edited(walked):
    root, printed = walked
    assert 5 <= len(printed) <= 12
    config = tomllib.loads((root / "tavolan.toml").read_text(encoding="utf-8"))
    assert config["app"]["locales"] == list(LOCALES) and set(config["store"]) == {"ios", "android"}


def test_the_first_set_is_checked_and_framed_in_every_language_for_both_stores(walked):
    root, _ = walked
    found = run_tavolan("check", "--format", "json", cwd=root).json["findings"]
    assert [finding for finding in found if finding["level"] == "error"] == []
    assert tomllib.loads((root / "tavolan.toml").read_text(encoding="utf-8"))["app"]["stage"] == "ready"
    for store, size_class, count, size in (("ios", "phone-6.9", 10, (1290, 2796)), ("android", "phone", 8, None)):
        for locale in LOCALES:
            made = sorted((root / "out").rglob(f"{store}/**/*.png"))
            made = [path for path in made if locale in path.parts and size_class in path.parts]
            assert len(made) == count, (store, locale, made)
            picture = pyvips.Image.new_from_file(str(made[0]))
            assert size in (None, (picture.width, picture.height))
    assert (root / "out/preview.html").exists()


def test_all_of_it_can_be_taken_back(walked, tmp_path):
    root = shutil.copytree(walked[0], tmp_path / "potto")
    steps = 0
    while run_tavolan("undo", cwd=root).code == 0:
        steps += 1
    assert steps >= 4
    assert not tomllib.loads((root / "shots.toml").read_text(encoding="utf-8")).get("shot")
    assert not list((root / "screens").rglob("*.png"))
