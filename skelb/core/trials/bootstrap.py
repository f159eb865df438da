"""Series drawn anew in stretches that stay together: the stationary bootstrap."""

import numpy as np

from skelb.core.bars import Floats, Ints

_DRAWS = 2_000


def stationary_rows(size: int, count: int, block: float, rng: np.random.Generator) -> Ints:
    """Places of `count` series drawn anew, shape (count, size): stretches of `block` places on average, the end going
    on at the beginning. Politis and Romano (1994), JASA 89, 1303-1313.
    """
    places = np.arange(size)
    begins = np.maximum.accumulate(np.where(rng.random((count, size)) < 1.0 / block, places, 0), axis=1)
    starts = np.take_along_axis(rng.integers(0, size, (count, size)), begins, axis=1)
    return np.asarray((starts + places - begins) % size, np.int64)


def block_length(series: Floats) -> float:
    """How long stretches should be on average so that the mean's spread is told best, 1 or more.

    Politis and White (2004), Econometric Reviews 23(1), 53-70, as corrected by Patton, Politis and White (2009), 28(4),
    372-375: by the correlations up to twice the lag after which they stay within noise, weighed by a flat top.
    """
    size = series.size
    rest = series - series.mean() if size else series
    if size < 4 or not (rest @ rest) > 0:
        return 1.0
    quiet = max(5, int(np.ceil(np.sqrt(np.log10(size)))))
    most = min(int(np.ceil(np.sqrt(size))) + quiet, size - 1)
    spreads = np.array([rest[lag:] @ rest[: size - lag] for lag in range(most + 1)]) / size
    noise = 2.0 * np.sqrt(np.log10(size) / size)
    within = np.abs(spreads[1:] / spreads[0]) < noise
    runs = [lag for lag in range(most - quiet + 1) if within[lag : lag + quiet].all()]
    lags = np.arange(1, min(2 * max(runs[0] if runs else most, 1), most) + 1)
    weights = np.clip(2.0 * (1.0 - lags / lags[-1]), 0.0, 1.0)
    summed = spreads[0] + 2.0 * float(weights @ spreads[lags])
    bent = 2.0 * float((weights * lags) @ spreads[lags])
    if summed <= 0.0:
        return 1.0
    return float(
        np.clip((bent * bent / (summed * summed) * size) ** (1 / 3), 1.0, min(3.0 * np.sqrt(size), size / 3.0))
    )


def mean_range(series: Floats, seed: int = 1) -> tuple[float, float] | None:
    """Between what the mean of a series lies with 95 %: percentiles of the means of 2,000 drawn anew. None below 20."""
    if series.size < 20:
        return None
    rng = np.random.default_rng(seed)
    block = block_length(series)
    chunk = max(1, 4_000_000 // series.size)
    means = [
        series[stationary_rows(series.size, min(chunk, _DRAWS - begin), block, rng)].mean(axis=1)
        for begin in range(0, _DRAWS, chunk)
    ]
    low, high = np.percentile(np.concatenate(means), (2.5, 97.5))
    return float(low), float(high)
