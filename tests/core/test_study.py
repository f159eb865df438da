"""The study of a condition against plain loops."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import t as student

from skelb.core.trials import calendar_of, study_of

DAY = 86_400


@given(st.lists(st.booleans(), min_size=1, max_size=60), st.integers(0, 2**31))
def test_study_by_plain_loops(condition, seed):
    n = len(condition)
    closes = np.random.default_rng(seed).normal(0, 3, n).cumsum() + 100
    years = 2000 + np.arange(n) // 7
    found = study_of(np.array(condition), closes, np.arange(n) * DAY, years, most=5)
    events = [i for i in range(n) if condition[i] and (i == 0 or not condition[i - 1])]
    assert found.yearly == {2000 + k: sum(i // 7 == k for i in events) for k in range((n - 1) // 7 + 1)}
    assert found.count == len(events) and found.share == pytest.approx(sum(condition) / n)
    if n > 1:
        assert found.per_year == pytest.approx(len(events) * 365.25 / (n - 1))
    for place, ahead in enumerate(range(1, 6)):
        moves = [closes[i + ahead] - closes[i] for i in events if i + ahead < n]
        every = [closes[i + ahead] - closes[i] for i in range(n - ahead)]
        if every:
            assert found.every[place] == pytest.approx(np.mean(every), abs=1e-9)
        if len(moves) < 2:
            assert np.isnan([found.moves[place], found.low[place], found.high[place]]).all()
            continue
        expected = band(moves)
        assert (found.moves[place], found.low[place], found.high[place]) == pytest.approx(expected, rel=2e-4, abs=2e-3)


def band(moves):
    """Mean and 95 % band as the textbook has it."""
    reach = student.ppf(0.975, len(moves) - 1) * np.std(moves, ddof=1) / len(moves) ** 0.5
    return np.mean(moves), np.mean(moves) - reach, np.mean(moves) + reach


@pytest.mark.parametrize("size", [2, 3, 5, 11, 12, 20, 60, 500])
def test_the_band_is_that_of_students_distribution(size):
    closes = np.random.default_rng(size).normal(0, 1, 2 * size + 1).cumsum()
    condition = np.arange(2 * size + 1) % 2 == 0
    found = study_of(condition, closes, np.arange(closes.size) * DAY, np.full(closes.size, 2000), most=1)
    moves = [closes[i + 1] - closes[i] for i in range(0, 2 * size, 2)]
    assert (found.moves[0], found.low[0], found.high[0]) == pytest.approx(band(moves), rel=2e-4, abs=1e-4)


@given(st.lists(st.tuples(st.integers(0, 3), st.booleans()), min_size=1, max_size=60), st.booleans())
def test_a_calendar_counts_the_events_inside_every_group_and_the_moves_of_its_stretches(bars, is_asked):
    n = len(bars)
    closes = np.random.default_rng(n).normal(0, 3, n).cumsum() + 100
    opens = closes + 0.25
    days = np.array([day for day, _ in bars])
    yes = np.array([answer for _, answer in bars])
    found = calendar_of(
        {"weekday": days}, yes if is_asked else None, opens, closes, np.arange(n) * DAY, np.full(n, 2000), most=3
    )
    assert [row.number for row in found] == sorted(set(days.tolist()))
    turned = [i for i in range(n) if yes[i] and (i == 0 or not yes[i - 1])]
    begins = [i for i in range(n) if i == 0 or days[i] != days[i - 1]]
    for row in found:
        starts = [i for i in begins if days[i] == row.number]
        ends = [next((j for j in begins if j > i), n) - 1 for i in starts]
        within = [closes[end] - opens[start] for start, end in zip(starts, ends, strict=True)]
        events = [i for i in turned if days[i] == row.number] if is_asked else starts
        assert row.stretches == len(starts) and row.study.count == len(events)
        if len(within) > 1:
            assert (row.within, row.within_low, row.within_high) == pytest.approx(band(within), rel=2e-4, abs=2e-3)
        moves = [closes[i + 2] - closes[i] for i in events if i + 2 < n]
        if len(moves) > 1:
            assert row.study.moves[1] == pytest.approx(np.mean(moves))
