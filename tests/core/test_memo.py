"""One table of values for many runs at once."""

import threading

import numpy as np
import pytest

from skelb.core.plan import Memo


def test_equal_expressions_have_one_number_and_parts_come_first():
    memo = Memo()
    a = memo.number(("built_in", "close"))
    whole = memo.number(("negative", a))
    assert memo.number(("built_in", "close")) == a < whole
    assert memo.keys[whole] == ("negative", a)


def test_a_value_is_computed_once_though_many_ask():
    memo, calls, gate = Memo(), [], threading.Event()

    def compute():
        calls.append(1)
        gate.wait(10)
        return np.arange(3.0)

    found = []
    threads = [threading.Thread(target=lambda: found.append(memo.value(7, compute))) for _ in range(8)]
    for thread in threads:
        thread.start()
    gate.set()
    for thread in threads:
        thread.join()
    assert len(calls) == 1 and len(found) == 8
    assert all(value is found[0] for value in found)


def test_a_failure_reaches_everybody_and_is_not_kept():
    memo = Memo()

    def fail():
        raise ValueError("no such thing")

    with pytest.raises(ValueError, match="no such thing"):
        memo.value(1, fail)
    assert memo.peek(1) is None
    assert memo.value(1, lambda: np.ones(1))[0] == 1


def test_the_least_recently_used_is_forgotten_beyond_the_budget():
    memo = Memo(budget_bytes=3 * 800)
    for number in (1, 2, 3):
        memo.value(number, lambda: np.zeros(100))
    memo.peek(1)
    memo.value(4, lambda: {"upper": np.zeros(50), "lower": np.zeros(50)})
    assert memo.peek(2) is None
    assert all(memo.peek(number) is not None for number in (1, 3, 4))
