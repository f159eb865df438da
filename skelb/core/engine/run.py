"""Running plans on an account."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from skelb.core.engine import kernel
from skelb.core.engine.account import Account
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
        self.q, self.f, self.series = lay_out(self.plans, account, self.offsets, self.pool)
        alone = len(plans) == 1
        self.first = plans[0].first if alone else 0
        self.last = plans[0].last if alone else len(self.series.ends) - 1
        self.q[kernel.A_MOMENT] = self.first
        self._most_events = most_events(self.plans)

    def advance(self, until: int | None = None) -> int:
        """Run to before moment `until`, or to the end; returns the moment reached."""
        wanted = self.last + 1 if until is None else min(until, self.last + 1)
        reached = begun = int(self.q[kernel.A_MOMENT])
        while reached < wanted:
            stop_point((reached - begun) / (wanted - begun))
            end = min(wanted, reached + _STRETCH_MOMENTS)
            while kernel.simulate(end, self.last, self._most_events, self.q, self.f, self.series) < end:
                self.series = with_larger_ledger(self.series)
                self.pool.keep_ledger(self.series)
            reached = end
        return int(self.q[kernel.A_MOMENT])

    def state(self) -> tuple[Table, Table]:
        """A copy of all that the run goes on from, its ledger and equity apart."""
        return self.q.copy(), self.f.copy()

    def restore(self, state: tuple[Table, Table]) -> None:
        """Go back, or forward, to a state that was copied before."""
        self.q[:], self.f[:] = state

    def outcomes(self) -> list[Outcome]:
        """What every market's run left behind."""
        q, series = self.q, self.series
        trades, skips = int(q[kernel.A_TRADES]), int(q[kernel.A_SKIPS])
        whole, numbers, skipped = series.ti[:trades], series.tf[:trades], series.skips[:skips]
        found = []
        for k, (plan, (begin, end)) in enumerate(zip(self.plans, pairwise(self.offsets), strict=True)):
            mine, of_market = slice(None), slice(None)
            if len(self.plans) > 1:
                mine = whole[:, kernel.TI_MARKET] == k
                of_market = (skipped[:, 0] >= begin) & (skipped[:, 0] < end)
            market_whole, market_skips = whole[mine], skipped[of_market]
            if begin:
                market_whole[:, [kernel.TI_ENTRY_BAR, kernel.TI_EXIT_BAR]] -= begin
                market_skips[:, 0] -= begin
            found.append(
                Outcome(
                    plan,
                    self.account.capital,
                    Trades(market_whole, numbers[mine]),
                    market_skips,
                    series.equity[begin + plan.first : begin + plan.last + 1],
                    int(q[kernel.A_CUTS]),
                    bool(q[kernel.A_RUINED]),
                    self.account.cash_rate,
                )
            )
        return found
