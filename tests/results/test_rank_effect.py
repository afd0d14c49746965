"""What changes did to ranks: planted truths, SciPy's t-test, and words that came and are gone."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

import tavolan
from conftest import run_tavolan
from tavolan.results.effect import Question, change_at, effect_of
from tavolan.results.figures import Figures
from tavolan.results.rank_effect import BEYOND, RankShift, rank_effect
from tavolan.sample.year import SUBTITLE_CHANGE, TITLE_CHANGE
from tavolan.sample.year_ranks import TITLE_GAIN, TITLE_PHRASES
from tavolan.words.changed_words import changed_words, forms_of, holds_any
from tavolan.words.split import language_matching

RANK = st.one_of(st.floats(1, 300), st.just(math.inf))


@given(st.lists(st.tuples(RANK, RANK), min_size=1, max_size=8), st.lists(st.tuples(RANK, RANK), max_size=12))
def test_the_interval_is_that_of_a_t_test_with_a_common_variance(touched, others):
    shifts = [RankShift("US", f"kiln {n}", *pair) for n, pair in enumerate(touched)]
    shifts += [RankShift("US", f"clay {n}", *pair) for n, pair in enumerate(others)]
    found = rank_effect(shifts, lambda shift: shift.phrase.startswith("kiln"))
    gains = [[math.log(min(b, BEYOND) / min(a, BEYOND)) for b, a in pairs] for pairs in (touched, others)]
    if not others or len(touched) + len(others) < 3 or max(map(np.std, gains)) < 1e-12:
        assert math.isnan(found.ratio.value) and found.verdict == "unknown"
        return
    assert found.ratio.value == pytest.approx(math.exp(np.mean(gains[0]) - np.mean(gains[1])))
    if min(map(len, gains)) > 1 and min(map(np.std, gains)) > 1e-6:
        bounds = stats.ttest_ind(*gains).confidence_interval(0.95)
        assert found.ratio[1:] == pytest.approx((math.exp(bounds.low), math.exp(bounds.high)))


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
