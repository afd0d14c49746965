"""Reviews: imports of all spellings, the queue against brute force, themes with planted truths."""

import csv
import math
from datetime import date

import openpyxl
import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import ProjectError, UsageError
from tavolan.imports.merging import write_merged
from tavolan.imports.taking import Given
from tavolan.project import table_writing
from tavolan.project.datafile import REVIEWS
from tavolan.results.intervals import wilson
from tavolan.reviews.importing import ORDER, merged_reviews, read_review_export
from tavolan.reviews.queue import review_queue
from tavolan.reviews.table import read_reviews, version_key
from tavolan.reviews.themes import themes_of
from tavolan.sample.year_reviews import NEW_COMPLAINT, NEWEST
from tavolan.words.mine import mine

TODAY = date(2026, 11, 26)


def rows_of(root):
    with (root / "data/reviews.csv").open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file))


def taken(project, text, name="e.csv", **values):
    (project / name).write_text(text, "utf-8")
    opened = tavolan.open_project(project)
    return opened, read_review_export(opened, project / name, Given({}, {"store": "ios", **values}))


def test_the_queue_is_that_of_a_count_by_hand(year):
    found = review_queue(tavolan.open_project(year), TODAY, most=10_000)
    rows = rows_of(year)

    def place(row):
        stars, featured = int(row["stars"]), bool(row["featured"])
        group = 0 if featured else 2 if stars <= 3 else 3
        return group, stars, row["date"], row["id"]

    waiting = sorted((row for row in rows if not row["reply"]), key=place)
    assert [one.id for one in found.first] == [row["id"] for row in waiting] and found.waiting == len(waiting)
    replied = [row for row in rows if row["reply"]]
    assert found.answered == wilson(len(replied), len(rows)) and found.reviews == len(rows)
    waits = sorted((date.fromisoformat(row["replied"]) - date.fromisoformat(row["date"])).days for row in replied)
    assert found.wait == pytest.approx((waits[(len(waits) - 1) // 2] + waits[len(waits) // 2]) / 2)
    anew = [row for row in replied if row["stars_after"]]
    assert found.rated_anew == len(anew)
    assert found.after == pytest.approx(sum(int(row["stars_after"]) for row in anew) / len(anew))


def test_a_review_that_changed_since_the_reply_waits_again(project):
    rows = ["a,2026-05-01,3,Fine,Thanks,2026-05-02", "b,2026-05-09,1,Worse now,Thanks,2026-05-02", "c,,5,Good,,"]
    (project / "data").mkdir()
    text = "id,locale,date,stars,text,reply,replied\n" + "".join(row.replace(",", ",en-US,", 1) + "\n" for row in rows)
    (project / "data/reviews.csv").write_text(text)
    found = review_queue(tavolan.open_project(project), TODAY)
    assert [(one.id, one.reason, one.days) for one in found.first] == [
        ("b", "changed since the reply", 201),
        ("c", "praise", None),
    ]
    assert found.wait == 1


def test_planted_themes_come_out(year):
    found = themes_of(tavolan.open_project(year), "en-US")
    assert found.version == NEWEST
    (planted,) = [one for one in found.of("complaint") if "kiln connection" in (one.phrase, *one.also)]
    assert planted.trend == "more" and planted.newest.value > 5 * planted.earlier.value
    assert planted.example == NEW_COMPLAINT["en"] and not planted.shown and planted.stars < 2
    rows = [row for row in rows_of(year) if row["locale"] == "en-US" and row["stars"] != "3"]
    held = [row for row in rows if "kiln connection" in row["text"]]
    assert planted.texts == len(held) and found.reviews == len(rows)
    assert planted.share == wilson(len(held), len(rows))
    newest = [row for row in rows if row["version"] == NEWEST]
    assert planted.newest == wilson(sum("kiln connection" in row["text"] for row in newest), len(newest))
    praise = {name for one in found.of("praise") for name in (one.phrase, *one.also)}
    assert {"live curve", "whole shelf"} <= praise and not any("alarm" in name for name in praise)
    assert all(one.trend == "" for one in found.of("praise"))


def test_nothing_is_a_theme_where_stars_say_nothing(project):
    (project / "data").mkdir()
    rows = "".join(f"en-US,{(1, 5)[n % 2]},the {('kiln', 'glaze', 'curve')[n % 3]} is here\n" for n in range(300))
    (project / "data/reviews.csv").write_text("locale,stars,text\n" + rows)
    assert themes_of(tavolan.open_project(project), "en-US").themes == []


def test_exports_of_any_spelling_come_in(project):
    text = (
        "Review ID;Submitted;Language;Star Rating;Review Title;Review;Developer Reply;App Version;Extra\n"
        "r1;31.10.2026;en_GB;★★;Bad;It stops;;2.4;x\n"
        "r2;01.11.2026;de;5;;Sehr gut, danke;Danke!;2.4;y\n"
        "r3;02.11.2026;de;;;Ohne Sterne;;2.4;z\n"
    )
    opened, done = taken(project, text)
    assert done.mapping["stars"] == "Star Rating" and done.not_kept == ["Extra"]
    assert done.repairs[-1] == "1 lines without stars or a text left out"
    write_merged(opened, merged_reviews(opened, done.rows), ORDER)
    first, second = rows_of(project)
    assert (first["id"], first["locale"], first["stars"], first["text"]) == ("r1", "en-US", "2", "Bad. It stops")
    assert (second["locale"], second["date"], second["reply"]) == ("de-DE", "2026-11-01", "Danke!")


def test_a_second_import_updates_and_doubles_nothing(project):
    opened, done = taken(project, "id,locale,stars,text,version\na,en-US,2,Slow,2.3\nb,en-US,5,Good,2.3\n")
    write_merged(opened, merged_reviews(opened, done.rows), ORDER)
    again = merged_reviews(opened, done.rows)
    assert (again.added, again.changed, again.same) == (0, 0, 2)
    opened, done = taken(project, "id,locale,stars,text,version\na,en-US,4,Fast now,\nc,en-US,3,Fine,2.4\n")
    after = merged_reviews(opened, done.rows)
    assert (after.added, after.changed, after.same) == (1, 1, 0)
    write_merged(opened, after, ORDER)
    rows = {row["id"]: row for row in rows_of(project)}
    assert rows["a"]["text"] == "Fast now" and rows["a"]["version"] == "2.3" and len(rows) == 3


def test_reviews_without_ids_get_the_same_one_each_time(project):
    text = "locale,stars,text,date\nen-US,5,Good kiln,2026-01-02\nen-US,4,Good kiln,2026-01-03\n"
    opened, done = taken(project, text)
    write_merged(opened, merged_reviews(opened, done.rows), ORDER)
    assert merged_reviews(opened, done.rows).same == 2 and len({row["id"] for row in rows_of(project)}) == 2
    # What somebody wrote by hand has none, and counts as the same.
    (project / "data/reviews.csv").write_text(text)
    opened, done = taken(project, text, "f.csv", store="")
    assert merged_reviews(opened, done.rows).same == 2


@pytest.mark.parametrize(("text", "message"), [
    ("id,locale,stars,text\na,en-US,7,x\n", "are no stars"), ("id,locale,stars,text\na,klingon!,4,x\n", "is no language"),
    ("id,locale,stars,text,date\na,en-US,4,x,soon\n", "is no day"), ("id,locale,stars,text,store\na,en-US,4,x,maker\n", "isn't a store"),
])  # fmt: skip
def test_cells_that_cannot_be_read_stop_it(project, text, message):
    with pytest.raises(ProjectError, match=message):
        taken(project, text)


def test_columns_that_lack_are_asked_for(project):
    with pytest.raises(UsageError, match="no column looks like locale"):
        taken(project, "id,stars,text\na,4,x\n")
    assert len(taken(project, "id,stars,text\na,4,x\n", locale="en-US")[1].rows) == 1
    with pytest.raises(UsageError, match="no column looks like stars"):
        taken(project, "id,locale,text\na,en-US,x\n")


def test_many_reviews_are_kept_in_parquet_and_read_everywhere(year, project, monkeypatch):
    rows = "".join(
        f"r{n},en-US,{1 + n % 5},The kiln log is number {n % 7},2026-05-{1 + n % 28:02}\n" for n in range(60)
    )
    opened, done = taken(project, "id,locale,stars,text,date\n" + rows)
    write_merged(opened, merged_reviews(opened, done.rows), ORDER)
    plain, mined = review_queue(opened, TODAY, most=99), mine(opened, "en-US").total
    monkeypatch.setattr(table_writing, "MOST_IN_CSV", 10)
    write_merged(opened, merged_reviews(opened, done.rows), ORDER)
    assert (project / REVIEWS.parquet_name).exists() and len(
        (project / "data/reviews.csv").read_text().splitlines()
    ) == 1
    assert review_queue(opened, TODAY, most=99) == plain and mine(opened, "en-US").total == mined
    assert list(read_reviews(opened, columns=("text", "stars")).columns) == ["text", "stars"]


def test_versions_are_sorted_by_their_numbers():
    assert sorted(["2.10", "2.9", "10.0", "", "2.9.1"], key=version_key) == ["", "2.9", "2.9.1", "2.10", "10.0"]


def test_the_commands(year, project, tmp_path):
    book = openpyxl.Workbook()
    for row in (
        ["Key", "Rating", "Comment", "Day"],
        ["x1", 1, "Export fails", "2026-11-02"],
        ["x2", 5, "Lovely", "2026-11-03"],
    ):
        book.active.append(row)
    book.save(tmp_path / "r.xlsx")
    dry = run_tavolan("import", "--as", "reviews", tmp_path / "r.xlsx", "--locale", "en-US", "--dry-run", cwd=project)
    assert "2 reviews would be new" in dry.out and not (project / "data/reviews.csv").exists()
    assert (
        "2 reviews new"
        in run_tavolan("import", "--as", "reviews", tmp_path / "r.xlsx", "--locale", "en-US", cwd=project).out
    )
    assert "low stars" in run_tavolan("reviews", "queue", cwd=project).out
    assert run_tavolan("import", "--as", "reviews", cwd=project).code == 2
    themes = run_tavolan("reviews", "themes", "--why", "--figure", tmp_path / "t.png", cwd=year)
    assert themes.code == 0 and "kiln connection" in themes.out and "no target phrase yet" in themes.out
    assert (tmp_path / "t.png").read_bytes().startswith(b"\x89PNG")
    empty = run_tavolan("reviews", "themes", "--locale", "ar-SA", cwd=project)
    assert empty.code == 0 and "No phrase" in empty.out
    assert math.isnan(review_queue(tavolan.open_project(project), TODAY).wait)


def test_a_review_that_looks_like_a_formula_is_kept_and_no_spreadsheet_runs_it(project):
    texts = ["=HYPERLINK(1)", "+1 for cones", "'=x", "-slow", "@all fine", "'quoted'"]
    rows = "".join(f'{n},en-US,4,"{text}"\n' for n, text in enumerate(texts))
    opened, done = taken(project, "id,locale,stars,text\n" + rows)
    write_merged(opened, merged_reviews(opened, done.rows), ORDER)
    assert all(row["text"][0] not in "=+-@" for row in rows_of(project))
    assert sorted(read_reviews(opened)["text"]) == sorted(texts)
    assert merged_reviews(opened, done.rows).same == len(texts)
    # Read row by row, as where the file isn't plain, it's the same.
    path = project / "data/reviews.csv"
    path.write_text(path.read_text("utf-8").replace(",", ";"), "utf-8")
    assert sorted(read_reviews(opened)["text"]) == sorted(texts)


JAPANESE = {
    1: [
        "接続がすぐ切れてしまいます。",
        "窯との接続がすぐ切れてしまいます",
        "毎日落ちるので使えない",
        "接続がすぐ切れてしまいます。広告が多すぎる",
        "広告が多すぎる",
    ],
    5: [
        "釉薬のレシピがとても便利です",
        "釉薬のレシピが便利で、毎日使っています",
        "温度の記録が簡単です",
        "温度の記録も簡単で助かる",
        "焼成の曲線が見やすい",
    ],
}


def test_japanese_themes_are_words_not_cut_strings(project):
    rows = [("ja", stars, text) for stars, texts in JAPANESE.items() for text in texts for _ in range(8)]
    (project / "data").mkdir(exist_ok=True)
    with (project / "data/reviews.csv").open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows([("locale", "stars", "text"), *rows])
    found = themes_of(tavolan.open_project(project), "ja")
    complaints = {phrase for theme in found.of("complaint") for phrase in (theme.phrase, *theme.also)}
    praise = {phrase for theme in found.of("praise") for phrase in (theme.phrase, *theme.also)}
    assert {"接続がすぐ", "すぐ切れてしまいます", "広告が多すぎる"} <= complaints and "釉薬のレシピ" in praise
    # No word is cut within, and none begins or ends with a particle.
    cut = {"切", "れてしまいます", "落", "ちるので", "接続が", "が多すぎる", "多", "見", "のレシピ"}
    assert not cut & (complaints | praise), cut & (complaints | praise)


@pytest.mark.parametrize(("tag", "low", "high", "phrase"), [
    ("zh-Hans", "连接总是断开", "釉料配方很好用", "断开"), ("th", "แอปเด้งออกบ่อยมาก", "บันทึกเตาเผาสะดวกดี", "เด้งออก"),
])  # fmt: skip
def test_themes_are_parts_of_sentences_without_spaces(project, tag, low, high, phrase):
    rows = [
        (tag, stars, f"{before}{text}")
        for stars, text in ((1, low), (5, high))
        for before in ("", "!", "1 ")
        for _ in range(8)
    ]
    (project / "data").mkdir(exist_ok=True)
    with (project / "data/reviews.csv").open("w", encoding="utf-8", newline="") as file:
        csv.writer(file).writerows([("locale", "stars", "text"), *rows])
    found = themes_of(tavolan.open_project(project), tag)
    said = {name for theme in found.of("complaint") for name in (theme.phrase, *theme.also)}
    assert any(phrase in name for name in said) and low not in said
