"""A run at a glance: how many trades, what came of them, and a picture of the bars around the newest ones."""

from dataclasses import dataclass

import numpy as np

from skelb.core.engine import Outcome
from skelb.core.export import Preview, preview_of
from skelb.service.prepared import Prepared

_BARS = 220
_AFTER = 12  # bars shown after the newest exit


@dataclass(frozen=True, slots=True)
class GlimpsedTrade:
    """A trade by bars of the picture; `last` is None where it went on beyond it."""

    first: int
    last: int | None
    side: int
    net: float


@dataclass(frozen=True, slots=True)
class Glimpse:
    """What a script comes to on a market, in brief; `trades` and `net` are None for one without entries.

    `finding` is the gravest of what is found of it, empty where nothing is.
    """

    trades: int | None
    net: float | None
    finding: str
    from_date: str
    to_date: str
    columns: list[str]
    picture: Preview
    berths: list[GlimpsedTrade]


def glimpse_of(prepared: Prepared) -> Glimpse:
    """A sound script on its bars. Raises ScriptError with its first error, SettingsError where it cannot run."""
    prepared.sound().alone()
    checked, dataset = prepared.checked, prepared.dataset
    result = prepared.backtest() if checked.has_entries else None
    outcome = result.outcome if result else None
    first, last = (outcome.first, outcome.last) if outcome else (0, len(dataset) - 1)
    end = last + 1
    if outcome and len(outcome.trades):
        end = min(end, int(outcome.trades.exit_bar[-1]) + 1 + _AFTER)
    begin = max(0, end - _BARS)
    days = [str(np.datetime64(int(dataset.bars.time[at]), "s"))[:10] for at in (first, last)]
    return Glimpse(
        trades=len(outcome.trades) if outcome else None,
        net=float(outcome.trades.net.sum()) if outcome else None,
        finding=result.findings[0].message if result and result.findings else "",
        from_date=days[0],
        to_date=days[1],
        columns=list(dataset.bars.columns),
        picture=preview_of(checked, prepared.inputs, dataset, begin, end),
        berths=_berths(outcome, begin, end) if outcome else [],
    )


def _berths(outcome: Outcome, begin: int, end: int) -> list[GlimpsedTrade]:
    trades = outcome.trades
    seen = np.flatnonzero((trades.exit_bar >= begin) & (trades.entry_bar < end)).tolist()
    return [
        GlimpsedTrade(
            first=max(0, int(trades.entry_bar[row]) - begin),
            last=int(trades.exit_bar[row]) - begin if trades.exit_bar[row] < end else None,
            side=int(trades.side[row]),
            net=float(trades.net[row]),
        )
        for row in seen
    ]
