"""The simulation: accounts, costs, fills, ledger."""

from skelb.core.engine.account import Account
from skelb.core.engine.ledger import SKIP_REASONS, Outcome, Trades
from skelb.core.engine.run import run

__all__ = ["SKIP_REASONS", "Account", "Outcome", "Trades", "run"]
