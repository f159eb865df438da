"""The study of a condition against plain loops."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.trials import study_of

DAY = 86_400


@given(st.lists(st.booleans(), min_size=1, max_size=60), st.integers(0, 2**31))
def test_study_by_plain_loops(condition, seed):
    n = len(condition)
    closes = np.random.default_rng(seed).normal(0, 3, n).cumsum() + 100
    found = study_of(np.array(condition), closes, np.arange(n) * DAY, most=5)
    events = [i for i in range(n) if condition[i] and (i == 0 or not condition[i - 1])]
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
        reach = 1.959964 * np.std(moves, ddof=1) / len(moves) ** 0.5
        expected = (np.mean(moves), np.mean(moves) - reach, np.mean(moves) + reach)
        assert (found.moves[place], found.low[place], found.high[place]) == pytest.approx(expected, abs=1e-6)
