"""A strategy that follows bars as they come: what it did, how it stands, what it would do next, and whether it is still
the one that was tested."""

from skelb.core.practice.drift import FEWEST_TRADES, Band, Drift, Ledger, drift_of, slippage_a_side
from skelb.core.practice.following import FollowedMarket, Following, Happening, SoFar, lengthened
from skelb.core.practice.next_steps import Lack, NextStep, next_steps

__all__ = [
    "FEWEST_TRADES",
    "Band",
    "Drift",
    "FollowedMarket",
    "Following",
    "Happening",
    "Lack",
    "Ledger",
    "NextStep",
    "SoFar",
    "drift_of",
    "lengthened",
    "next_steps",
    "slippage_a_side",
]
