"""Markets of the Ostrel Quay Exchange and the seeded generator of their bars.

Prices come from three layers: regimes (trends and ranges that last for days), volatility that clusters from hour
to hour and has a shape over the day, and minute steps on the tick grid with gaps wherever the market was closed.
The same seed gives the same bars on every machine.
"""

import itertools
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np

from skelb.core.bars import Bars, Floats, Ints, Market, Timeframe
from skelb.core.bars.calendar import to_utc

ZONE = "Atlantic/Azores"
_EPOCH = date(1970, 1, 1)
_START, _END = date(2023, 1, 2), date(2024, 12, 30)
_TRADING_DAYS_A_YEAR = 260.0


@dataclass(frozen=True)
class DemoMarket:
    """A market of the demo world and how its prices behave.

    `yearly_volatility` is a fraction; `trend` the share of it that regimes add as drift; `pull` how strongly
    price returns to its slow mean in quiet hours; `gap` the size of a closed night in hours of trading.
    """

    title: str
    settings: dict[str, Any]
    seed: int
    start_price: float
    yearly_volatility: float
    trend: float
    pull: float
    gap: float
    minutes: int
    volume: float
    daily_from: date | None = None


# Symbol, title, seed, first price, yearly volatility, share of trend, spread: from tiny to absurd.
_SHARES: tuple[tuple[str, str, int, float, float, float, float], ...] = (
    ("BRIN", "Brinehouse, a share", 51, 96.0, 0.20, 0.6, 0.01),
    ("COGS", "Cogsworth Mills, a share", 52, 34.0, 0.26, 0.4, 0.02),
    ("DUNE", "Dune & Daughters, a share", 53, 12.0, 0.30, 0.3, 0.02),
    ("EIDR", "Eiderdown, a share", 54, 58.0, 0.18, 0.2, 0.05),
    ("GRIT", "Gritstone Quarry, a share", 55, 21.0, 0.31, 0.5, 0.06),
    ("HALO", "Halo Lamps, a share", 56, 143.0, 0.24, 0.8, 0.20),
    ("ISLE", "Isle Provisions, a share", 57, 8.0, 0.25, 0.2, 0.06),
    ("JETT", "Jettison Salvage, a share", 58, 5.0, 0.36, 0.2, 0.09),
)

# Symbol, title, seed, first price, yearly volatility, spread: the last three cost more than they move.
_PAIRS: tuple[tuple[str, str, int, float, float, float], ...] = (
    ("OSC/BRY", "Crown against bryde", 61, 0.8420, 0.070, 0.0001),
    ("OSC/DOR", "Crown against dorin", 62, 1.1260, 0.065, 0.0001),
    ("OSC/FEN", "Crown against fenn", 63, 1.7350, 0.080, 0.0002),
    ("OSC/GUL", "Crown against gull", 64, 2.4810, 0.090, 0.0003),
    ("VEL/BRY", "Vell against bryde", 65, 0.6420, 0.075, 0.0009),
    ("VEL/DOR", "Vell against dorin", 66, 0.8580, 0.060, 0.0012),
    ("BRY/HEM", "Bryde against hemm", 67, 3.1400, 0.110, 0.0060),
)


def _pair(symbol: str, title: str, seed: int, price: float, volatility: float, spread: float) -> DemoMarket:
    """A currency pair, in bars of a quarter of an hour around the clock."""
    settings = {"symbol": symbol, "tick": 0.00001, "pip": 0.0001, "lot_step": 1000.0, "min_lot": 1000.0, "zone": ZONE,
                "session": "22:00-22:00", "days": "mon-fri", "spread": spread, "financing_long": 1.2,
                "financing_short": -0.4, "triple_day": "wed"}  # fmt: skip
    return DemoMarket(f"{title}, a currency pair", settings, seed, price, volatility, 0.2, 0.004, 0.5, 15, 180.0)


def _share(
    symbol: str, title: str, seed: int, price: float, volatility: float, trend: float, spread: float
) -> DemoMarket:
    """One of the exchange's shares, in bars of a quarter of an hour."""
    settings = {"symbol": symbol, "tick": 0.01, "lot_step": 1.0, "min_lot": 1.0, "zone": ZONE,
                "session": "09:00-17:30", "days": "mon-fri", "spread": spread}  # fmt: skip
    return DemoMarket(title, settings, seed, price, volatility, trend, 0.0, 3.0, 15, 700.0)


DEMO_MARKETS: tuple[DemoMarket, ...] = (
    DemoMarket(
        "Kelp futures",
        {"symbol": "KELP", "tick": 0.25, "point_value": 20.0, "lot_step": 1.0, "min_lot": 1.0, "zone": ZONE,
         "session": "09:00-12:30,13:30-18:00", "days": "mon-fri", "spread": 1.0, "spread_unit": "ticks",
         "commission": {"per_unit": 1.2}},
        seed=16, start_price=1180.0, yearly_volatility=0.21, trend=1.0, pull=0.0, gap=1.5, minutes=1, volume=320.0,
    ),
    DemoMarket(
        "Lighthouse Power, a share",
        {"symbol": "LAMP", "tick": 0.01, "lot_step": 1.0, "min_lot": 1.0, "zone": ZONE, "session": "09:00-17:30",
         "days": "mon-fri", "spread": 0.02},
        seed=21, start_price=42.0, yearly_volatility=0.28, trend=0.5, pull=0.0, gap=4.0, minutes=1, volume=900.0,
    ),
    DemoMarket(
        "Crown against vell, a currency pair",
        {"symbol": "OSC/VEL", "tick": 0.00001, "pip": 0.0001, "point_value": 1.0, "lot_step": 1000.0,
         "min_lot": 1000.0, "zone": ZONE, "session": "22:00-22:00", "days": "mon-fri", "spread": 0.00008,
         "financing_long": 1.2, "financing_short": -0.4, "triple_day": "wed"},
        seed=29, start_price=1.3120, yearly_volatility=0.075, trend=0.2, pull=0.02, gap=0.5, minutes=5, volume=60.0,
    ),
    DemoMarket(
        "Index of the exchange's twelve shares",
        {"symbol": "QUAY12", "tick": 0.1, "point_value": 5.0, "lot_step": 1.0, "min_lot": 1.0, "zone": ZONE,
         "session": "09:00-17:30", "days": "mon-fri", "spread": 0.3, "commission": {"per_unit": 1.5}},
        seed=17, start_price=2950.0, yearly_volatility=0.15, trend=0.7, pull=0.0, gap=2.5, minutes=1, volume=1500.0,
        daily_from=date(2013, 1, 2),
    ),
    DemoMarket(
        "Ferryline, a share that ranges",
        {"symbol": "FERY", "tick": 0.01, "lot_step": 1.0, "min_lot": 1.0, "zone": ZONE, "session": "09:00-17:30",
         "days": "mon-fri", "spread": 0.06},
        seed=33, start_price=18.5, yearly_volatility=0.22, trend=0.05, pull=0.006, gap=2.0, minutes=5, volume=140.0,
    ),
    DemoMarket(
        "Glim, a token traded day and night",
        {"symbol": "GLIM", "tick": 0.001, "lot_step": 0.01, "min_lot": 0.01, "zone": "UTC", "session": "00:00-24:00",
         "days": "mon-sun", "spread": 0.05, "spread_unit": "percent", "commission": {"percent": 0.06}},
        seed=44, start_price=7.2, yearly_volatility=0.62, trend=0.3, pull=0.0, gap=0.0, minutes=15, volume=2_400.0,
    ),
    *(_share(*row) for row in _SHARES),
    *(_pair(*row) for row in _PAIRS),
)  # fmt: skip

DEMO_BASKETS: dict[str, tuple[str, ...]] = {
    "Currency pairs": ("OSC/VEL", *(row[0] for row in _PAIRS)),
    "Quay shares": ("LAMP", "FERY", *(row[0] for row in _SHARES)),
}

DEMO_ACCOUNTS: dict[str, dict[str, Any]] = {
    "Dockside account": {
        "currency": "crowns",
        "capital": 50_000.0,
        "commission_percent": 0.005,
        "slippage_ticks": 0.5,
        "leverage": 10.0,
    },
    "Small boat account": {
        "currency": "crowns",
        "capital": 5_000.0,
        "commission_percent": 0.05,
        "commission_minimum": 1.0,
        "slippage_ticks": 1.0,
        "leverage": 2.0,
    },
}


def make_bars(demo: DemoMarket) -> list[Bars]:
    """The stored bars of a demo market: its intraday bars, and daily ones for the market that has them."""
    rng = np.random.default_rng(demo.seed)
    market = Market(**demo.settings)
    found = [_intraday(demo, market, rng)]
    if demo.daily_from is not None:
        found.append(_daily(demo, market, rng, found[0]))
    return found


def _weekdays(first: date, last: date, market: Market) -> Ints:
    days = np.arange((first - _EPOCH).days, (last - _EPOCH).days + 1)
    return days[np.isin((days + 3) % 7, sorted(market.trading_weekdays))]


def _regimes(count: int, rng: np.random.Generator) -> tuple[Floats, Floats]:
    """For each day a drift from -1 to 1 and a factor of volatility; each regime lasts for days or weeks."""
    drift, factor = np.empty(count), np.empty(count)
    at = 0
    while at < count:
        length = int(rng.integers(6, 40))
        drift[at : at + length] = rng.choice([-0.8, 0.0, 0.0, 0.9]) + rng.normal(0, 0.15)
        factor[at : at + length] = np.exp(rng.normal(0, 0.25))
        at += length
    return drift, factor


def _clustered(count: int, persistence: float, size: float, rng: np.random.Generator) -> Floats:
    """Log volatility that remembers: an autoregressive series with mean 0."""
    noise = rng.normal(0, size * np.sqrt(1 - persistence**2), count)
    out = np.empty(count)
    level = 0.0
    for index, shock in enumerate(noise):
        level = persistence * level + shock
        out[index] = level
    return out


def _minutes_of_day(demo: DemoMarket, market: Market) -> tuple[Ints, Floats, Floats]:
    """Openings in minutes from the trading day's midnight, activity by minute (mean 1), hours closed before each."""
    parts = [np.arange(part.start, part.end, demo.minutes) for part in market.ranges]
    minutes = np.concatenate(parts)
    through = np.linspace(0.0, 1.0, minutes.size)
    if market.ranges[-1].end - market.ranges[0].start == 1440:
        activity = 0.45 + np.exp(-(((minutes - 600) / 260.0) ** 2)) * 1.3
    else:
        activity = 0.7 + 1.1 * np.exp(-through * 9.0) + 0.6 * np.exp((through - 1.0) * 12.0)
    closed = np.zeros(minutes.size)
    closed[0] = demo.gap
    for before, after in itertools.pairwise(parts):
        closed[np.searchsorted(minutes, after[0])] = (after[0] - before[-1]) / 60.0 * 0.3
    return minutes, activity / np.sqrt(np.mean(activity**2)), closed


def _intraday(demo: DemoMarket, market: Market, rng: np.random.Generator) -> Bars:
    days = _weekdays(_START, _END, market)
    minutes, activity, closed = _minutes_of_day(demo, market)
    per_day = minutes.size
    count = days.size * per_day
    drift, factor = _regimes(days.size, rng)
    hours = -(-count * demo.minutes // 60)
    hourly = np.repeat(_clustered(hours, 0.97, 0.38, rng), max(1, 60 // demo.minutes))[:count]
    day_sigma = demo.yearly_volatility / np.sqrt(_TRADING_DAYS_A_YEAR)
    sigma = day_sigma / np.sqrt(per_day) * np.exp(hourly) * np.tile(activity, days.size) * np.repeat(factor, per_day)
    weekend = np.concatenate(([False], np.diff(days) > 1))
    steps = rng.standard_t(4, count) / np.sqrt(2.0) * sigma
    steps += np.repeat(drift, per_day) * demo.trend * day_sigma / per_day * 0.55
    gaps = np.tile(closed, days.size) * (60 / demo.minutes)
    gaps[::per_day] *= np.where(weekend, 1.6, 1.0)
    jumps = rng.normal(0, 1, count) * day_sigma / np.sqrt(per_day) * np.sqrt(gaps)
    log_price = np.log(demo.start_price) + _pulled(np.cumsum(steps + jumps), demo.pull)
    return _on_grid(demo, market, days, minutes, log_price, jumps, sigma, activity, rng)


def _pulled(path: Floats, pull: float) -> Floats:
    """The path drawn back to its own slow mean: `pull` is the share of the distance lost each bar."""
    if pull == 0.0:
        return path
    out = np.empty_like(path)
    slow, now, before = 0.0, 0.0, 0.0
    for index, there in enumerate(path):
        now += (there - before) - pull * (now - slow)
        slow += 0.002 * (now - slow) + 0.35 * (there - before)
        before = there
        out[index] = now
    return out


def _on_grid(
    demo: DemoMarket, market: Market, days: Ints, minutes: Ints, log_price: Floats, jumps: Floats, sigma: Floats,
    activity: Floats, rng: np.random.Generator,
) -> Bars:  # fmt: skip
    """Bars on the tick grid: opens follow the last close and the gap, wicks and volume follow the volatility."""
    price = np.exp(log_price)
    before = np.concatenate((price[:1], price[:-1])) * np.exp(jumps)
    reach = price * sigma
    high = np.maximum(before, price) + rng.exponential(0.55, price.size) * reach
    low = np.minimum(before, price) - rng.exponential(0.55, price.size) * reach
    in_one = round(1.0 / market.tick)
    opens, closes = _ticks(before, market.tick, in_one), _ticks(price, market.tick, in_one)
    highs = np.maximum(_ticks(high, market.tick, in_one), np.maximum(opens, closes))
    lows = np.minimum(_ticks(low, market.tick, in_one), np.minimum(opens, closes))
    busy = np.tile(activity, days.size) if minutes.size > 1 else np.ones(price.size)
    stir = np.abs(closes - opens) / np.maximum(reach, market.tick)
    volume = np.maximum(
        1.0, np.round(demo.volume * busy * np.exp(rng.normal(0, 0.35, price.size)) * (0.6 + 0.4 * stir))
    )
    local = np.repeat(days * 86_400, minutes.size) + np.tile(minutes * 60, days.size)
    time = to_utc(local, market.zone)
    fresh = np.concatenate(([True], np.diff(time) > 0))  # an hour that the clock shows twice is traded once
    keep = fresh & (time >= np.maximum.accumulate(time))
    bars = Bars(Timeframe(demo.minutes), time, opens, highs, lows, closes, volume)
    return bars if keep.all() else bars.take(keep)


def _ticks(price: Floats, tick: float, in_one: int) -> Floats:
    whole = np.maximum(1.0, np.round(price / tick))
    return whole / in_one if abs(in_one * tick - 1.0) < 1e-9 else whole * tick


def _daily(demo: DemoMarket, market: Market, rng: np.random.Generator, intraday: Bars) -> Bars:
    """Daily bars over many years that end in the very days of the intraday bars."""
    assert demo.daily_from is not None
    local_day = intraday.time // 86_400  # the session lies within one date in UTC too
    first = np.concatenate(([0], np.flatnonzero(np.diff(local_day)) + 1))
    last = np.append(first[1:], len(intraday)) - 1
    days = _weekdays(demo.daily_from, _START, market)[:-1]
    drift, factor = _regimes(days.size, rng)
    day_sigma = demo.yearly_volatility / np.sqrt(_TRADING_DAYS_A_YEAR)
    sigma = day_sigma * np.exp(_clustered(days.size, 0.96, 0.35, rng)) * factor
    steps = rng.standard_t(4, days.size) / np.sqrt(2.0) * sigma + drift * demo.trend * day_sigma * 0.18 + 0.0002
    path = np.exp(np.cumsum(steps))
    price = path / path[-1] * intraday.open[0]
    before = np.concatenate((price[:1], price[:-1])) * np.exp(rng.normal(0, 0.25, days.size) * sigma)
    reach = price * sigma
    in_one = round(1.0 / market.tick)
    opens, closes = _ticks(before, market.tick, in_one), _ticks(price, market.tick, in_one)
    highs = np.maximum(
        _ticks(price + rng.exponential(0.6, days.size) * reach, market.tick, in_one), np.maximum(opens, closes)
    )
    lows = np.minimum(
        _ticks(price - rng.exponential(0.6, days.size) * reach, market.tick, in_one), np.minimum(opens, closes)
    )
    volume = np.round(demo.volume * 510 * np.exp(rng.normal(0, 0.2, days.size)))
    all_closes = np.concatenate((closes, intraday.close[last]))
    return Bars(
        Timeframe(1440),
        np.concatenate((days, local_day[first])) * 86_400,
        np.concatenate((opens, intraday.open[first])),
        np.concatenate((highs, np.maximum.reduceat(intraday.high, first))),
        np.concatenate((lows, np.minimum.reduceat(intraday.low, first))),
        all_closes,
        np.concatenate((volume, np.add.reduceat(intraday.volume, first))),
        columns={"barometer": _smoothed(all_closes, 10) - _smoothed(all_closes, 30)},
        dated=True,
    )


def _smoothed(values: Floats, length: int) -> Floats:
    """The original of the demo's converted indicator, written apart from the catalogue: a plain loop over the days."""
    out = np.full(values.size, np.nan)
    level = float(values[:length].mean())
    for index in range(length - 1, values.size):
        if index >= length:
            level += (float(values[index]) - level) * 2.0 / (length + 1)
        out[index] = level
    return out
