"""Running plans on an account."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from skelb.core.engine.account import Account
from skelb.core.engine.kernel.simulate import simulate
from skelb.core.engine.ledger import Outcome, Trades
from skelb.core.engine.memory import Pool, lay_out, most_events, with_larger_ledger
from skelb.core.errors import SettingsError
from skelb.core.plan import Plan
from skelb.core.stopping import stop_point

Table = NDArray[Any]
_STRETCH_MOMENTS = 50_000  # some milliseconds, between two looks whether the run is still wanted


def run(plan: Plan, account: Account, pool: Pool | None = None) -> Outcome:
    """The outcome of a plan on an account: the same for the same arguments, to the last bit.

    With a pool its arrays are the pool's, and hold until the next run with it.
    """
    simulation = Simulation([plan], account, pool)
    simulation.advance()
    return simulation.outcomes()[0]


def run_basket(plans: Sequence[Plan], account: Account) -> list[Outcome]:
    """The outcomes of one script's plans, one a market, on one account: one cash, one equity, one margin.

    Each outcome holds its market's trades and skipped orders; its equity is the account's at that market's bars.
    Raises SettingsError when the plans are of different timeframes.
    """
    simulation = Simulation(plans, account)
    simulation.advance()
    return simulation.outcomes()


class Simulation:
    """A run that can be stopped before any moment, looked at, and gone on with.

    Moments are bars of one market, or, of several, the distinct opening times from the first of any run's dates on.
    """

    def __init__(self, plans: Sequence[Plan], account: Account, pool: Pool | None = None) -> None:
        if len({plan.dataset.bars.timeframe for plan in plans}) > 1:
            raise SettingsError("markets on one account are run on one timeframe")
        self.plans, self.account = list(plans), account
        self.offsets = np.cumsum([0, *(len(plan.dataset) for plan in plans)])
        self.pool = pool or Pool()
        self.memory, self.series = lay_out(self.plans, account, self.offsets, self.pool)
        alone = len(plans) == 1
        self.first = plans[0].first if alone else 0
        self.last = plans[0].last if alone else len(self.series.ends) - 1
        self._most_events = most_events(self.plans)

    def advance(self, until: int | None = None) -> int:
        """Run to before moment `until`, or to the end; returns the moment reached."""
        wanted = self.last + 1 if until is None else min(until, self.last + 1)
        reached = begun = self.moment
        while reached < wanted:
            stop_point((reached - begun) / (wanted - begun))
            end = min(wanted, reached + _STRETCH_MOMENTS)
            while simulate(end, self.last, self._most_events, self.memory.block, self.series) < end:
                self.series = with_larger_ledger(self.series)
                self.pool.keep_ledger(self.series)
            reached = end
        return self.moment

    @property
    def moment(self) -> int:
        """The next moment to run."""
        return int(self.memory.tables["account"]["moment"][0])

    def state(self) -> Table:
        """A copy of all that the run goes on from, its ledger and equity apart."""
        return self.memory.block.copy()

    def restore(self, state: Table) -> None:
        """Go back, or forward, to a state that was copied before."""
        self.memory.block[:] = state

    def outcomes(self) -> list[Outcome]:
        """What every market's run left behind."""
        account, series = self.memory.tables["account"][0], self.series
        trades, skips = series.trades[: account["trades"]], series.skips[: account["skips"]]
        found = []
        for k, (plan, (begin, end)) in enumerate(zip(self.plans, pairwise(self.offsets), strict=True)):
            mine, skipped = trades, skips
            if len(self.plans) > 1:
                mine = trades[trades["market"] == k]
                skipped = skips[(skips["bar"] >= begin) & (skips["bar"] < end)]
                mine["entry_bar"] -= begin
                mine["exit_bar"] -= begin
                skipped["bar"] -= begin
            found.append(
                Outcome(
                    plan,
                    self.account.capital,
                    Trades(mine),
                    skipped,
                    series.equity[begin + plan.first : begin + plan.last + 1],
                    int(account["cuts"]),
                    bool(account["is_ruined"]),
                    self.account.cash_rate,
                )
            )
        return found
