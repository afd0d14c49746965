"""What the listing's changes are worth, worked out by hand."""

import csv
import math
import shutil

import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.project.journal import add_lines, line_of, read_journal
from tavolan.results.effect import Question, change_at, effect_of
from tavolan.results.figures import Figures
from tavolan.results.scope import Scope
from tavolan.results.worth import listing_worth
from tavolan.sample.year import CAMPAIGN, SUBTITLE_CHANGE, TITLE_CHANGE


def test_it_is_the_effects_of_the_listings_changes_times_their_value(year):
    kilnary = tavolan.open_project(year)
    found = listing_worth(Figures(kilnary), Scope(), 100, 0.5)
    figures = Figures(kilnary)
    won = []
    for day in (TITLE_CHANGE, SUBTITLE_CHANGE):
        effect = effect_of(figures, change_at(figures, day, "ios"), Question()).found
        won.append([effect.rate_after * 30.44 * (1 - 1 / ratio) for ratio in effect.ratio])
    (a, a_low, a_high), (b, b_low, b_high) = won
    expected = (a + b, a + b - math.hypot(a - a_low, b - b_low), a + b + math.hypot(a_high - a, b_high - b))
    # The update was written down by hand: it's no change of the listing.
    assert found.won == pytest.approx(expected) and len(found.changes) == 2
    assert found.value == pytest.approx([0.5 * one for one in expected])
    assert found.gain == pytest.approx([0.5 * one - 100 for one in expected]) and found.break_even == 200
    assert found.profit_share.value == pytest.approx(found.gain.value / 100)
    assert listing_worth(Figures(kilnary), Scope(), 0, 0.5, [TITLE_CHANGE]).won == pytest.approx((a, a_low, a_high))


def test_an_installs_value_and_price_are_those_of_the_files(year):
    found = listing_worth(Figures(tavolan.open_project(year)), Scope(), 100)
    with (year / "data/metrics.csv").open(encoding="utf-8", newline="") as file:
        rows = list(csv.DictReader(file))
    installs, revenue = (sum(float(row[name]) for row in rows) for name in ("installs", "revenue"))
    assert found.install_value == pytest.approx(revenue / installs)
    paid = [row for row in rows if (row["source"], row["storefront"], row["store"]) == ("paid", "US", "ios")]
    first, last = map(str, CAMPAIGN)
    during = sum(float(row["installs"]) for row in paid if first <= row["date"] <= last)
    before = [float(row["installs"]) for row in paid if row["date"] < first][-28:]
    assert found.paid.installs == pytest.approx(during - 14 * sum(before) / 28)
    assert found.paid.price == pytest.approx(1400 / found.paid.installs)


def test_the_command_says_whether_it_pays(year, tmp_path):
    pays = run_tavolan("results", "worth", "--cost", "5", "--figure", tmp_path / "w.png", cwd=year)
    assert pays.code == 0 and "It pays" in pays.out and "A paid install cost" in pays.out
    assert "Can't tell whether it pays" in run_tavolan("results", "worth", "--cost", "250", cwd=year).out
    assert "It doesn't pay" in run_tavolan("results", "worth", "--cost", "900", "--why", cwd=year).out
    assert run_tavolan("results", "worth", "--cost", "-1", cwd=year).code == 2
    with pytest.raises(UsageError, match="no such change"):
        listing_worth(Figures(tavolan.open_project(year)), Scope(), 1, 1, [CAMPAIGN[0]])


def test_what_no_change_shows_is_unknown_and_not_a_loss(year, tmp_path):
    root = tmp_path / "kilnary"
    shutil.copytree(year, root)
    add_lines(root, [line_of("ios", "en-US", "title", "2.4", "A", "B", "project", "", "2026-11-25T09:00:00Z")])
    lines = [line for line in read_journal(root) if line.date > "2026-11"]
    (root / "journal.csv").unlink()
    add_lines(root, lines)
    done = run_tavolan("results", "worth", "--cost", "30", cwd=root)
    assert done.code == 0 and "Can't tell what was won" in done.out and "-30" not in done.out
    document = run_tavolan("results", "worth", "--cost", "30", "--json", cwd=root).json
    assert {value for part in ("won", "value", "gain", "profit_share") for value in document[part].values()} == {None}
    chart = run_tavolan("results", "worth", "--cost", "30", "--figure", tmp_path / "w.png", cwd=root)
    assert chart.code == 2 and "could be measured" in " ".join(chart.err.split()) and not (tmp_path / "w.png").exists()
    # A change that somebody wrote down by hand counts as one that was pushed; a note of something else doesn't.
    add_lines(root, [line_of("ios", "en-US", "subtitle", "2.1", "A", "B", "hand", "", "2026-06-16T09:00:00Z")])
    add_lines(root, [line_of("ios", "", "", "2.1", None, None, "hand", "an interview", "2026-05-16T09:00:00Z")])
    found = listing_worth(Figures(tavolan.open_project(root)), Scope(), 30)
    assert [str(one.effect.change.day) for one in found.changes] == ["2026-06-16", "2026-11-25"]
    assert found.measured == 1 and not math.isnan(found.won.value)
    assert "by 1 of 2 changes" in run_tavolan("results", "worth", "--cost", "30", cwd=root).out


def test_all_changes_together_never_won_more_than_the_storefronts_have(year, tmp_path):
    root = tmp_path / "kilnary"
    shutil.copytree(year, root)
    rows = (root / "data/metrics.csv").read_text("utf-8").splitlines()
    # What the title won is gone since: the last months have a twentieth of the installs.
    kept = [
        ",".join([*cells[:6], str(int(cells[6]) // 20), cells[7]])
        if cells[0] > "2026-09" and cells[0][0] == "2"
        else line
        for line in rows
        for cells in [line.split(",")]
    ]
    (root / "data/metrics.csv").write_text("\n".join(kept) + "\n", "utf-8")
    figures = Figures(tavolan.open_project(root))
    found = listing_worth(figures, Scope(), 0, 1.0)
    recent = [row.split(",") for row in kept if row[:10] > "2026-10-28" and row[0] == "2"]
    own = [int(row[6]) for row in recent if row[1] == "ios" and row[2] in ("US", "DE") and row[3] == "search"]
    assert found.won.high == pytest.approx(sum(own) / 28 * 30.44)


def test_two_changes_that_nothing_can_tell_apart_are_counted_once(year, tmp_path):
    root = tmp_path / "kilnary"
    shutil.copytree(year, root)
    day = f"{TITLE_CHANGE.replace(day=12)}T09:00:00Z"
    add_lines(root, [line_of("ios", "en-US", "subtitle", "2.1", "A", "B", "project", "", day)])
    found = listing_worth(Figures(tavolan.open_project(root)), Scope(), 0, 1.0)
    assert [one.effect.change.days for one in found.changes] == ["2026-03-10 to 2026-03-12", "2026-06-16"]
    assert found.changes[0].effect.change.words == "en-US title, en-US subtitle"
    # Its own parts are no other cause.
    assert not any(
        suspect.startswith("2026-03-1") and "en-US" in suspect for suspect in found.changes[0].effect.suspects
    )
    shown = run_tavolan("results", "effect", "2026-03-11", "--store", "ios", cwd=root)
    assert shown.code == 0 and "2026-03-10 to 2026-03-12" in shown.out


def test_a_first_hand_over_has_a_name_that_a_person_would_give(year, tmp_path):
    root = tmp_path / "kilnary"
    shutil.copytree(year, root)
    (root / "journal.csv").unlink()
    fields = ("title", "subtitle", "keywords", "description")
    add_lines(
        root,
        [
            line_of("ios", locale, field, "1.0", None, "A", "project", "", "2026-05-05T09:00:00Z")
            for locale in ("en-US", "de-DE", "fr-FR")
            for field in fields
        ],
    )
    (change,) = Figures(tavolan.open_project(root)).joined_changes
    assert change.words == "first hand-over: 3 languages"
    listed = run_tavolan("results", "effect", cwd=root)
    assert listed.code == 0 and "first hand-over: 3" in listed.out and len(listed.out.splitlines()) < 12
    chart = run_tavolan("results", "effect", "2026-05-05", "--figure", tmp_path / "first.png", cwd=root)
    assert chart.code == 0 and (tmp_path / "first.png").read_bytes()
    lines = read_journal(root)
    (root / "journal.csv").unlink()
    add_lines(
        root, [line_of(*(one.store, one.locale, one.field, "1.1", "A", "B", "project", "", one.date)) for one in lines]
    )
    (changed,) = Figures(tavolan.open_project(root)).joined_changes
    assert changed.words == "title, subtitle, keywords and 1 more in 3 languages"
