"""The tally of tries against plain forms of its definitions, and on bars on which there is nothing to find."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from skelb.core.bars import Bars, Timeframe
from skelb.core.figures import Daily
from skelb.core.trials import HISTORIES, Histories, Tally, Try, best_of, by_luck
from skelb.core.trials.bootstrap import block_length, stationary_rows

DAY, HOURS, FIRST = 86_400, 8, 19_000


def hourly(close):
    """Bars of eight hours a day, every civil day."""
    at = np.arange(close.size)
    time = (FIRST + at // HOURS) * DAY + at % HOURS * 3_600
    return Bars(Timeframe(60), time, close, close, close, close, np.ones(close.size))


def days_of(changes, first=FIRST):
    return Daily(np.arange(first, first + len(changes)), np.asarray(changes, np.float64))


def tries_of(rows):
    return [Try(str(number), number, days_of(row)) for number, row in enumerate(rows)]


@pytest.fixture(scope="module")
def histories():
    return Histories(hourly(100 + np.random.default_rng(1).normal(0, 1, 60 * HOURS).cumsum()), 7)


def test_days_come_as_the_stationary_bootstrap_draws_them():
    rng = np.random.default_rng(2)
    close = 100 + rng.normal(0, 1, 40 * HOURS).cumsum()
    block = block_length(np.diff(close[HOURS - 1 :: HOURS])) * 54 / 40
    rng, rows = np.random.default_rng(5), []
    while len(rows) < HISTORIES:
        rows += stationary_rows(54, min(100, HISTORIES - len(rows)), max(block, 1.0), rng).tolist()
    run = days_of(rng.normal(0.1, 1, 40))
    means = []
    for drawn in rows:
        there = [day - 7 for day in drawn if 7 <= day < 47]  # a week before and after may bear a date of their own
        means.append(np.mean(run.changes[there]) - run.changes.mean())
    statistics, moved = Histories(hourly(close), 5).statistics([run])
    assert statistics[0] == pytest.approx(run.changes.mean() / np.std(means), rel=1e-5)
    np.testing.assert_allclose(moved[0], means / np.std(means), atol=2e-5)


def test_what_does_not_vary_or_lies_elsewhere_is_no_rival(histories):
    runs = [days_of(np.zeros(60)), days_of(np.full(60, 0.25)), days_of(np.ones(60), FIRST + 9_000), days_of([0.1])]
    statistics, moved = histories.statistics(runs)
    assert (statistics == -np.inf).all() and (moved == -np.inf).all()
    tally = Tally()
    tally.add(tries_of([np.zeros(60)]), histories)
    assert tally.listed == [] and by_luck(0.0, [[tally]]) == 1 / (1 + HISTORIES)


@settings(max_examples=30)
@given(st.integers(0, 10_000), st.lists(st.integers(1, 29), max_size=4, unique=True), st.booleans())
def test_a_stage_is_the_same_in_whatever_pieces_it_comes(histories, seed, cuts, goes_on):
    rng = np.random.default_rng(seed)
    rows = rng.normal(0, 1, (30, 60))
    whole, pieces = Tally(), Tally()
    before = rng.normal(0.1, 1, (5, 60))
    for tally in (whole, pieces):
        if goes_on:
            tally.add(tries_of(before), histories)
        tally.begin()
    whole.add(tries_of(rows), histories)
    edges = [0, *sorted(cuts), 30]
    for begin, end in zip(edges, edges[1:], strict=False):
        pieces.add(tries_of(rows)[begin:end], histories)
    assert [item.digest for item in whole.listed] == [item.digest for item in pieces.listed]
    np.testing.assert_allclose(whole.largest(), pieces.largest(), atol=1e-5)
    np.testing.assert_allclose(whole.rest, pieces.rest, atol=1e-5)


@settings(max_examples=30)
@given(st.integers(0, 10_000))
def test_the_more_is_tried_the_more_luck_alone_shows(histories, seed):
    rng, tally = np.random.default_rng(seed), Tally()
    last = np.full(HISTORIES, -np.inf)
    for stage in range(4):
        tally.begin()
        tally.add(tries_of(rng.normal(0, 1, (6, 60))), histories)
        largest = tally.largest()
        assert (largest >= last - 1e-5).all(), stage
        last = largest


def test_the_best_are_weighed_step_by_step(histories):
    rows = np.random.default_rng(3).normal(0.15, 1, (25, 60))
    tally = Tally()
    tally.add(tries_of(rows), histories)
    statistics, moved = histories.statistics([days_of(row) for row in rows])
    left, floor = np.argsort(-statistics), 0.0
    for (item, share), row in zip(best_of([[tally]]), left, strict=False):
        assert item.label == str(row) and item.statistic == pytest.approx(statistics[row])
        reached = (moved[left].max(axis=0) >= np.float32(statistics[row])).sum()
        floor = max(floor, (1 + reached) / (1 + HISTORIES))
        assert share == pytest.approx(floor, abs=1e-9)
        left = left[1:]


def test_tallies_of_other_bars_count_too(histories):
    rng = np.random.default_rng(4)
    one, other = Tally(), Tally()
    one.add(tries_of(rng.normal(0, 1, (10, 60))), histories)
    other.add(tries_of(rng.normal(0, 1, (10, 60))), Histories(hourly(100 + rng.normal(0, 1, 480).cumsum()), 8))
    alone = [by_luck(2.0, [[tally]]) for tally in (one, other)]
    before_and_now, two_markets = by_luck(2.0, [[one, other]]), by_luck(2.0, [[one], [other]])
    assert max(alone) <= before_and_now <= two_markets <= sum(alone)


def crossings(close, moves, pairs, edge=0.0):
    """What being long above one mean of another, and short below, earns each day; with an edge, a part of each move more."""
    means = {
        size: np.convolve(close, np.ones(size) / size)[: close.size]
        for size in {size for pair in pairs for size in pair}
    }
    found = []
    for fast, slow in pairs:
        side = np.sign(means[fast] - means[slow])
        side[: max(fast, slow)] = 0
        held = np.concatenate(([0], side[:-1]))
        found.append((held * moves + edge * np.abs(held)).reshape(-1, HOURS).sum(axis=1))
    return found


def test_where_there_is_nothing_the_best_of_a_sweep_and_of_a_narrow_one_after_it_are_seldom_believed():
    rng, worlds = np.random.default_rng(6), 200
    alarms = np.zeros(2)
    for world in range(worlds):
        vary = np.exp(0.3 * rng.normal(0, 0.03, 200 * HOURS).cumsum()) if world % 2 else 1.0
        moves = rng.normal(0, 0.002, 200 * HOURS) * vary  # wild and quiet by turns
        close = 100 * np.exp(moves.cumsum())
        histories, tally = Histories(hourly(close), world), Tally()
        wide = [(fast, slow) for fast in range(3, 23, 4) for slow in range(24, 120, 12)]
        tally.add(tries_of(crossings(close, moves, wide)), histories)
        alarms[0] += by_luck(tally.listed[0].statistic, [[tally]]) <= 0.05
        fast, slow = wide[int(tally.listed[0].label)]
        narrow = [
            (a, b)
            for a in range(max(2, fast - 3), fast + 4)
            for b in range(slow - 6, slow + 7, 2)
            if (a, b) != (fast, slow)
        ]
        tally.begin()
        tally.add(tries_of(crossings(close, moves, narrow)), histories)
        alarms[1] += by_luck(tally.listed[0].statistic, [[tally]]) <= 0.05
    # 5 % of 200 are 10, give or take 3; a tenth would be 20. Without the stages' share the second are 12 %.
    assert (alarms <= 18).all(), alarms


def test_where_there_is_something_it_is_believed():
    rng = np.random.default_rng(9)
    moves = rng.normal(0, 0.002, 250 * HOURS)
    close = 100 * np.exp(moves.cumsum())
    pairs = [(fast, slow) for fast in range(3, 23, 4) for slow in range(24, 120, 12)]
    tally = Tally()
    tally.add(tries_of(crossings(close, moves, pairs, edge=0.0004)), Histories(hourly(close), 1))
    assert by_luck(tally.listed[0].statistic, [[tally]]) <= 0.01


def test_without_any_of_its_tries_luck_shows_nothing(histories):
    rows = np.random.default_rng(4).normal(0, 1, (3, 60))
    tally = Tally()
    tally.add(tries_of(rows), histories)
    digests = [item.digest for item in tally.listed]
    assert len(digests) == 3 and (tally.largest(digests) == -np.inf).all()
    assert np.isfinite(tally.largest(digests[:2])).all() and (Tally().largest(digests) == -np.inf).all()
