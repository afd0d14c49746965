"""The step of a series: against statsmodels, with controls, trends of others, odd stretches, and what's withheld."""

import math
from datetime import date

import numpy as np
import pandas as pd
import pytest
from scipy import stats
from statsmodels.regression.linear_model import GLS

from tavolan.results.control_index import common_course, course_of_others
from tavolan.results.noise_shapes import STEP, NoiseShapes
from tavolan.results.placebos import Placebos, placebo_score, score_placebos, widening
from tavolan.results.posterior import Posterior
from tavolan.results.step_columns import StepSettings
from tavolan.results.step_model import DailyCounts, fit_step, fit_values
from tavolan.results.withheld import whole_days

FIRST, SIDE = 739_000, 42
DAYS = np.arange(2 * SIDE)
AFTER = DAYS >= SIDE


def counted(dice, course, mean=60.0):
    return DailyCounts(FIRST + DAYS, dice.poisson(mean * np.exp(course)).astype(float), AFTER)


def remembered(dice, deviation, memory=0.5):
    course = np.zeros(len(DAYS))
    for day in range(1, len(DAYS)):
        course[day] = memory * course[day - 1] + dice.normal(0, deviation * math.sqrt(1 - memory**2))
    return course


def bounds(fit):
    return fit.step.quantile(0.025), fit.step.quantile(0.975)


def test_each_shape_of_the_noise_gives_the_fit_of_statsmodels():
    dice = np.random.default_rng(1)
    design = np.column_stack([np.ones(40), np.arange(40) >= 20, np.arange(40) - 19.5]).astype(float)
    values = design @ [1.0, 0.4, 0.01] + dice.normal(0, 0.2, 40)
    # Some days are missing, and chance isn't the same on all.
    shapes = NoiseShapes(np.cumsum(dice.integers(1, 4, 40)).astype(float), dice.uniform(1e-6, 0.04, 40))
    found = shapes.fits(shapes.products(np.column_stack([design, values])), np.zeros(3))
    for shape in (0, 5, len(shapes.memories) - 1):
        covariance = shapes.covariance(float(shapes.memories[shape]), float(shapes.deviations[shape]))
        reference = GLS(values, design, sigma=covariance).fit()
        error = math.sqrt(reference.normalized_cov_params[STEP, STEP])
        assert found.coefficients[shape] == pytest.approx(reference.params, abs=1e-8)
        assert math.sqrt(found.step_variances[shape]) == pytest.approx(error)
    # A wider prior explains nothing better: what's likely is weighed, not only what fits.
    tight, loose = (
        shapes.fits(shapes.products(np.column_stack([design, values])), np.array([0, 0, one])) for one in (1e4, 1e-4)
    )
    assert tight.log_evidence > loose.log_evidence


def test_a_series_has_no_part_in_what_others_have_in_common():
    rests = np.random.default_rng(2).normal(0, 0.2, (4, 60))
    first = course_of_others(rests, 0)
    rests[0] += 5
    assert course_of_others(rests, 0) == pytest.approx(first)
    assert course_of_others(rests[:1], 0) == pytest.approx(np.zeros(60))


def test_a_mixture_has_the_quantiles_of_its_parts():
    one = Posterior(np.array([0.3, 0.7]), np.array([0.0, 1.0]), np.array([0.5, 0.2]))
    assert one.mean == pytest.approx(0.7)
    below = 0.3 * stats.norm.cdf(0.4, 0, 0.5) + 0.7 * stats.norm.cdf(0.4, 1, 0.2)
    assert one.quantile(below) == pytest.approx(0.4, abs=1e-6)
    wide = one.widened(2.0)
    assert wide.mean == pytest.approx(one.mean) and wide.deviation == pytest.approx(2 * one.deviation)


def test_days_with_a_memory_make_the_interval_wider_than_chance_alone():
    dice = np.random.default_rng(2)
    quiet = fit_step(counted(dice, np.zeros(len(DAYS))))
    restless = fit_step(counted(dice, remembered(dice, 0.25, 0.7)))
    assert restless.step.deviation > 1.5 * quiet.step.deviation and restless.memory > 0


def test_real_noise_is_held_as_often_as_promised():
    """Memory, growth that differs, seasons and a holiday together: 50 of 50 changes, give or take what chance gives."""
    dice, held, called = np.random.default_rng(5), 0, 0
    for _ in range(50):
        shared, made = remembered(dice, 0.1), []
        for front in range(4):
            course = shared + remembered(dice, 0.1) + dice.normal(0, 0.3) * (DAYS - SIDE) / 365
            course = course + 0.25 * np.cos(2 * np.pi * DAYS / 365 + dice.uniform(0, 7))
            if not front:
                begin = int(dice.integers(0, 74))
                course[begin : begin + 10] -= 0.5
            made.append(counted(dice, course))
        low, high = bounds(fit_step(made[0], made[1:]))
        held += low <= 0 <= high
        called += not low <= 0 <= high
    assert held >= 43 and called <= 7


def test_a_control_that_moves_alike_carries_the_answer_and_another_doesnt():
    dice = np.random.default_rng(3)
    shared = remembered(dice, 0.4)
    ours = counted(dice, shared + 0.2 * AFTER)
    alike = [counted(dice, shared, 300) for _ in range(3)]
    apart = [counted(dice, remembered(dice, 0.4), 300) for _ in range(3)]
    alone, with_good, with_bad = fit_step(ours), fit_step(ours, alike), fit_step(ours, apart)
    assert with_good.controls_weight > 0.95 and with_bad.controls_weight < 0.6
    assert with_good.step.deviation < 0.6 * alone.step.deviation
    low, high = bounds(with_good)
    assert low < 0.2 < high


def test_trends_of_others_tell_ours_where_they_grew_alike_and_not_where_each_grew_in_its_own_way():
    dice = np.random.default_rng(4)
    ours = counted(dice, 0.002 * DAYS)
    alike = fit_step(ours, [counted(dice, 0.002 * DAYS, 200) for _ in range(6)])
    each = fit_step(ours, [counted(dice, dice.normal(0, 0.008) * DAYS, 200) for _ in range(6)])
    assert alike.step.deviation < 0.75 * each.step.deviation
    # Growth that all have isn't the change's.
    low, high = bounds(alike)
    assert low < 0 < high


def test_a_holiday_of_ten_days_is_found_and_no_part_of_the_effect():
    dice = np.random.default_rng(6)
    course = np.zeros(len(DAYS))
    course[50:60] -= 0.5
    found = fit_step(counted(dice, course, 200))
    (stretch,) = found.stretches
    assert abs(stretch.first - 50) <= 1 and abs(stretch.end - 60) <= 1
    low, high = bounds(found)
    assert low < 0 < high and found.step.deviation < 0.1
    assert not fit_step(counted(dice, course, 200), (), StepSettings(stretches=False)).stretches


def test_a_step_at_another_change_is_separated():
    dice = np.random.default_rng(7)
    series = counted(dice, 0.4 * (DAYS >= 20) + 0.0 * AFTER, 300)
    mixed, apart = fit_step(series), fit_step(series, (), StepSettings(other_steps=(FIRST + 20,)))
    assert abs(apart.step.mean) < abs(mixed.step.mean) and bounds(apart)[0] < 0 < bounds(apart)[1]


def test_one_series_with_a_holiday_doesnt_pull_the_common_course():
    rests = np.random.default_rng(8).normal(0, 0.02, (7, 30))
    rests[0, 5:15] -= 0.5
    rests[3, 20] = np.nan
    course = common_course(rests)
    assert np.abs(course).max() < 0.05 and np.isfinite(course).all()


def test_values_in_any_unit_have_the_same_step():
    dice = np.random.default_rng(9)
    values = dice.normal(0, 1.0, len(DAYS)) + 1.5 * AFTER
    one = fit_values(DailyCounts(FIRST + DAYS, values, AFTER), StepSettings())
    other = fit_values(DailyCounts(FIRST + DAYS, 1000 * values, AFTER), StepSettings())
    assert other.mean == pytest.approx(1000 * one.mean, rel=1e-4) and one.quantile(0.025) < 1.5 < one.quantile(0.975)
    with pytest.raises(ValueError, match="must vary"):
        fit_values(DailyCounts(FIRST + DAYS, np.ones(len(DAYS)), AFTER), StepSettings())
    with pytest.raises(ValueError, match="both sides"):
        fit_step(DailyCounts(FIRST + DAYS, np.ones(len(DAYS)), np.zeros(len(DAYS), bool)))


def test_intervals_widen_by_what_placebos_show_and_never_narrow():
    assert widening([]) == 1.0 and widening([0.1] * 8) < 1.05
    assert widening([2.2, -2.4, 1.9, -2.0, 2.6, -1.8]) > 1.7
    assert 1.0 < widening([9.0, 0.1, -0.2, 0.3]) < 4.5
    dice = np.random.default_rng(10)
    series = [counted(dice, remembered(dice, 0.1)) for _ in range(3)]
    found = score_placebos([(one, []) for one in series], [], 12)
    assert len(found.scores) == found.places == 3 and found.scores[0] == placebo_score(fit_step(series[0]).step)
    assert "on 3 other storefronts" in found.words and "12 days more of history" in found.words
    assert Placebos().words == "not checked on earlier days or other storefronts"


def rows(front, counts, source="search", first=FIRST):
    days = range(first, first + len(counts))
    return [(day, front, source, count) for day, count in zip(days, counts, strict=True) if count is not None]


def whole(*parts, change=FIRST + 7, days=14):
    frame = pd.DataFrame([row for part in parts for row in part], columns=["date", "storefront", "source", "installs"])
    return whole_days(frame, "installs", range(FIRST, FIRST + days), date.fromordinal(change))


def test_a_withheld_count_of_a_small_storefront_loses_no_day_of_a_large_one():
    found = whole(rows("US", [100.0] * 14), rows("TH", [4.0, math.nan, *[4.0] * 12]))
    assert found.series.length(False) == 7 and found.series.length(True) == 7 and found.cells == 1 and not found.lost
    assert found.series.counts[1] == 104 and found.share < 0.01
    # Of a large one, nothing can be said of the day; what's never known is left out on both sides.
    lost = whole(rows("US", [100.0, math.nan, *[100.0] * 12]), rows("TH", [4.0] * 14))
    assert lost.lost == 1 and lost.series.length(False) == 6
    never = whole(rows("US", [100.0] * 14), rows("TH", [math.nan] * 14))
    assert set(never.series.counts) == {100.0} and never.cells == 0


def test_small_counts_that_are_withheld_are_below_all_that_are_known():
    small = [5.0, 30.0, math.nan, 40.0, 22.0, 36.0, math.nan, 28.0, 33.0, 6.0, 31.0, 38.0, 29.0, 30.0]
    found = whole(rows("US", [400.0] * 14), rows("TH", small))
    assert found.series.counts[2] == 402.5
    # A row that's missing is nought where few come, and unknown where many do.
    few = whole(rows("US", [100.0] * 14), rows("TH", [1.0, None, *[1.0] * 12]))
    assert few.series.counts[1] == 100 and few.cells == 0
    many = whole(rows("US", [100.0] * 14), rows("DE", [60.0, None, *[60.0] * 12]))
    assert many.lost == 1
    assert not len(whole(rows("US", [math.nan] * 14)).series.days)
