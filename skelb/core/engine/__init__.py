"""The simulation: accounts, costs, fills, ledger."""

from skelb.core.engine.account import Account
from skelb.core.engine.ledger import SKIP_REASONS, Outcome, Trades
from skelb.core.engine.memory import Pool
from skelb.core.engine.run import Simulation, run, run_basket

__all__ = ["SKIP_REASONS", "Account", "Outcome", "Pool", "Simulation", "Trades", "run", "run_basket"]
