"""Walk-forward: inputs chosen anew on every window, traded on the days after it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.engine import Outcome
from skelb.core.errors import SettingsError
from skelb.core.figures import Figures, figures_of, record_together
from skelb.core.trials.grid import Point
from skelb.core.trials.spans import Span, Window
from skelb.core.trials.sweep import Sweep


@dataclass(frozen=True, eq=False)
class Leg:
    """One span of a stitched run: the inputs traded on it, what that left behind on the account as it then stood, and
    its figures."""

    span: Span
    point: Point
    outcomes: list[Outcome]
    figures: Figures


@dataclass(frozen=True, eq=False)
class Stitched:
    """Runs end to end on one account, each beginning with what the one before left.

    times : int64, shape (bars,), closes of the bars in seconds since 1970; days : their trading days; equity : float64,
    shape (bars,)
    """

    legs: tuple[Leg, ...]
    times: Ints
    days: Ints
    equity: Floats
    capital: float

    @property
    def daily(self) -> Floats:
        """What each trading day earned, money, shape (days,)."""
        ends = np.flatnonzero(np.append(self.days[1:] != self.days[:-1], True)) if self.days.size else self.days
        return np.diff(np.concatenate(([self.capital], self.equity[ends])))

    @property
    def net(self) -> float:
        """What all legs earned."""
        return float(self.equity[-1]) - self.capital if self.equity.size else 0.0

    @property
    def drawdown(self) -> float:
        """Largest fall of equity from an earlier peak, in money; the capital is the first peak."""
        peaks = np.maximum.accumulate(np.concatenate(([self.capital], self.equity)))
        return float((peaks[1:] - self.equity).max(initial=0.0))


def stitched(sweep: Sweep, steps: Sequence[tuple[Span, Point]]) -> Stitched:
    """The runs of points on spans, one after the other; it ends early when the account is empty.

    Positions are closed at the end of every span, as at the end of any run. Raises SettingsError when one cannot run.
    """
    capital = sweep.account.capital
    legs: list[Leg] = []
    times: list[Ints] = [np.zeros(0, np.int64)]
    days: list[Ints] = [np.zeros(0, np.int64)]
    equity: list[Floats] = [np.zeros(0)]
    for span, point in steps:
        if capital <= 0:
            break
        outcomes = sweep.outcomes_with(capital, point, span)
        record = record_together(outcomes)
        legs.append(Leg(span, point, outcomes, figures_of(record)))
        times.append(record.closes)
        days.append(record.day_of_points)
        equity.append(record.equity)
        capital = float(record.equity[-1])
    return Stitched(
        tuple(legs), np.concatenate(times), np.concatenate(days), np.concatenate(equity), sweep.account.capital
    )


def efficiency(windows: Sequence[Window], inside: Sequence[float], outside: Sequence[float]) -> float | None:
    """Net a trading day outside over net a trading day inside, of the choices; None when they earned nothing inside.

    Pardo (2008), "The Evaluation and Optimization of Trading Strategies", chapter 11, with trading days for years.
    """
    if not windows or not len(windows) == len(inside) == len(outside):
        raise SettingsError("there is one net inside and one outside for every window")
    daily_inside = sum(inside) / sum(window.inside.days for window in windows)
    daily_outside = sum(outside) / sum(window.outside.days for window in windows)
    return daily_outside / daily_inside if daily_inside > 0 else None
