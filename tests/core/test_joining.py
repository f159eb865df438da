"""Bars that come to others: every bar of either, once, and the right one of two."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.bars import Joining, compare_bars, join_bars
from skelb.core.errors import BarsError
from tests.conftest import wave_bars

WHOLE = wave_bars(60)
COLUMNS = ("open", "high", "low", "close", "volume")
SHARES = st.lists(st.booleans(), min_size=60, max_size=60).map(np.array)


def rows(bars):
    return {int(time): tuple(getattr(bars, name)[at] for name in COLUMNS) for at, time in enumerate(bars.time)}


@given(SHARES, SHARES, SHARES, st.booleans())
def test_a_join_has_every_bar_once_and_of_two_the_one_that_goes_before(mine, other, moved, corrects):
    there = WHOLE.take(mine)
    newer = replace(WHOLE, close=np.where(moved, WHOLE.close + 0.25, WHOLE.close)).take(other)
    joined = join_bars(there, newer, corrects)
    assert (np.diff(joined.time) > 0).all()
    expected = rows(there) | rows(newer) if corrects else rows(newer) | rows(there)
    assert rows(joined) == expected
    told = compare_bars(there, newer)
    assert told == Joining(
        int((other & ~mine).sum()), int((mine & other & ~moved).sum()), int((mine & other & moved).sum())
    )
    assert len(joined) == len(there) + told.added
    again = compare_bars(joined, newer)
    assert (again.added, again.differing) == (0, 0 if corrects else told.differing)


def test_columns_of_both_are_kept_and_unknown_where_the_other_has_them():
    first = replace(WHOLE.take(slice(0, 40)), columns={"a": np.arange(40.0)})
    second = replace(WHOLE.take(slice(30, 60)), columns={"b": np.arange(30.0)})
    joined = join_bars(first, second, corrects=True)
    assert len(joined) == 60
    np.testing.assert_array_equal(joined.columns["a"], [*range(30), *[np.nan] * 30])
    np.testing.assert_array_equal(joined.columns["b"], [*[np.nan] * 30, *range(30)])


def test_bars_of_another_timeframe_do_not_join():
    with pytest.raises(BarsError, match="bars of 1h cannot join bars of 15m"):
        join_bars(WHOLE, wave_bars(20, minutes=60), corrects=False)
