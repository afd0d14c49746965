"""Bounds, sizes and verdicts: published values, statsmodels and SciPy, and simulated experiments."""

import math
import runpy
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.proportion import samplesize_proportions_2indep_onetail

from tavolan.experiments.sequential import USED, bounds, crossing, inflation, spent
from tavolan.experiments.sizes import MOST_DAYS, fixed_size, planned_size
from tavolan.experiments.verdicts import CONTROL, Count, judge, ratio_of, split_chance


def test_bounds_are_those_that_were_published():
    # D. L. DeMets, K. K. G. Lan, Statistics in Medicine 13 (1994): five looks, two-sided 0.05.
    assert bounds([0.2, 0.4, 0.6, 0.8, 1], 0.05) == pytest.approx([4.8769, 3.3569, 2.6803, 2.2898, 2.0310], abs=2e-4)
    assert bounds([1], 0.05) == pytest.approx([stats.norm.isf(0.025)], abs=1e-5)
    assert spent(1, 0.05) == pytest.approx(0.05) and spent(0, 0.05) == 0


@given(st.lists(st.integers(1, 40), min_size=1, max_size=25, unique=True), st.sampled_from([0.05, 0.025, 0.01]))
def test_whatever_the_looks_the_error_rate_is_spent_and_no_more(places, error):
    times = [place / max(places) for place in sorted(places)]
    limits = bounds(times, error)
    assert 2 * crossing(times, limits, 0.0) == pytest.approx(error, rel=0.02)


def test_a_design_with_daily_looks_reaches_its_power():
    for looks in (1, 7, 28):
        times = [(look + 1) / looks for look in range(looks)]
        drift = (stats.norm.isf(0.025) + stats.norm.ppf(0.8)) * math.sqrt(inflation(looks, 0.05, 0.8))
        assert crossing(times, bounds(times, USED * 0.05), drift) == pytest.approx(0.8, abs=1e-4)
    once = ((stats.norm.isf(USED * 0.025) + stats.norm.ppf(0.8)) / (stats.norm.isf(0.025) + stats.norm.ppf(0.8))) ** 2
    assert inflation(1, 0.05, 0.8) == pytest.approx(once, abs=1e-4) and once < inflation(28, 0.05, 0.8) < 1.1


@pytest.mark.parametrize("times", [[], [0.5, 0.5], [0, 1], [0.5, 1.1]])
def test_times_that_are_none_are_refused(times):
    with pytest.raises(ValueError, match="times"):
        bounds(times, 0.05)


@given(
    st.floats(0.01, 0.6),
    st.one_of(st.floats(0.02, 0.5), st.floats(-0.5, -0.02)),
    st.floats(0.01, 0.2),
    st.floats(0.6, 0.95),
)
def test_sizes_equal_statsmodels_for_one_look(rate, effect, error, power):
    expected = samplesize_proportions_2indep_onetail(rate * effect, rate, power, alpha=error, alternative="two-sided")
    assert fixed_size(rate, effect, error, power) == pytest.approx(float(expected))


def test_an_experiment_that_cannot_end_says_what_could_be_seen():
    size = planned_size(0.1, 0.02, 400, 1)
    assert size.days is None
    again = planned_size(0.1, size.smallest * 1.001, 400, 1)
    assert again.days is not None and again.days <= MOST_DAYS and again.days % 7 == 0
    assert again.visitors * 2 <= 400 * again.days * 1.01
    assert planned_size(0.1, 0.02, 0, 1).days is None
    with pytest.raises(ValueError, match="share"):
        planned_size(0.6, 0.9, 100, 1)


@given(st.lists(st.integers(0, 10_000), min_size=2, max_size=5).filter(sum))
def test_the_split_check_is_a_chi_square_test(totals):
    assert split_chance(totals) == pytest.approx(stats.chisquare(totals).pvalue)


def days(*counts):
    return [{CONTROL: Count(*control), "b": Count(*variant)} for control, variant in counts]


def test_the_ratio_is_katz_interval():
    found = ratio_of(Count(1000, 130), Count(1000, 100), stats.norm.isf(0.025))
    reference = stats.contingency.relative_risk(130, 1000, 100, 1000)
    bounds_ = reference.confidence_interval(0.95)
    assert found == pytest.approx((1.3, bounds_.low, bounds_.high), rel=1e-6)


def test_each_verdict():
    clear = judge(days(*[((500, 100), (500, 140))] * 10), ["b"], 5000, 0.05)
    assert clear.judgements[0].outcome == "better" and 0 < clear.judgements[0].decided < 10
    assert judge(days(*[((500, 100), (500, 70))] * 10), ["b"], 5000, 0.05).judgements[0].outcome == "worse"
    alike = judge(days(*[((50_000, 10_000), (50_000, 10_010))] * 10), ["b"], 500_000, 0.05)
    assert alike.judgements[0].outcome == "none"
    early = judge(days(((500, 100), (500, 140))), ["b"], 5000, 0.05)
    assert early.judgements[0].outcome == "unknown" and early.progress == pytest.approx(0.1)
    uneven = judge(days(((500, 100), (620, 120))), ["b"], 5000, 0.05)
    assert uneven.is_split_wrong
    with pytest.raises(ValueError, match="variant"):
        judge([], [], 5000, 0.05)
    assert judge([], ["b"], 5000, 0.05).judgements[0].outcome == "unknown"


def test_after_the_planned_visitors_nothing_is_judged_any_more():
    still = [((500, 100), (500, 101))] * 10
    late = judge(days(*still, *[((500, 50), (500, 250))] * 20), ["b"], 5000, 0.02)
    assert late.judgements[0].outcome == "unknown" and late.judgements[0].visitors == 5000


def test_daily_looks_spoil_nothing():
    measured = runpy.run_path(str(Path(__file__).parents[2] / "bench/experiments.py"))["measured"]
    kind = (0.24, 0.2, 600, 1)
    false_alarms, held = measured(kind, 0.0, 200, 5)
    found, held_too = measured(kind, 0.2, 200, 6)
    # Three standard errors of 200 runs.
    assert false_alarms <= 0.05 + 3 * math.sqrt(0.05 * 0.95 / 200) and found >= 0.8 - 3 * math.sqrt(0.16 / 200)
    assert min(held, held_too) >= 0.95 - 3 * math.sqrt(0.05 * 0.95 / 200)
    assert np.isfinite([found, held]).all()
