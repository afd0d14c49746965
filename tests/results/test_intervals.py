"""Intervals against other packages, and by what they promise."""

import doctest
import math
from pathlib import Path

import pytest
from scipy import stats
from statsmodels.stats.proportion import proportion_confint

from tavolan.results.intervals import count_ratio, wilson


@pytest.mark.parametrize(("hits", "tries"), [(0, 9), (9, 9), (3, 10), (697, 3189), (1, 1), (0, 1)])
def test_a_share_has_the_score_interval(hits, tries):
    found = wilson(hits, tries)
    assert (found.low, found.high) == pytest.approx(proportion_confint(hits, tries, method="wilson"), abs=1e-12)
    assert found.value == hits / tries


def test_shares_of_nothing_and_of_less_than_nothing():
    assert math.isnan(wilson(0, 0).value)
    for hits, tries in ((3, 2), (-1, 2)):
        with pytest.raises(ValueError, match="is no share"):
            wilson(hits, tries)


@pytest.mark.parametrize(("before", "days_before", "after", "days_after"), [(4, 42, 19, 21), (0, 7, 3, 7), (5, 10, 0, 4), (120, 30, 90, 30)])  # fmt: skip
def test_the_exact_interval_is_that_of_the_binomial(before, days_before, after, days_after):
    found = count_ratio(before, days_before, after, days_after, mid_p=False)
    low, high = stats.binomtest(after, before + after).proportion_ci(method="exact")
    scale = days_before / days_after
    assert found.low == pytest.approx(scale * low / (1 - low))
    assert found.high == (math.inf if high == 1 else pytest.approx(scale * high / (1 - high)))
    mid = count_ratio(before, days_before, after, days_after)
    assert found.low <= mid.low <= mid.high <= found.high


def test_four_installs_in_six_weeks_and_nineteen_in_three():
    # People call it a thousand percent: nobody knows whether it's three or thirty times as many.
    found = count_ratio(4, 42, 19, 21)
    assert found.value == pytest.approx(9.5) and 3.4 < found.low < 3.5 and 32 < found.high < 33


def test_mid_p_bounds_are_where_half_of_what_was_seen_counts():
    found = count_ratio(7, 14, 12, 14)
    for bound, upper in ((found.low, False), (found.high, True)):
        share = bound / (1 + bound)
        half = 0.5 * stats.binom.pmf(12, 19, share)
        tail = stats.binom.cdf(11, 19, share) if upper else stats.binom.sf(12, 19, share)
        assert tail + half == pytest.approx(0.025, abs=1e-9)


def test_counts_without_an_event_say_nothing():
    found = count_ratio(0, 10, 0, 10)
    assert math.isnan(found.value) and (found.low, found.high) == (0.0, math.inf)
    with pytest.raises(ValueError, match="windows not empty"):
        count_ratio(1, 0, 1, 5)


@pytest.mark.parametrize(("page", "least"), [("results.md", 9), ("experiments.md", 4)])
def test_the_examples_of_the_docs_are_right(page, least):
    failed, tried = doctest.testfile(str(Path(__file__).parents[2] / "docs" / page), module_relative=False)
    assert tried >= least and not failed
