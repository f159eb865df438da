"""What the best of many tries is worth: the deflated Sharpe ratio."""

from dataclasses import dataclass
from statistics import NormalDist

import numpy as np

from skelb.core.bars import Floats

_EULER = 0.5772156649015329
_NORMAL = NormalDist()
_PROVEN = 0.95


@dataclass(frozen=True)
class Deflated:
    """A Sharpe ratio beside what luck alone would have shown after so many tries.

    sharpe : of one day's relative change; expected_best : the Sharpe that the best of `tries` worthless ones shows
    probability : of a lower Sharpe on so many days where the true one is `expected_best`; `probability_alone` where it
    is 0, as for a single try. One less either is a p-value: not the chance that an edge is real or not.
    """

    sharpe: float
    tries: int
    expected_best: float
    probability: float
    probability_alone: float

    @property
    def sentence(self) -> str:
        """The verdict in plain words."""
        if self.tries <= 1:
            return (
                f"It shows a Sharpe of {self.sharpe:.3f} a day; without any edge, as much comes from luck alone in"
                f" {1 - self.probability_alone:.1%} of histories of so many days."
            )
        verdict = "no more than luck shows"
        if self.sharpe > self.expected_best:
            verdict = "hard to explain by luck" if self.probability >= _PROVEN else "not proven"
        return (
            f"The best of {self.tries:,} worthless tries would have shown a Sharpe of {self.expected_best:.3f} a day; this one "  # noqa: E501
            f"shows {self.sharpe:.3f}, which a true one of that height reaches in {1 - self.probability:.1%} of histories: {verdict}."  # noqa: E501
        )


def expected_best(tries: int, spread: float) -> float:
    """The mean of the largest of so many normal draws about 0 of that deviation (Bailey and López de Prado 2014)."""
    if tries <= 1:
        return 0.0
    ends = _NORMAL.inv_cdf(1 - 1 / tries), _NORMAL.inv_cdf(1 - 1 / (tries * np.e))
    return spread * float((1 - _EULER) * ends[0] + _EULER * ends[1])


def best_within(tries: int, spread: float, share: float) -> float:
    """What the largest of so many such draws stays under in a share of cases: Φ⁻¹(share ^ (1 / tries)) deviations."""
    return spread * _NORMAL.inv_cdf(share ** (1.0 / tries))


def deflated(changes: Floats, tries: int, spread: float | None = None) -> Deflated | None:
    """The deflated Sharpe ratio of a run that was the best of `tries`.

    changes : float64, shape (days,), equity's relative change from day to day; None with fewer than 3 or without spread
    spread : the deviation of the daily Sharpe among the tries; by default that of a worthless one, 1 / √(days - 1)

    Bailey and López de Prado (2014), "The Deflated Sharpe Ratio", Journal of Portfolio Management 40(5): with n days,
    skewness g and kurtosis k, probability = Φ((S - S₀) √(n - 1) / √(1 - g S + (k - 1) S² / 4)), S₀ the expected
    largest of N normal draws.
    """
    days = changes.size
    if days < 3 or tries < 1:
        return None
    deviation = float(changes.std(ddof=1))
    if deviation <= 0:
        return None
    sharpe = float(changes.mean()) / deviation
    scaled = (changes - changes.mean()) / changes.std()
    skewness, kurtosis = float(np.mean(scaled**3)), float(np.mean(scaled**4))
    scale = np.sqrt(max(1e-12, 1.0 - skewness * sharpe + (kurtosis - 1.0) / 4.0 * sharpe * sharpe))
    width = spread if spread is not None else 1.0 / np.sqrt(days - 1)
    best = expected_best(tries, float(width))
    root = np.sqrt(days - 1) / scale
    return Deflated(sharpe, tries, best, _NORMAL.cdf(float((sharpe - best) * root)), _NORMAL.cdf(float(sharpe * root)))
