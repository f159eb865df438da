"""The simulation: accounts, costs, fills, ledger."""

from skelb.core.engine.account import Account
from skelb.core.engine.ledger import Outcome, Rows, Trades, exit_reason_of
from skelb.core.engine.memory import Pool
from skelb.core.engine.points import Points, run_points
from skelb.core.engine.run import Simulation, run, run_basket
from skelb.core.engine.words import Moment, Reason, Skip

__all__ = [
    "Account",
    "Moment",
    "Outcome",
    "Points",
    "Pool",
    "Reason",
    "Rows",
    "Simulation",
    "Skip",
    "Trades",
    "exit_reason_of",
    "run",
    "run_basket",
    "run_points",
]
