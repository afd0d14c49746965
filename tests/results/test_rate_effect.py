"""Effects on rates: the planted truth is held as often as promised, and each method is taken where it belongs."""

import math

import numpy as np
import pytest

from tavolan.results.rate_effect import in_weeks_where_long, rate_effect
from tavolan.results.step_model import DailyCounts


def series(counts, change):
    days = np.arange(len(counts)) + 739_000
    return DailyCounts(days, np.asarray(counts, float), np.arange(len(counts)) >= change)


def simulated(dice, effect, *, days=84, mean=40.0, dispersion=0.0, weekday=0.0, trend=0.0):
    number = np.arange(days)
    means = mean * np.exp(weekday * np.sin(2 * np.pi * number / 7) + trend * number / days)
    means = means * np.where(number >= days // 2, effect, 1.0)
    drawn = dice.poisson(means * dice.gamma(1 / dispersion, dispersion, days)) if dispersion else dice.poisson(means)
    return series(drawn, days // 2)


FAMILIES = {
    "few counts": {"days": 28, "mean": 0.5},
    "overdispersed": {"dispersion": 0.1},
    "weekdays and a trend": {"dispersion": 0.05, "weekday": 0.4, "trend": 0.6},
}


@pytest.mark.parametrize("name", FAMILIES)
def test_the_interval_holds_the_truth_as_often_as_it_says(name):
    dice = np.random.default_rng(11)
    changes, held, called = 60, 0, 0
    for _ in range(changes):
        found = rate_effect(simulated(dice, 1.3, **FAMILIES[name])).ratio
        held += found.low <= 1.3 <= found.high
        nothing = rate_effect(simulated(dice, 1.0, **FAMILIES[name])).ratio
        called += not nothing.low <= 1 <= nothing.high
    # 95 % of 60, give or take three standard deviations: the bench measures it more closely.
    assert held >= 52 and called <= 8


def test_a_control_cancels_what_moves_both():
    dice, held = np.random.default_rng(3), 0
    for _ in range(20):
        shock = np.exp(dice.normal(0, 0.4, 84)) * np.exp(np.arange(84) / 60)
        step = np.where(np.arange(84) >= 42, 1.4, 1.0)
        ours, others = dice.poisson(30 * shock * step), dice.poisson(200 * shock)
        with_control = rate_effect(series(ours, 42), [series(others, 42)])
        assert with_control.method == "control" and with_control.verdict == "up"
        held += with_control.ratio.low < 1.4 < with_control.ratio.high
    assert held >= 17
    alone = rate_effect(series(ours, 42))
    assert math.log(with_control.ratio.high / with_control.ratio.low) < 0.5 * math.log(
        alone.ratio.high / alone.ratio.low
    )


def test_few_days_and_few_counts_are_compared_as_two_counts():
    few = rate_effect(series([40, 40, 41, 38, 43, 40, 44], 4))
    assert few.method == "counts" and "only 3 days on one side" in few.reasons[0]
    assert "assumed: nothing but the change and chance" in few.reasons[1]
    scarce = rate_effect(series([0, 1] * 30, 30))
    assert scarce.method == "counts" and "only 15 counts on one side" in scarce.reasons[0]
    wild = rate_effect(series([0, 9, 0, 14, 0, 12, 0, 13, 1, 9], 5))
    assert wild.method == "regression" and "vary more than counts do" in " ".join(wild.reasons)


def test_days_more_are_named_only_where_they_may_tell():
    clear = rate_effect(series([10] * 20 + [30] * 20, 20))
    assert clear.verdict == "up" and clear.days_more == 0
    unclear = rate_effect(series([3, 2, 4] * 3 + [4, 5, 3] * 3, 9))
    assert unclear.verdict == "unknown" and unclear.days_more and unclear.days_more > 9
    assert rate_effect(series([0] * 9, 4)).days_more is None
    alike = rate_effect(series([900, 910, 890] * 14, 21))
    assert alike.verdict == "none"


def test_a_window_of_noughts_isnt_an_endless_loop():
    found = rate_effect(series([0] * 14 + [5] * 14, 14))
    assert found.verdict == "up" and found.ratio.high == math.inf
    with pytest.raises(ValueError, match="both sides"):
        rate_effect(series([1, 2, 3], 0))


def test_the_smallest_effect_that_days_could_show_and_the_days_for_a_tenth():
    counts = np.random.default_rng(8).poisson(100, 84)
    found = rate_effect(series(counts, 42))
    half = math.log(found.ratio.high / found.ratio.low) / 2
    # In four cases of five: the interval's half width and as much again as holds 80 % of a normal distribution.
    assert math.log(found.least_seen) == pytest.approx(half * (1 + 0.8416 / 1.96))
    assert found.days_for_tenth == math.ceil(42 * (math.log(found.least_seen) / math.log(1.1)) ** 2)
    assert rate_effect(series([0] * 9, 4)).days_for_tenth is None


def test_very_long_windows_are_taken_by_whole_weeks_from_the_change_on():
    made = in_weeks_where_long([series(np.full(1_003, 2.0), 500), series(np.full(1_003, np.nan), 500)])
    assert set(made[0].counts) == {14.0} and made[0].length(False) == 71 and made[0].length(True) == 71
    assert int(made[0].days[made[0].after][0]) == 739_500 and np.isnan(made[1].counts).all()
    short = series([1.0] * 60, 30)
    assert in_weeks_where_long([short]) == [short]
    assert len(in_weeks_where_long([series(np.full(9_000, 2.0), 4_500)])[0].days) <= 420
