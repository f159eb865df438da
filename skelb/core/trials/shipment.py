"""A sweep packed so that another process can make it anew: texts, bars and settings, without what is computed."""

from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from threading import Lock
from uuid import uuid4

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.engine import Account
from skelb.core.errors import SettingsError, SkelbError
from skelb.core.language import Checked
from skelb.core.language.tree import FromMarket, Name
from skelb.core.language.walk import parts_within
from skelb.core.plan import Dataset, InputValue, make_dataset
from skelb.core.trials.grid import Axis
from skelb.core.trials.sweep import Cell, Sweep, Task, run_tasks

_MOST_KEPT = 2

Stock = dict[tuple[str, Timeframe], tuple[Market, Bars, int]]


@dataclass(frozen=True, eq=False)
class Shipment:
    """All that a sweep needs elsewhere; `key` tells shipments apart, `stock` are bars by market and timeframe."""

    key: str
    checked: Checked
    account: Account
    fixed: dict[str, InputValue]
    sides: str
    from_date: date | None
    to_date: date | None
    inverted: bool
    home: tuple[str, Timeframe]
    stock: Stock
    basket: tuple[str, ...]

    def unpacked(self) -> Sweep:
        """The sweep, with datasets made from the stock."""
        made: dict[tuple[str, Timeframe], Dataset] = {}

        def others(symbol: str, timeframe: Timeframe) -> Dataset:
            place = (symbol, timeframe)
            if place not in self.stock:
                raise SettingsError(f"the bars of {symbol} on {timeframe} were not sent along")
            if place not in made:
                market, bars, version = self.stock[place]
                made[place] = make_dataset(bars, market, timeframe, version, others)
            return made[place]

        return Sweep(
            self.checked,
            others(*self.home),
            self.account,
            self.fixed,
            self.sides,
            self.from_date,
            self.to_date,
            self.inverted,
            self.basket,
        )


def packed(sweep: Sweep, axes: tuple[Axis, ...]) -> Shipment:
    """A sweep over axes as a shipment; bars that cannot be had are left out, their runs will say so."""
    home = sweep.dataset
    stock: Stock = {}
    for symbol, timeframe in dict.fromkeys(_places(sweep, axes)):
        is_home = (symbol, timeframe) == (home.market.symbol, home.bars.timeframe)
        try:
            dataset = home if is_home else home.others(symbol, timeframe) if home.others else None
        except SkelbError:
            continue
        if dataset is not None:
            stock[symbol, timeframe] = (dataset.market, dataset.stored or dataset.bars, dataset.data_version)
    return Shipment(
        uuid4().hex,
        sweep.checked,
        sweep.account,
        sweep.fixed,
        sweep.sides,
        sweep.from_date,
        sweep.to_date,
        sweep.inverted,
        (home.market.symbol, home.bars.timeframe),
        stock,
        sweep.basket,
    )


def _places(sweep: Sweep, axes: tuple[Axis, ...]) -> Iterator[tuple[str, Timeframe]]:
    """Every market and timeframe that a run of the sweep may ask for."""
    home, inputs = sweep.dataset, sweep.checked.inputs
    varied = {axis.name: axis.values for axis in axes}
    symbols = [home.market.symbol, *sweep.basket, *map(str, varied.get("market", ()))]
    timeframes = [home.bars.timeframe, *(Timeframe.parse(str(value)) for value in varied.get("timeframe", ()))]
    yield from ((symbol, timeframe) for symbol in symbols for timeframe in timeframes)
    rates = [home.market.currency_rate] if isinstance(home.market.currency_rate, str) else []
    yield from ((rate, timeframe) for rate in rates for timeframe in timeframes)

    def values_of(name: str) -> list[str]:
        return [str(value) for value in (sweep.fixed.get(name, inputs[name].default), *varied.get(name, ()))]

    for part in parts_within(tuple(item.statement for item in sweep.checked.statements)):
        if isinstance(part, FromMarket):
            asked = values_of(part.symbol.name) if isinstance(part.symbol, Name) else [part.symbol]
            if part.minutes is None:
                on = timeframes
            elif isinstance(part.minutes, Name):
                on = [Timeframe.parse(value) for value in values_of(part.minutes.name)]
            else:
                on = [Timeframe(part.minutes)]
            yield from ((symbol, timeframe) for symbol in asked for timeframe in on)


_unpacked: OrderedDict[str, Sweep] = OrderedDict()
_lock = Lock()


def run_shipped(shipment: Shipment, tasks: list[Task]) -> list[Cell]:
    """The finished cells of tasks; a process unpacks a shipment once."""
    with _lock:
        sweep = _unpacked.get(shipment.key)
        if sweep is None:
            sweep = _unpacked[shipment.key] = shipment.unpacked()
            while len(_unpacked) > _MOST_KEPT:
                _unpacked.popitem(last=False)
    return run_tasks(sweep, tasks)
