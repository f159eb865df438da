"""The probability of overfitting against a plain form, where settings are all alike worthless, and where one is not."""

from itertools import combinations

import numpy as np
import pytest

from skelb.core.trials import BLOCKS, Blocks, overfitting

DAYS = np.arange(18_000, 18_240)


def summed(changes):
    blocks = Blocks.of(DAYS)
    return np.array([blocks.sums(0, DAYS, row) for row in changes])


def plain(changes):
    """By the definition, one way to halve after the other."""
    parts, below, ways = np.array_split(np.arange(DAYS.size), BLOCKS), 0, 0
    for half in combinations(range(BLOCKS), BLOCKS // 2):
        inside = np.concatenate([parts[at] for at in half])
        outside = np.setdiff1d(np.arange(DAYS.size), inside)
        mine, theirs = (
            [row[at].mean() / row[at].std() if row[at].std() > 0 else 0.0 for row in changes]
            for at in (inside, outside)
        )
        best = theirs[int(np.argmax(mine))]
        rank = np.mean([place for place, value in enumerate(sorted(theirs), 1) if value == best])
        below += rank <= (len(changes) + 1) / 2
        ways += 1
    return below / ways


def test_it_is_what_its_definition_says():
    changes = np.random.default_rng(1).normal(0, 1, (7, DAYS.size)) + np.linspace(0, 0.1, 7)[:, None]
    changes[2] = 0.0
    found = overfitting(summed(changes))
    assert (found.ways, found.settings) == (924, 7)
    assert found.probability == pytest.approx(plain(changes))
    assert f"{found.probability:.0%}" in found.sentence


def test_where_there_is_nothing_half_of_the_choices_are_below_the_middle():
    rng = np.random.default_rng(2)
    shares = [overfitting(summed(rng.normal(0, 1, (40, DAYS.size)))).probability for _ in range(60)]
    assert np.mean(shares) == pytest.approx(0.5, abs=0.1)


def test_a_setting_that_is_better_on_all_days_is_not_overfitted():
    changes = np.random.default_rng(3).normal(0, 1, (40, DAYS.size))
    changes[11] += 0.6
    assert overfitting(summed(changes)).probability == 0.0


def test_settings_that_could_not_run_do_not_count_and_one_alone_cannot_be_weighed():
    changes = np.random.default_rng(4).normal(0, 1, (3, DAYS.size))
    sums = summed(changes)
    sums[1] = np.nan
    assert overfitting(sums).settings == 2
    assert overfitting(sums[:2]) is None
    assert overfitting(np.tile(sums[[0, 2]], (12_000, 1))).settings == 12_000  # of 24,000 every second
    assert Blocks.of(DAYS[: 2 * BLOCKS - 1]) is None


def test_days_of_windows_that_overlap_are_taken_once():
    lasts = DAYS[[119, 179, 239]]
    blocks, changes = Blocks.of(DAYS, lasts), np.random.default_rng(5).normal(0, 1, DAYS.size)
    windows = [slice(0, 120), slice(60, 180), slice(120, 240)]
    sums = sum(blocks.sums(part, DAYS[window], changes[window]) for part, window in enumerate(windows))
    np.testing.assert_allclose(sums, Blocks.of(DAYS).sums(0, DAYS, changes))
