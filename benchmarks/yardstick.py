"""The yardstick W: its bars, its script, the hand-specialised C and the plain Python loop."""

import ctypes
import math
import subprocess
from pathlib import Path

import numpy as np

from skelb.core.bars import Bars, Commission, Market, Timeframe
from skelb.core.engine import Account

FOLDER = Path(__file__).parent
SCRIPT = """input fast = {fast} from 4 to 400 step 1
input slow = {slow} from 4 to 400 step 1
a = ema(close, fast)
b = ema(close, slow)
enter long when a crosses above b
enter short when a crosses below b
stop 2 * atr(14)
target 3 R
size risk 1% of equity
"""
MARKET = Market("W", tick=0.01)
ACCOUNT = Account(capital=100_000, commission=Commission(percent=0.0001), leverage=30)


def make_bars(size: int, seed: int = 1) -> Bars:
    """One-minute bars of a random walk about 3,000, tick 0.01."""
    rng = np.random.default_rng(seed)
    close = np.round((3000 + np.cumsum(rng.normal(0, 0.5, size))) * 100) / 100
    opens = np.concatenate((close[:1], close[:-1]))
    high = np.round((np.maximum(opens, close) + rng.exponential(0.3, size)) * 100) / 100
    low = np.round((np.minimum(opens, close) - rng.exponential(0.3, size)) * 100) / 100
    time = np.arange(size, dtype=np.int64) * 60 + 1_600_000_020
    return Bars(Timeframe(1), time, opens, high, low, close, np.ones(size))


class HandWritten:
    """The C pass, compiled by the system's compiler, with buffers made once."""

    def __init__(self, bars: Bars) -> None:
        library = FOLDER / "build" / "w.so"
        library.parent.mkdir(exist_ok=True)
        flags = ["-O3", "-march=native", "-ffp-contract=off", "-shared", "-fPIC"]
        subprocess.run(["gcc", *flags, "-o", str(library), str(FOLDER / "w.c"), "-lm"], check=True)
        self._call = ctypes.CDLL(str(library)).w
        self._call.restype = ctypes.c_int64
        size = len(bars)
        self.equity = np.zeros(size)
        self.entries, self.exits, self.nets = np.zeros(size, np.int64), np.zeros(size, np.int64), np.zeros(size)
        self._bars = bars

    def run(self, fast: int, slow: int) -> int:
        """The number of trades; equity, entries, exits and nets hold the rest."""
        arrays = (self._bars.open, self._bars.high, self._bars.low, self._bars.close)
        outputs = (self.equity, self.entries, self.exits, self.nets)
        real = ctypes.c_double
        return self._call(
            ctypes.c_int64(len(self._bars)), *(_pointer(a) for a in arrays), ctypes.c_int64(fast), ctypes.c_int64(slow),
            real(ACCOUNT.capital), real(ACCOUNT.commission.percent), real(ACCOUNT.leverage), real(MARKET.tick),
            real(MARKET.lot_step), *(_pointer(a) for a in outputs),
        )  # fmt: skip


def _pointer(array: np.ndarray) -> ctypes.c_void_p:
    return ctypes.c_void_p(array.ctypes.data)


def plain_loop(bars: Bars, a: np.ndarray, b: np.ndarray, atr: np.ndarray) -> int:
    """The same strategy as an event loop in plain Python, indicators given; the number of trades."""
    opens, highs, lows, closes = (x.tolist() for x in (bars.open, bars.high, bars.low, bars.close))
    fast, slow, reach = a.tolist(), b.tolist(), atr.tolist()
    cash, side, pending, trades, equity = ACCOUNT.capital, 0, 0, 0, []
    units = mid = stop = target = distance = fee_in = before = 0.0
    fee_rate, tick, step = ACCOUNT.commission.percent / 100, MARKET.tick, MARKET.lot_step
    for i in range(len(closes)):
        o, h, low, c = opens[i], highs[i], lows[i], closes[i]
        if pending:
            if side and side != pending:
                cash = before + (o - mid) * side * units - fee_in - fee_rate * units * o
                side, trades = 0, trades + 1
            if not side:
                level = math.floor((o - pending * distance) / tick + 0.5 + 1e-9) * tick
                risk = abs(o - level)
                if (level - o) * pending < 0 and cash > 0:
                    size = (
                        math.floor(min(cash * 0.01 / risk, cash * ACCOUNT.leverage / o) / step * (1.0 + 1e-12) + 1e-9)
                        * step
                    )
                    if size >= step:
                        side, before, units, mid, stop = pending, cash, size, o, level
                        target = math.floor((o + side * 3 * risk) / tick + 0.5 + 1e-9) * tick
                        fee_in = fee_rate * units * o
                        cash -= fee_in
            pending = 0
        if side:
            leave = None
            if (o - stop) * side <= 0 or (o - target) * side >= 0:
                leave = o
            elif (low <= stop) if side > 0 else (h >= stop):
                leave = stop
            elif (h >= target) if side > 0 else (low <= target):
                leave = target
            if leave is not None:
                cash = before + (leave - mid) * side * units - fee_in - fee_rate * units * leave
                side, trades = 0, trades + 1
        equity.append(cash + (c - mid) * side * units if side else cash)
        if i and fast[i] > slow[i] and fast[i - 1] <= slow[i - 1] and side <= 0:
            pending, distance = 1, 2 * reach[i]
        elif i and fast[i] < slow[i] and fast[i - 1] >= slow[i - 1] and side >= 0:
            pending, distance = -1, 2 * reach[i]
    return trades + (1 if side else 0)
