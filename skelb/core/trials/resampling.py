"""The trades of a run in other orders and samples: how much of its result was luck of the draw."""

from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.errors import SettingsError
from skelb.core.trials.bootstrap import stationary_rows

Kind = Literal["shuffle", "bootstrap", "blocks", "skip", "shift"]
KINDS: tuple[Kind, ...] = get_args(Kind)
BANDS = (5, 25, 50, 75, 95)
_CHUNK = 4_000_000  # numbers at once, so that many trades and many samples stay within memory
_MOST_STEPS = 24
_ALIKE = 1e-9  # of the sum of all trades: the same trades added in another order differ by less


@dataclass(frozen=True, eq=False)
class Measures:
    """What each sample came to, shape (samples,); money, except `over_drawdown` and the counts.

    over_drawdown : net over the largest drawdown, inf without one that fell
    losing : the longest run of trades that did not win; ruined : whether equity ever fell to 0
    """

    net: Floats
    drawdown: Floats
    over_drawdown: Floats
    losing: Floats
    ruined: Floats


@dataclass(frozen=True, eq=False)
class Resampled:
    """The samples of one kind beside the run itself.

    real : the same measures of the trades as they came, shape (1,) each
    bands : float64, shape (5, points), equity's 5th, 25th, 50th, 75th and 95th percentile after `at` trades
    path : float64, shape (points,), the run's own equity there
    places : for net, drawdown, over_drawdown and losing, the share of samples that were worse than the run, 0 to 1
    compounds : whether results by the equity before them were drawn, not money
    """

    kind: Kind
    samples: Measures
    real: Measures
    at: Floats
    bands: Floats
    path: Floats
    places: dict[str, float]
    compounds: bool


def resample(
    net: Floats, capital: float, kind: Kind, samples: int = 1_000, seed: int = 1, share: float = 0.1, block: int = 10,
    compounds: bool = False,
) -> Resampled:  # fmt: skip
    """Trades drawn anew `samples` times, the same for the same seed.

    shuffle : the same trades in another order, so only the way differs, not the end
    bootstrap : as many trades drawn with replacement (Efron 1979, Annals of Statistics 7(1)); blocks : in stretches of
        `block` trades on average that stay together, the end going on at the beginning (the stationary bootstrap:
        Politis and Romano 1994, JASA 89)
    skip : each trade left out with chance `share`, as if it had not been made; shift : `share` of the mean absolute
    result taken from each,
        times a chance between 0 and 2: every trade a little worse, all by the same amount on average

    net : float64, shape (trades,), money, in order of exit. Where size `compounds`, what is drawn is each trade's
    result by the equity before it, and equity grows by those; unless equity was ever at or below 0. Raises
    SettingsError with fewer than 2 trades, or settings out of range.
    """
    if net.size < 2:
        raise SettingsError(f"resampling needs 2 trades or more, this run has {net.size}")
    if not 1 <= samples <= 100_000 or not 0 <= share <= 1 or block < 1:
        raise SettingsError("samples are 1 to 100,000, share is 0 to 1, block is 1 or more")
    own = capital + np.cumsum(net)
    before = np.concatenate(([capital], own[:-1]))
    compounds = compounds and bool((before > 0).all())
    steps = net / before if compounds else net
    rng = np.random.default_rng(seed)
    points = np.unique(np.linspace(0, net.size, min(net.size + 1, 200)).astype(np.int64))
    paths, parts = np.empty((samples, points.size)), []
    step = max(1, _CHUNK // net.size)
    for begin in range(0, samples, step):
        count = min(step, samples - begin)
        drawn = _drawn(steps, kind, count, rng, share, block)
        equity = _equity(drawn, capital, compounds)
        paths[begin : begin + count] = np.concatenate((np.full((count, 1), capital), equity), axis=1)[:, points]
        parts.append(_measured(drawn, equity, capital))
    found = Measures(*(np.concatenate([getattr(part, name) for part in parts]) for name in Measures.__annotations__))
    real = _measured(net[None, :], own[None, :], capital)
    money = _ALIKE * float(np.abs(net).sum())
    places = {
        "net": float(np.mean(found.net < real.net[0] - money)),
        "drawdown": float(np.mean(found.drawdown > real.drawdown[0] + money)),
        "over_drawdown": float(np.mean(found.over_drawdown < real.over_drawdown[0] - _ALIKE)),
        "losing": float(np.mean(found.losing > real.losing[0])),
    }
    bands = np.percentile(paths, BANDS, axis=0)
    path = np.concatenate(([capital], own))[points]
    return Resampled(kind, found, real, points.astype(np.float64), bands, path, places, compounds)


def percentile_range(values: Floats, percent: float) -> tuple[float, float]:
    """Between which two of some samples their percentile lies with 95 %, had there been endlessly many of them.

    The ranks of a binomial, by its normal approximation (Conover 1999, Practical Nonparametric Statistics, 3.2).
    """
    known = np.sort(values)
    share = percent / 100.0
    reach = 1.96 * float(np.sqrt(known.size * share * (1.0 - share)))
    low, high = int(np.floor(known.size * share - reach)), int(np.ceil(known.size * share + reach))
    return float(known[max(low, 0)]), float(known[min(high, known.size - 1)])


def counted(values: Floats) -> tuple[Floats, Ints]:
    """Finite values counted in up to 24 equal steps: the steps' edges, shape (k + 1,), and the counts, shape (k,).

    Steps of whole numbers are of whole width, about those numbers. Values that differ by rounding alone are one step;
    without a finite value there is none.

    >>> [part.tolist() for part in counted(np.array([1.0, 2.0, 2.0, 4.0]))]
    [[0.5, 1.5, 2.5, 3.5, 4.5], [1, 2, 0, 1]]
    """
    known = values[np.isfinite(values)]
    if known.size == 0:
        return np.zeros(0), np.zeros(0, np.int64)
    low, high = float(known.min()), float(known.max())
    if (known == np.rint(known)).all() and high > low:
        width = -(-(high - low + 1.0) // _MOST_STEPS)
        edges = np.arange(low - 0.5, high + 0.5 + width, width)
        edges = edges[: int(np.searchsorted(edges, high)) + 1]
    elif high - low <= _ALIKE * max(abs(low), abs(high)):
        edges = np.array([low, high]) if high > low else np.array([low - 0.5, low + 0.5])
    else:
        edges = np.linspace(low, high, _MOST_STEPS + 1)
    return edges, np.histogram(known, edges)[0].astype(np.int64)


def _equity(drawn: Floats, capital: float, compounds: bool) -> Floats:
    """Equity after each trade of samples, shape of `drawn`; what is at 0 stays there where size compounds."""
    if compounds:
        return np.asarray(capital * np.cumprod(np.maximum(1.0 + np.nan_to_num(drawn), 0.0), axis=1), np.float64)
    return np.asarray(capital + np.nancumsum(drawn, axis=1), np.float64)


def _drawn(net: Floats, kind: Kind, count: int, rng: np.random.Generator, share: float, block: int) -> Floats:
    """Samples of the trades, shape (count, trades); NaN where one was not made."""
    size = net.size
    if kind == "shuffle":
        return rng.permuted(np.broadcast_to(net, (count, size)), axis=1)
    if kind == "bootstrap":
        return net[rng.integers(0, size, (count, size))]
    if kind == "blocks":
        return net[stationary_rows(size, count, block, rng)]
    if kind == "skip":
        return np.where(rng.random((count, size)) < share, np.nan, net)
    if kind == "shift":
        return net - share * np.abs(net).mean() * rng.uniform(0, 2, (count, size))
    raise SettingsError(f"resampling is one of {', '.join(KINDS)}, not `{kind}`")


def _measured(drawn: Floats, equity: Floats, capital: float) -> Measures:
    peaks = np.maximum(np.maximum.accumulate(equity, axis=1), capital)
    drawdown = (peaks - equity).max(axis=1)
    net = equity[:, -1] - capital
    with np.errstate(divide="ignore", invalid="ignore"):
        over = np.where(drawdown > 0, net / drawdown, np.inf)
    losing = np.zeros(drawn.shape[0])
    run = np.zeros(drawn.shape[0])
    for column in drawn.T:
        run = np.where(column <= 0, run + 1, np.where(column > 0, 0, run))
        np.maximum(losing, run, out=losing)
    return Measures(net, drawdown, over, losing, (equity.min(axis=1) <= 0).astype(np.float64))
