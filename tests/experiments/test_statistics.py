"""Bounds, sizes and verdicts: published values, statsmodels and SciPy, and simulated experiments."""

import math
import runpy
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.proportion import samplesize_proportions_2indep_onetail

from tavolan.experiments.sequential import USED, bounds, crossing, inflation, spent
from tavolan.experiments.sizes import LEAST_DAYS, MOST_DAYS, Aim, fixed_size, none_size, planned_size
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
    size = planned_size(0.1, 400, 1, Aim(0.02, 0.01))
    assert size.days is None
    again = planned_size(0.1, 400, 1, Aim(size.smallest * 1.001, 0.01))
    assert again.days is not None and again.days <= MOST_DAYS and again.days % 7 == 0
    assert again.visitors * 2 <= 400 * again.days * 1.01
    nobody = planned_size(0.1, 0, 1, Aim(0.02, 0.01))
    assert nobody.days is None and math.isnan(nobody.smallest_margin)
    with pytest.raises(ValueError, match="share"):
        planned_size(0.6, 100, 1, Aim(0.9, 0.1))


def test_what_shows_no_difference_is_planned_where_it_is_asked_for():
    aim = Aim(0.1, 0.05)
    plain, asked = planned_size(0.24, 1200, 1, aim), planned_size(0.24, 1200, 1, replace(aim, no_difference=True))
    assert plain.for_none == asked.for_none > 4 * plain.fixed and asked.visitors == asked.for_none
    assert plain.days == LEAST_DAYS and asked.days > plain.days and asked.days % 7 == 0
    # The interval of the last look, and a margin that as many visitors show.
    assert none_size(0.24, asked.smallest_margin, 0.05, 0.8) == pytest.approx(1200 * 84 / 2)
    assert planned_size(0.24, 120, 1, replace(aim, no_difference=True)).days is None


def test_two_weeks_are_the_least_and_all_who_come_then_count():
    size = planned_size(0.24, 20_000, 1, Aim(0.1, 0.05))
    assert size.days == LEAST_DAYS and size.visitors == 20_000 * LEAST_DAYS / 2
    assert size.fixed < size.needed < 1.1 * size.fixed < size.visitors


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
    clear = judge(days(*[((500, 100), (500, 140))] * 20), ["b"], 10_000, 0.05)
    assert clear.judgements[0].outcome == "better" and 14 <= clear.judgements[0].decided < 20
    assert clear.judgements[0].fading.lasts and not clear.judgements[0].fading.faded
    worse = judge(days(*[((500, 100), (500, 70))] * 10), ["b"], 5000, 0.05).judgements[0]
    assert worse.outcome == "worse" and worse.decided < 10
    alike = judge(days(*[((50_000, 10_000), (50_000, 10_010))] * 10), ["b"], 500_000, 0.05)
    assert alike.judgements[0].outcome == "none"
    early = judge(days(((500, 100), (500, 140))), ["b"], 5000, 0.05)
    assert early.judgements[0].outcome == "unknown" and early.progress == pytest.approx(0.1)
    with pytest.raises(ValueError, match="variant"):
        judge([], [], 5000, 0.05)
    assert judge([], ["b"], 5000, 0.05).judgements[0].outcome == "unknown"


def test_a_split_is_wrong_or_doubtful():
    wrong = judge(days(((500, 100), (620, 120))), ["b"], 5000, 0.05)
    assert wrong.is_split_wrong and not wrong.is_split_doubtful
    doubtful = judge(days(((9800, 1960), (10_200, 2040))), ["b"], 50_000, 0.05)
    assert doubtful.is_split_doubtful and doubtful.split == {CONTROL: 0.49, "b": 0.51}
    usual = judge(days(((980, 196), (1020, 204))), ["b"], 50_000, 0.05)
    assert not usual.is_split_wrong and not usual.is_split_doubtful


def test_days_that_scatter_beyond_chance_widen_the_interval():
    calm = judge(days(*[((2000, 480), (2000, 530))] * 20), ["b"], 40_000, 0.05).judgements[0]
    restless = [(400, 640), (560, 400), (460, 590), (500, 490)] * 5
    jumping = judge(days(*[((2000, c), (2000, b)) for c, b in restless]), ["b"], 40_000, 0.05).judgements[0]
    assert calm.outcome == "better" and not calm.is_scatter_shown
    assert jumping.ratio.value == pytest.approx(calm.ratio.value) and jumping.ratio.low < 1
    assert jumping.outcome == "unknown" and jumping.is_scatter_shown and jumping.scatter > 0.1


def test_what_was_only_new_is_no_effect_yet():
    new = [((1500, 360), (1500, 480))] * 6 + [((1500, 360), (1500, 362))] * 15
    found = judge(days(*new), ["b"], 31_500, 0.05).judgements[0]
    assert found.ratio.low > 1 and found.outcome == "unknown" and found.decided == 0
    assert found.fading.faded and found.fading.days in (5, 7) and found.fading.since.low < 1 < found.fading.since.high


def test_what_got_worse_after_good_first_days_is_worse():
    turned = [((1500, 360), (1500, 400))] * 4 + [((1500, 360), (1500, 280))] * 17
    found = judge(days(*turned), ["b"], 31_500, 0.05).judgements[0]
    assert found.outcome == "worse" and found.fading.lasts and not found.fading.faded


def test_after_the_planned_visitors_nothing_is_judged_any_more():
    still = [((500, 100), (500, 101))] * 10
    late = judge(days(*still, *[((500, 50), (500, 250))] * 20), ["b"], 5000, 0.02)
    assert late.judgements[0].outcome == "unknown" and late.judgements[0].visitors == 5000


@pytest.mark.parametrize(("scatter", "power"), [(0.0, 0.8), (0.1, 0.5)])
def test_daily_looks_and_restless_days_spoil_nothing(scatter, power):
    bench = runpy.run_path(str(Path(__file__).parents[2] / "bench/experiments.py"))
    kind, runs = bench["Kind"](0.24, 0.2, 500, scatter=scatter), 60
    without, with_it = bench["verdicts"](kind, 0.0, runs, 5), bench["verdicts"](kind, 0.2, runs, 6)
    new_only = bench["verdicts"](kind, 0.3, runs, 7, fades=5)
    # Three standard errors of so many runs.
    few = 3 * math.sqrt(0.05 * 0.95 / runs)
    assert bench["called"](without, "better", "worse") <= 0.05 + few
    assert min(bench["held"](without, 0.0), bench["held"](with_it, 0.2)) >= 0.95 - few
    assert bench["each_called"](with_it, "better") >= power - 3 * math.sqrt(power * (1 - power) / runs)
    assert bench["unwarned"](new_only) <= 0.1 + few
