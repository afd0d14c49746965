"""What changes did to ranks: planted truths, restless phrases, shared shocks, and words that came and are gone."""

import math
from datetime import date, timedelta

import numpy as np
import pandas as pd

import tavolan
from conftest import run_tavolan
from tavolan.reports.resultstables import rank_effect_words
from tavolan.results.effect import Question, change_at, effect_of
from tavolan.results.figures import Figures
from tavolan.results.periods import Period
from tavolan.results.rank_effect import rank_effect
from tavolan.sample.year import SUBTITLE_CHANGE, TITLE_CHANGE
from tavolan.sample.year_ranks import TITLE_GAIN, TITLE_PHRASES
from tavolan.words.changed_words import changed_words, forms_of, holds_any
from tavolan.words.split import language_matching

SIDE = 42
FIRST = date(2026, 3, 1)
BEFORE = Period(FIRST, FIRST + timedelta(days=SIDE - 1))
AFTER = Period(FIRST + timedelta(days=SIDE), FIRST + timedelta(days=2 * SIDE - 1))


def ranked(courses, every=7, depth=200):
    """Return ranks of phrases, each a function of the day from 0 to 83; a rank deeper than `depth` isn't found."""
    rows = [
        (
            FIRST.toordinal() + day,
            "US",
            phrase,
            rank if (rank := max(1, round(course(day)))) <= depth else math.inf,
            depth,
        )
        for phrase, course in courses.items()
        for day in range(0, 2 * SIDE, every)
    ]
    return pd.DataFrame(rows, columns=["date", "storefront", "phrase", "rank", "depth"])


def measured(courses, **how):
    return rank_effect(ranked(courses, **how), BEFORE, AFTER, lambda shift: shift.phrase.startswith("kiln"))


def restless(dice, middle, size):
    steps = dice.normal(0, size, 2 * SIDE)
    return lambda day: middle * math.exp(steps[day])


def test_what_moves_all_phrases_alike_is_not_the_changes():
    dice = np.random.default_rng(1)
    wave = dice.normal(0, 0.4, 2 * SIDE)
    own = {name: dice.normal(0, 0.05, 2 * SIDE) for name in ("kiln log", "kiln app", "raku", "clay", "glaze")}

    def course(name):
        return lambda day: 40 * math.exp(wave[day] + own[name][day]) / (2 if day >= SIDE and "kiln" in name else 1)

    found = measured({name: course(name) for name in own})
    assert found.verdict == "up" and found.ratio.low < 2 < found.ratio.high and found.looks == (6, 6)


def test_restless_phrases_and_a_shared_shock_arent_called_an_effect_more_often_than_promised():
    called = 0
    for seed in range(40):
        dice = np.random.default_rng(seed)
        shock = np.repeat(dice.normal(0, 0.25, 12), 7)
        courses = {f"clay {n}": restless(dice, 30, 0.15) for n in range(8)}
        for n in range(4):
            own = dice.normal(0, 0.3, 2 * SIDE)
            courses[f"kiln {n}"] = lambda day, own=own, shock=shock: 30 * math.exp(own[day] + shock[day])
        called += measured(courses).verdict in ("up", "down")
    assert called <= 6


def test_a_fall_just_before_the_change_isnt_credited_to_it():
    dice = np.random.default_rng(3)
    quiet = {f"clay {n}": restless(dice, 30, 0.1) for n in range(6)}
    steps = dice.normal(0, 0.1, 2 * SIDE)

    def fallen(day):
        return 20 * math.exp(steps[day]) * (3 if 33 <= day < SIDE else 1)

    found = measured({**quiet, "kiln log": fallen, "kiln app": fallen}, every=1)
    assert found.verdict != "up"


def test_ranks_are_cut_off_where_looks_end_and_what_is_never_found_is_said():
    dice = np.random.default_rng(4)
    quiet = {f"clay {n}": restless(dice, 30, 0.1) for n in range(6)}
    up = restless(dice, 1.0, 0.1)
    courses = {**quiet, "kiln log": lambda day: (150 if day < SIDE else 25) * up(day) ** 0.2, "kiln app": lambda _: 900}
    found = measured(courses, depth=50, every=2)
    # From below 50 to 25 is known; how far below it was isn't.
    assert found.verdict == "up" and found.ratio.value < 3 and found.unfound == 1
    assert "2 phrases that it touched, 1 of them never found" in rank_effect_words(found)


def test_too_few_looks_and_no_others_are_no_effect():
    few = measured({"kiln log": lambda day: 20 - day / 9, "clay": lambda day: 30 + day % 4}, every=28)
    assert few.verdict == "unknown" and few.why_not == "only 1 day with looks on one side, of 4 that are needed"
    alone = measured({"kiln log": lambda day: 20 + day % 5})
    assert math.isnan(alone.ratio.value) and alone.why_not == "no other phrase to compare with"
    still = measured({"kiln log": lambda _: 20, "clay": lambda _: 30})
    assert still.verdict == "unknown" and "no rank moved" in still.why_not
    assert measured({"clay": lambda _: 30}) is None


def test_the_planted_change_lifted_the_phrases_that_it_touched(year):
    figures = Figures(tavolan.open_project(year))
    title = effect_of(figures, change_at(figures, TITLE_CHANGE, "ios"), Question()).ranks
    assert title.verdict == "up" and {one.phrase for one in title.touched} == {*TITLE_PHRASES, "kiln timer"}
    # One of the five isn't planted: its share of the gain is missing.
    assert title.ratio.low < TITLE_GAIN ** (4 / 5) < title.ratio.high
    subtitle = effect_of(figures, change_at(figures, SUBTITLE_CHANGE, "ios"), Question()).ranks
    assert subtitle.verdict == "unknown" and subtitle.ratio.low < 1 < subtitle.ratio.high
    said = run_tavolan("results", "effect", str(TITLE_CHANGE), "--store", "ios", cwd=year).out
    assert "Better ranks: 5 phrases that it touched" in said and "kiln log 18 → 7 (US)" in said


def test_words_are_compared_as_search_does():
    english, japanese = language_matching("en-US"), language_matching("ja")
    words = changed_words("Kiln log & glazes", "Kilns: the firing log, glaze", english)
    assert words == ((), ("the", "firing"))
    assert holds_any("raku firings", forms_of(words, english), english)
    assert not holds_any("kiln log", forms_of(words, english), english)
    assert not changed_words("a b", "b  A", english)
    kana = changed_words("陶芸の窯", "陶芸の窯レシピ", japanese)
    assert kana.came == ("レシピ",) and holds_any("釉薬レシピ", forms_of(kana, japanese), japanese)
