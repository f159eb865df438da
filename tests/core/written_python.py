"""A strategy's trades by its written Python file, and by the engine, as the same rows."""

import sys
import types
from collections.abc import Mapping

import pytest

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.engine import Account, run
from skelb.core.export.documents import trade_rows
from skelb.core.export.python import Instrument, python_of
from skelb.core.language import Checked
from skelb.core.plan import Dataset, input_values, make_dataset, make_plan


def loaded(text: str) -> dict:
    """What a written file defines."""
    written = types.ModuleType("written")
    sys.modules["written"] = written  # dataclasses look for the module they stand in
    exec(compile(text, "written.py", "exec"), vars(written))  # it is our own text, as its reader would run it
    return vars(written)


def rows_of(found: dict, bars: Bars) -> list:
    """Bars as rows of a written file."""
    names = list(bars.columns)
    return [
        found["Row"](int(time), *map(float, values), {name: float(bars.columns[name][place]) for name in names})
        for place, (time, *values) in enumerate(
            zip(bars.time, bars.open, bars.high, bars.low, bars.close, bars.volume, strict=True)
        )
    ]


def trades_of_file(text: str, bars: Bars, others: Mapping[str, Bars] | None = None) -> list[dict]:
    """The trades of a written file over bars, by its own account; `others` are bars of markets that its rules read."""
    found = loaded(text)
    market, minutes = found["MARKET"], bars.timeframe.minutes
    calendar = found["Calendar"](market, minutes)
    strategy = found["Strategy"](found["Inputs"](), market, minutes)
    for symbol, theirs in (others or {}).items():
        if symbol in found.get("OTHERS", {}):
            there = found["Calendar"](found["OTHERS"][symbol], theirs.timeframe.minutes)
            strategy.others[symbol] += [bar for row in rows_of(found, theirs) for bar in [there.next(row)] if bar]
    account = found["Account"](strategy, market, found["SETTINGS"])
    here = [bar for row in rows_of(found, bars) for bar in [calendar.next(row)] if bar]
    for place, bar in enumerate(here):
        account.on_bar(bar, is_last=place == len(here) - 1)
    return [vars(trade) for trade in account.trades]


def trades_of_engine(
    checked: Checked,
    bars: Bars,
    market: Market,
    account: Account,
    given: dict[str, object] | None = None,
    others: Mapping[str, tuple[Market, Bars]] | None = None,
) -> list[dict]:
    """The same by the engine, as `backtest --json` tells them."""

    def other(symbol: str, timeframe: Timeframe) -> Dataset:
        described, theirs = (others or {})[symbol]
        return make_dataset(theirs, described, timeframe, others=other)

    plan = make_plan(checked, make_dataset(bars, market, others=other), input_values(checked, given or {}))
    return trade_rows(run(plan, account))


def assert_same_trades(
    checked: Checked,
    bars: Bars,
    market: Market,
    account: Account,
    given: dict[str, object] | None = None,
    others: Mapping[str, tuple[Market, Bars]] | None = None,
) -> int:
    """The file's trades are the engine's, field by field; how many there are. Raises SettingsError when refused."""
    at_hand = others or {}
    text = python_of(checked, given or {}, Instrument(market, account, other=lambda symbol: at_hand[symbol][0]))
    found = trades_of_file(text, bars, {symbol: theirs for symbol, (_, theirs) in at_hand.items()})
    wanted = trades_of_engine(checked, bars, market, account, given, others)
    told = f"{checked.source}\n{market}\n{account}"
    for mine, other in zip(found, wanted, strict=False):
        for name, value in other.items():
            if isinstance(value, float):
                size = abs(other["units"] * other["entry_price"]) * 1e-9 + 1e-7 if name not in ("r", "best_r") else 1e-7
                assert mine[name] == pytest.approx(value, rel=1e-8, abs=size), (name, mine, other, told)
            else:
                assert mine[name] == value, (name, mine, other, told)
    assert len(found) == len(wanted), (found[len(wanted) :][:1], wanted[len(found) :][:1], told)
    return len(found)
