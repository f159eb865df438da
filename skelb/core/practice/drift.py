"""Whether practice is still the strategy that was tested: its figures against what as many trades of the test give."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.engine import Moment
from skelb.core.engine.ledger import Rows
from skelb.core.plan import Dataset

FEWEST_TRADES = 30
_DRAWS = 2_000
_LOW, _HIGH = 5.0, 95.0
_WEEK_S = 7 * 86_400
_SEED = 20_250_327


@dataclass(frozen=True, slots=True)
class Band:
    """A figure of practice and where nine in ten draws from the backtest lie.

    value is None without trades; low, middle and high (percentiles 5, 50 and 95) are None where the backtest has none
    """

    key: str
    value: float | None
    low: float | None
    middle: float | None
    high: float | None

    @property
    def is_outside(self) -> bool:
        """Whether the figure lies outside the band."""
        if self.value is None or self.low is None or self.high is None:
            return False
        return not self.low <= self.value <= self.high


@dataclass(frozen=True)
class Drift:
    """The bands, how many trades practice and backtest have, and the verdict in a sentence."""

    trades: int
    tested: int
    bands: tuple[Band, ...]
    verdict: str


@dataclass(frozen=True, eq=False)
class Ledger:
    """What drift looks at in trades: money after costs, `slippage_a_side` in ticks, moments of entry in seconds since
    1970 UTC, rising; all shape (trades,)."""

    net: Floats
    slipped: Floats
    entered: Ints

    @classmethod
    def of(cls, traded: Sequence[tuple[Rows, Dataset]]) -> "Ledger":
        """The trades of some markets, each with its dataset."""
        entered = np.concatenate([dataset.bars.time[rows["entry_bar"]] for rows, dataset in traded])
        slipped = np.concatenate([slippage_a_side(rows, dataset) for rows, dataset in traded])
        return cls(np.concatenate([rows["net"] for rows, _ in traded]), slipped, np.sort(entered))


def drift_of(mine: Ledger, span: tuple[int, int], theirs: Ledger, tested_span: tuple[int, int]) -> Drift:
    """Trades of practice against those of the backtest.

    A span is the first and last moment of what was gone through. Each figure's band is drawn from the backtest: as
    many trades with replacement (Efron 1979); the pace's from stretches of practice's length.
    """
    count, tested = mine.net.size, theirs.net.size
    generator = np.random.default_rng(_SEED)
    weeks = max(0.0, (span[1] - span[0]) / _WEEK_S)
    bands = [
        Band(
            "trades_a_week",
            count / weeks if weeks > 0 else None,
            *_pace(theirs.entered, tested_span, span, weeks, generator),
        )
    ]
    drawn = generator.integers(0, tested, (_DRAWS, count)) if tested and count else np.zeros((0, 0), np.int64)
    for key, own, of_test in (
        ("average_trade", mine.net, theirs.net),
        ("win_rate", (mine.net > 0) * 100.0, (theirs.net > 0) * 100.0),
        ("slippage_a_side", mine.slipped, theirs.slipped),
    ):
        value = float(own.mean()) if count else None
        bands.append(Band(key, value, *(_percentiles(of_test[drawn].mean(axis=1)) if drawn.size else (None,) * 3)))
    return Drift(count, tested, tuple(bands), _verdict(count, tested, bands))


def slippage_a_side(rows: Rows, dataset: Dataset) -> Floats:
    """How much worse the fills of each trade were than the prices known before them, in ticks, the mean of its two
    sides, shape (trades,).

    A fill at an open is held against the close before it, so that the gap counts; one inside a bar or at its close
    against the market's own price there, so that spread and slippage count. Negative where a gap helped.
    """
    close = dataset.bars.close

    def known(bars: Ints, moments: Ints, mids: Floats) -> Floats:
        return np.where((moments == Moment.OPEN) & (bars > 0), close[np.maximum(bars, 1) - 1], mids)

    bought = rows["entry_price"] - known(rows["entry_bar"], rows["entry_moment"], rows["entry_mid"])
    sold = known(rows["exit_bar"], rows["moment"], rows["exit_mid"]) - rows["exit_price"]
    found: Floats = rows["side"] * (bought + sold) / (2.0 * dataset.market.tick)
    return found


def _pace(
    entered: Ints, tested: tuple[int, int], span: tuple[int, int], weeks: float, generator: np.random.Generator
) -> tuple[float | None, float | None, float | None]:
    """Trades a week in stretches of the backtest as long as practice."""
    length = span[1] - span[0]
    if weeks <= 0 or length >= tested[1] - tested[0]:
        return None, None, None
    begins = generator.integers(tested[0], tested[1] - length, _DRAWS)
    counts = np.searchsorted(entered, begins + length) - np.searchsorted(entered, begins)
    return _percentiles(counts / weeks)


def _percentiles(values: Floats) -> tuple[float, float, float]:
    low, middle, high = np.percentile(values, (_LOW, 50.0, _HIGH))
    return float(low), float(middle), float(high)


def _verdict(count: int, tested: int, bands: list[Band]) -> str:
    if not tested:
        return "The backtest made no trades: there is nothing to hold practice against."
    if not count:
        return f"No trades yet: {FEWEST_TRADES} are needed before this says much."
    outside = [band.key.replace("_", " ") for band in bands if band.is_outside]
    trades = f"{count} trade{'s' if count != 1 else ''}"
    if not outside:
        end = "." if count >= FEWEST_TRADES else f"; {FEWEST_TRADES} are needed before this says much."
        return f"{trades}: nothing outside what the backtest expects{end}"
    listed = ", ".join(outside)
    if count < FEWEST_TRADES:
        return f"{trades}: {listed} outside the band, but it is too early to say: {FEWEST_TRADES} are needed."
    told = f"{trades}: {listed} outside what nine in ten draws from the backtest give."
    return f"{told} It is not the strategy that was tested."
