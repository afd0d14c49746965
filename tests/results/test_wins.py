"""The next wins: those of the file in their order, and moves that do what they say."""

import shlex
import shutil

import pytest

import tavolan
from conftest import run_tavolan
from tavolan.errors import UsageError
from tavolan.languages.tags import language_of
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import Texts
from tavolan.results.figures import Figures
from tavolan.results.scope import Scope
from tavolan.results.wins import next_wins
from tavolan.words.coverage import cover
from tavolan.words.known_ranks import known_ranks
from tavolan.words.score import fit, score
from tavolan.words.value import Valuer


def test_wins_are_the_targets_of_rank_11_to_30_by_value_and_reach(year):
    kilnary = tavolan.open_project(year)
    found = next_wins(Figures(kilnary), Scope(("ios",)), most=100)
    ranks = known_ranks(kilnary)
    near = [a for a in cover(kilnary, ["ios"]) if 11 <= ranks.get((a.phrase, a.storefront, "ios"), (0,))[0] <= 30]
    assert {(one.answer.storefront, one.answer.phrase) for one in found.best} == {
        (a.storefront, a.phrase) for a in near
    }
    assert found.in_all == len(near) > 10
    scores = [one.score for one in found.best]
    assert scores == sorted(scores, reverse=True)
    reach = fit(kilnary, "en-US", score(kilnary, ["en-US"], Valuer(kilnary).difficulties.today)).reach
    assert all(one.reach == reach[one.answer.phrase] for one in found.best if one.answer.storefront == "US")


def moves_of(kilnary):
    return [one.move for one in next_wins(Figures(kilnary), Scope(), most=60).best if one.move]


def test_what_people_read_is_never_written_and_a_word_stays_in_its_language(year):
    kilnary = tavolan.open_project(year)
    moves = moves_of(kilnary)
    kinds = {move.kind for move in moves}
    assert {"list", "place"} <= kinds
    for win in next_wins(Figures(kilnary), Scope(), most=60).best:
        if not win.move:
            continue
        assert language_of(win.answer.terms_locale) == language_of(win.move.locale)
        role = kilnary.stores[win.answer.store].rulebook.fields[win.move.field].role
        assert (win.move.kind == "list") == (role == "keywords")
        if win.move.kind == "place":
            assert " ".join(win.move.words) in win.move.sentence and win.move.command.endswith('"…"')
            # Words that hold a sentence together, and the app's name, stay.
            assert win.move.instead_of.lower() not in {"for", "and", "für", "und", "kilnary"}


def test_a_move_takes_an_alternate_that_a_person_wrote(year, tmp_path):
    root = shutil.copytree(year, tmp_path / "kilnary", ignore=shutil.ignore_patterns("metrics.csv"))
    path = root / "copy/en-US.toml"
    path.write_text(
        path.read_text("utf-8").replace("Kilnary: Pottery Kiln Log", "Kilnary: Kiln Log, Cone Chart"), "utf-8"
    )
    kilnary = tavolan.open_project(root)
    moves = next_wins(Figures(kilnary), Scope(("ios",), ("US",)), most=60).best
    move = next(one.move for one in moves if one.answer.phrase == "cone chart")
    assert move.kind == "alternate" and move.command == "tavolan copy set en-US title --alternate 1"
    assert run_tavolan(*move.command.split()[1:], cwd=root).code == 0
    (now,) = [a for a in cover(tavolan.open_project(root), ["ios"], ["US"]) if a.phrase == "cone chart"]
    assert now.tier == move.tier == "title-phrase"


def test_the_command_of_a_move_into_a_list_writes_it(year, tmp_path):
    root = shutil.copytree(year, tmp_path / "kilnary", ignore=shutil.ignore_patterns("metrics.csv"))
    move = next(one for one in moves_of(tavolan.open_project(root)) if one.kind == "list")
    assert run_tavolan(*shlex.split(move.command)[1:], cwd=root).code == 0
    change = move.texts[0]
    assert Texts(tavolan.open_project(root)).shown(change.locale, change.address)[0] == change.after


@pytest.mark.parametrize("storefront", ["US", "DE", "JP"])
def test_a_move_gains_what_it_says_once_its_texts_are_written(year, tmp_path, storefront):
    root = shutil.copytree(year, tmp_path / "kilnary", ignore=shutil.ignore_patterns("metrics.csv"))
    kilnary = tavolan.open_project(root)
    win = next(one for one in next_wins(Figures(kilnary), Scope(("ios",), (storefront,))).best if one.move)
    name = kilnary.app.name
    assert all(name in change.after for change in win.move.texts if change.address == "title")
    TextWriter(Texts(kilnary)).write(list(win.move.texts))
    after = tavolan.open_project(root)
    gain = sum(a.value for a in cover(after, ["ios"])) - sum(a.value for a in cover(kilnary, ["ios"]))
    assert gain == pytest.approx(win.move.gain)
    (now,) = [a for a in cover(after, ["ios"], [storefront]) if a.phrase == win.answer.phrase]
    assert now.tier == win.move.tier


def test_the_command(year, tmp_path):
    said = run_tavolan("results", "ranks", "--to-win", "--top", "3", "--why", "--figure", tmp_path / "w.svg", cwd=year)
    assert said.code == 0 and "3 phrases of" in said.out and "Order: value × reach" in said.out
    assert b"<svg" in (tmp_path / "w.svg").read_bytes()


def test_without_ranks_it_says_what_to_do(project):
    with pytest.raises(UsageError, match="no ranks of ours"):
        next_wins(Figures(tavolan.open_project(project)), Scope(("ios",)))
