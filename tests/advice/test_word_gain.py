"""What words are worth in installs: promises hold on simulated truths, and no place is promised more than it has."""

import math
from collections import Counter
from datetime import date

import numpy as np
import pytest

import tavolan
from tavolan.advice.action import Action, Gain
from tavolan.advice.next_actions import what_next, within_places
from tavolan.advice.reach import Reach
from tavolan.advice.word_gain import PhraseChange, PhraseNow, PlaceSearch, word_gain
from tavolan.results.share import Curve
from tavolan.words.coverage import cover

DEPTH = 50


def world(dice):
    """Return a place as the tool knows it, our known ranks, and what its new phrases will truly bring."""
    curve = Curve(float(dice.uniform(0.6, 1.4)), DEPTH)
    ranks = np.maximum(1.0, np.round(np.exp(dice.normal(2.5, 1.0, 14))))
    demands = dice.uniform(0.05, 1.0, 20)
    phrases = [
        PhraseNow(float(demand), float(ranks[index]) if index < 10 else math.nan, index < 14)
        for index, demand in enumerate(demands)
    ]
    caught = sum(demand * curve.catch(ranks[index]) for index, demand in enumerate(demands[:14]))
    scale = dice.uniform(100, 3_000)
    # People who search for the app's name, or for what no list holds: a fifth to four fifths of all.
    installs = scale * caught / dice.uniform(0.2, 0.8)
    # New phrases rank as the others do, or further down, where they're found at all.
    further = dice.choice(ranks, 6) * dice.uniform(1.0, 3.0, 6) * np.where(dice.random(6) < 0.1, math.inf, 1.0)
    truth = scale * sum(demand * curve.catch(rank) for demand, rank in zip(demands[14:], further, strict=True))
    changes = [PhraseChange(one, 0.0, 1.0) for one in phrases[14:]]
    return PlaceSearch(float(installs), phrases, changes), ranks.tolist(), min(truth, installs)


def test_the_range_of_a_promised_gain_holds_the_truth_nine_times_of_ten():
    dice, held = np.random.default_rng(1), 0
    for _ in range(100):
        place, ranks, truth = world(dice)
        mean, low, high = word_gain([place], ranks, DEPTH)
        held += low <= truth <= high
        assert low <= mean <= high <= place.installs
    assert held >= 83


def test_no_list_of_words_more_than_doubles_a_place():
    answered, new = PhraseNow(0.01, 40.0, True), PhraseNow(1.0, math.nan, False)
    mean, _, high = word_gain([PlaceSearch(58.0, [answered, new], [PhraseChange(new, 0.0, 1.0)])], [1.0], DEPTH)
    assert high <= 58.0 and mean <= 58.0
    # Where nothing is answered today, the gain is still known to be no more than the place has.
    fresh = PlaceSearch(58.0, [new], [PhraseChange(new, 0.0, 1.0)])
    assert 0 < word_gain([fresh], [], DEPTH)[0] <= 58.0


def test_what_is_lost_is_a_loss_and_what_stays_brings_nothing():
    old = PhraseNow(1.0, 3.0, True)
    lost = word_gain([PlaceSearch(900.0, [old], [PhraseChange(old, 1.0, 0.0)])], [3.0], DEPTH)
    assert lost[2] < 0
    same = word_gain([PlaceSearch(900.0, [old], [PhraseChange(old, 0.7, 0.7)])], [3.0], DEPTH)
    assert same == (0.0, 0.0, 0.0)
    better = word_gain([PlaceSearch(900.0, [old], [PhraseChange(old, 0.5, 1.0)])], [3.0], DEPTH)
    assert 0 < better[0] <= 900
    assert word_gain([PlaceSearch(900.0, [old], [PhraseChange(old, 0.5, 1.0)])], [3.0], DEPTH) == better


def action(value, by_place):
    gain = Gain(value, value / 2, value * 2, "installs", False, {}, by_place)
    return Action(kind="words", what="x", why="", command="", gain=gain, minutes=1, promise="")


def test_all_actions_together_promise_no_place_more_than_it_has():
    us, de = ("ios", "US"), ("ios", "DE")
    cut = within_places([action(80.0, {us: 80.0}), action(60.0, {us: 30.0, de: 30.0})], {us: 55.0, de: 900.0}.get)
    assert [one.gain.value for one in cut] == pytest.approx([40.0, 45.0])
    assert "so that no place is promised more than it has" in cut[0].gain.factors["all actions together"]
    assert cut[1].gain.low == pytest.approx(22.5)
    free = [action(10.0, {us: 10.0})]
    assert within_places(free, {us: 55.0}.get) == free


def test_the_samples_gains_are_assumed_and_within_its_places(year):
    opened = tavolan.open_project(year)
    reach = Reach(opened)
    found = what_next(opened, date(2026, 11, 25), most=99)
    words = [one for one in found.first if one.kind == "words" and one.gain.is_known]
    assert words and not any(one.gain.measured for one in words)
    promised = Counter()
    for one in found.first:
        promised.update(one.gain.by_place)
    assert all(gain <= reach.installs(at) * 1.000001 for at, gain in promised.items())


def test_a_place_without_installs_from_search_is_promised_nothing_by_words(year):
    reach = Reach(tavolan.open_project(year))
    before = cover(reach.project, ["android"], ["CN"]) or cover(reach.project, ["ios"], ["CN"])
    assert reach.of_answers(before, before).value != reach.of_answers(before, before).value
