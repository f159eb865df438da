"""Series drawn anew in stretches: how long these are, and whether the band of a mean holds what it says."""

import numpy as np
import pytest

from skelb.core.trials.bootstrap import block_length, mean_range, stationary_rows


def test_stretches_go_on_at_the_beginning_and_are_as_long_as_asked_on_average():
    rows = stationary_rows(300, 200, 12.0, np.random.default_rng(1))
    assert rows.shape == (200, 300) and rows.min() == 0 and rows.max() == 299
    goes_on = (rows[:, :-1] + 1) % 300 == rows[:, 1:]
    assert goes_on.mean() == pytest.approx(1 - 1 / 12, abs=0.01)
    assert np.bincount(rows.ravel()).min() > 100  # every place as often as another, give or take


def hanging(size, rho, rng):
    noise = rng.normal(size=size)
    for place in range(1, size):
        noise[place] += rho * noise[place - 1]
    return noise


def test_the_more_days_hang_together_the_longer_the_stretches():
    lengths = [
        np.median([block_length(hanging(500, rho, np.random.default_rng(k))) for k in range(30)])
        for rho in (0, 0.5, 0.9)
    ]
    assert lengths[0] < 3 and lengths[0] < lengths[1] < lengths[2]
    # For an autoregression the best length is known: (2 g^2 / d)^(1/3) n^(1/3), with g and d by its formula.
    assert lengths[1] == pytest.approx((2 * (2 * 0.5 / (1 - 0.25)) ** 2 / 2 / 1.0) ** (1 / 3) * 500 ** (1 / 3), rel=0.4)
    assert block_length(np.zeros(50)) == 1.0 and block_length(np.ones(2)) == 1.0


@pytest.mark.parametrize("rho", [0.0, 0.1])
def test_where_there_is_nothing_the_band_leaves_out_0_about_as_often_as_it_says(rho):
    """Of 200 bands 10 should, give or take 3; days that hang together much more are told in the guide."""
    left_out = 0
    for seed in range(200):
        low, high = mean_range(hanging(120, rho, np.random.default_rng(seed)))
        left_out += low > 0 or high < 0
    assert 3 <= left_out <= 24, left_out


def test_too_few_days_have_no_band():
    assert mean_range(np.ones(19)) is None and mean_range(np.ones(20)) == (1.0, 1.0)
