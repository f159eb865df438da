"""Whether it matters when a run was in the market: the same positions, held as long, at other times."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.engine import Moment, Outcome
from skelb.core.errors import SettingsError
from skelb.core.stopping import stop_point

DRAWS = 999
_AT_ONCE = 37  # draws between two stop points
_FEWEST_PIECES = 12
_ALIKE = 1e-9


@dataclass(frozen=True)
class Timing:
    """How the run's positions did beside the same ones at other times.

    earned : what they earned before costs, money, each held from the open or close nearest to its fills
    draws : histories drawn; as_good : those in which they did at least as well for what they risked
    p : (1 + as_good) / (draws + 1), the chance of that where it does not matter when they are held
    """

    earned: float
    draws: int
    as_good: int
    p: float


@dataclass(frozen=True, eq=False)
class Path:
    """Positions against time, in steps over which they stay the same.

    moved, gapped : float64, shape (bars,), from every bar's open to its close, and from there to the next bar's open
    (0 after the last); lengths : int64, shape (steps,), bars of each; held, kept : float64, shape (steps,), money a
    point inside its bars and over the gaps behind them; pieces : int64, shape (pieces + 1,), where steps of one
    side (or none) begin, and their end
    """

    moved: Floats
    gapped: Floats
    lengths: Ints
    held: Floats
    kept: Floats
    pieces: Ints


def path_of(outcome: Outcome) -> Path:
    """The positions of a run, net of all lots."""
    trades, first = outcome.trades, outcome.first
    size = outcome.last + 1 - first
    bars = outcome.plan.dataset.bars
    opens, closes = bars.open[first : outcome.last + 1], bars.close[first : outcome.last + 1]
    entries = trades.entry_moment
    money = trades.side * trades.units * outcome.values(trades.entry_bar, entries)
    begins, ends = trades.entry_bar - first, trades.exit_bar - first
    held = _summed(size, money, begins, ends + (trades.moment != Moment.OPEN))
    kept = _summed(size, money, np.maximum(begins - (entries == Moment.CLOSE), 0), ends)
    edges = np.flatnonzero(np.append(True, (held[1:] != held[:-1]) | (kept[1:] != kept[:-1])))
    sides = np.sign(np.where(held[edges] != 0, held[edges], kept[edges]))
    pieces = np.append(np.flatnonzero(np.append(True, sides[1:] != sides[:-1])), edges.size)
    lengths = np.diff(np.append(edges, size))
    return Path(closes - opens, np.append(opens[1:] - closes[:-1], 0.0), lengths, held[edges], kept[edges], pieces)


def _summed(size: int, money: Floats, begins: Ints, ends: Ints) -> Floats:
    """What is held in every bar, from the bar it begins to the one before it ends."""
    changes = np.zeros(size + 1)
    np.add.at(changes, begins, money)
    np.add.at(changes, ends, -money)
    found = np.cumsum(changes[:-1])
    found[np.abs(found) <= _ALIKE * np.abs(money).max(initial=0.0)] = 0.0  # what is left of sums is rounding
    return found


def timings(path: Path, seed: int = 1, draws: int = DRAWS) -> Iterator[tuple[int, Timing | None]]:
    """How many histories have been drawn, again and again, and at the end what they come to.

    A history is the run's own path cut into its pieces (held long, held short, out), which come in another order and
    begin at another bar: exposure and holding times stay, and with them the costs; only when they are held differs.
    Path and prices being unrelated is what is tested: Politis and Romano (1994), JASA 89, 1303-1313, for turning a
    series about itself; Phipson and Smyth (2010), SAGMB 9(1), for the 1 added to both. Histories are ranked by what
    they earn over the root of its squares, as quiet times and wild ones are not worth alike.

    Raises SettingsError when there are fewer than 12 pieces: too little to put in another order.
    """
    if path.pieces.size - 1 < _FEWEST_PIECES:
        raise SettingsError("there are too few positions to ask whether it matters when they are held")
    rng = np.random.default_rng(seed)
    sums = _Sums(path.moved, path.gapped)
    own, own_score = sums.of(path.held, path.kept, path.lengths, 0)
    as_good = 0
    for done in range(draws):
        if done % _AT_ONCE == 0 and done:
            stop_point()
            yield done, None
        order = rng.permutation(path.pieces.size - 1)
        steps = _joined(path.pieces[order], path.pieces[order + 1])
        _, score = sums.of(path.held[steps], path.kept[steps], path.lengths[steps], int(rng.integers(path.moved.size)))
        as_good += score >= own_score - _ALIKE
    yield draws, Timing(own, draws, as_good, (1 + as_good) / (draws + 1))


def _joined(begins: Ints, ends: Ints) -> Ints:
    """The numbers of several stretches, one stretch after the other."""
    sizes = ends - begins
    return np.arange(sizes.sum()) + np.repeat(begins - np.concatenate(([0], np.cumsum(sizes)[:-1])), sizes)


class _Sums:
    """Sums of moves and of their squares up to every bar, twice around, so that any path is read step by step."""

    def __init__(self, moved: Floats, gapped: Floats) -> None:
        self._size = moved.size
        columns = (moved, gapped, moved * moved, gapped * gapped, moved * gapped)
        self._sums = np.stack([np.concatenate(([0.0], np.cumsum(np.tile(column, 2)))) for column in columns])

    def of(self, held: Floats, kept: Floats, lengths: Ints, begin: int) -> tuple[float, float]:
        """What a path that begins at a bar earns, and that over the root of its squares."""
        ends = np.cumsum(lengths)
        starts = begin + ends - lengths
        starts = starts - self._size * (starts >= self._size)
        moved, gapped, moves, gaps, both = self._sums[:, starts + lengths] - self._sums[:, starts]
        earned = float(held @ moved + kept @ gapped)
        square = float((held * held) @ moves + (kept * kept) @ gaps + 2.0 * ((held * kept) @ both))
        return earned, earned / square**0.5 if square > 0 else 0.0
