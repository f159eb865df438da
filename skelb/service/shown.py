"""What the Workbench shows of a setup, a run and a bar, as plain values: numbers are rounded for a screen, unknown is
None."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.engine import Outcome
from skelb.core.explain import Funnel, LineReading, MarkedPart, Sieve
from skelb.core.export import AlertRow, Charted, Column, Legend, Overview, TimedFinding
from skelb.core.figures import Figures
from skelb.core.language.tree import Input, Side

_MOST_TRADE_ROWS = 50_000


@dataclass(frozen=True, slots=True)
class InputShown:
    """An input of the script as it stands there; a range and a step only where it states them."""

    name: str
    kind: Literal["number", "switch", "choice", "time", "timeframe", "market"]
    default: float | bool | str
    low: float | None
    high: float | None
    step: float | None
    options: tuple[str, ...]
    label: str

    @classmethod
    def of(cls, found: Input) -> "InputShown":
        """What of an input is shown."""
        return cls(found.name, found.kind, found.default, found.low, found.high, found.step, found.options, found.label)


@dataclass(frozen=True, slots=True)
class TradeColumns:
    """The newest 50,000 trades at most, a value each; `rule` and `reason` are places in `rules` and `reasons`.

    Bars are the chart's, times seconds since 1970 UTC, amounts in the account's currency. `entry_mid` and `exit_mid`
    are prices between the sides of the spread, which gross profit is counted from; `percent` is net of what the entry
    was worth; `best` and `worst` the most a trade was ahead and behind.
    """

    first_number: int
    side: list[int]
    entry_bar: list[int]
    exit_bar: list[int]
    entry_time: list[int]
    exit_time: list[int]
    entry_price: list[float]
    exit_price: list[float]
    entry_mid: list[float]
    exit_mid: list[float]
    units: list[float]
    gross: list[float]
    commission: list[float]
    spread: list[float]
    slippage: list[float]
    financing: list[float]
    net: list[float]
    percent: Column
    r: Column
    stop: Column
    target: Column
    best: list[float]
    worst: list[float]
    bars_held: list[int]
    rule: list[int]
    rules: list[str]
    reason: list[int]
    reasons: list[str]

    @classmethod
    def of(cls, outcome: Outcome, on: Charted) -> "TradeColumns":
        """The trades of a run on the bars of a chart."""
        trades = outcome.trades
        entered = outcome.values(trades.entry_bar, np.zeros_like(trades.entry_bar))  # filled at a close: the next bar's
        rows = slice(max(0, len(trades) - _MOST_TRADE_ROWS), len(trades))
        names: dict[str, int] = {}
        reasons = [names.setdefault(outcome.exit_reason(row), len(names)) for row in range(rows.start, rows.stop)]
        of = trades.rows[rows]
        return cls(
            first_number=rows.start + 1,
            side=trades.side[rows].tolist(),
            entry_bar=on.entry_bars(outcome)[rows].tolist(),
            exit_bar=on.exit_bars(outcome)[rows].tolist(),
            entry_time=outcome.entry_times()[rows].tolist(),
            exit_time=outcome.exit_times()[rows].tolist(),
            entry_price=_rounded(of["entry_price"]).tolist(),
            exit_price=_rounded(of["exit_price"]).tolist(),
            entry_mid=_rounded(of["entry_mid"]).tolist(),
            exit_mid=_rounded(of["exit_mid"]).tolist(),
            units=_rounded(of["units"]).tolist(),
            gross=_rounded(of["gross"]).tolist(),
            commission=_rounded(of["commission"]).tolist(),
            spread=_rounded(of["spread"]).tolist(),
            slippage=_rounded(of["slippage"]).tolist(),
            financing=_rounded(of["financing"]).tolist(),
            net=_rounded(of["net"]).tolist(),
            percent=_known(_percents(of, entered[rows])),
            r=_known(of["r"]),
            stop=_known(of["stop"]),
            target=_known(of["target"]),
            best=_rounded(of["best"]).tolist(),
            worst=_rounded(of["worst"]).tolist(),
            bars_held=trades.bars_held[rows].tolist(),
            rule=trades.entry_rule[rows].tolist(),
            rules=[rule.name for rule in outcome.plan.entries],
            reason=reasons,
            reasons=list(names),
        )


@dataclass(frozen=True, slots=True)
class FiguresBySide:
    """A run's figures: of all trades, and of each side's."""

    all: Figures
    long: Figures
    short: Figures


@dataclass(frozen=True, slots=True)
class AlertsShown:
    """How many alerts a run has, and the newest of them, the oldest first."""

    count: int
    newest: list[AlertRow]


@dataclass(frozen=True, slots=True)
class RunShown:
    """What is drawn and listed of a run; bars are the chart's. `has_moving_levels`: stops move while a position
    lives."""

    key: str
    bars: int
    first: int
    last: int
    timeframe: str
    tick: float
    zone: str
    data_version: int
    is_strategy: bool
    has_moving_levels: bool
    figures: FiguresBySide
    findings: list[TimedFinding]
    scene: Legend
    overview: Overview
    trades: TradeColumns
    alerts: AlertsShown


@dataclass(frozen=True, slots=True)
class Ran:
    """A setup checked, and run where its script is sound; `problem` says why a sound one has no run."""

    sound: bool
    title: str
    inputs: list[InputShown]
    run: RunShown | None
    problem: str | None
    took_ms: float


@dataclass(frozen=True, slots=True)
class LotShown:
    """An open lot at a bar's close: prices, None without."""

    rule: str
    units: float
    price: float
    stop: float | None
    target: float | None


@dataclass(frozen=True, slots=True)
class BarExplained:
    """One bar of a run explained, and the script as it reads on it. Places are UTF-16 offsets in the script's text."""

    time: str
    close_time: str
    position: Side | None
    lots: list[LotShown]
    happened: tuple[str, ...]
    waiting: tuple[str, ...]
    why: tuple[str, ...]
    lines: list[LineReading]
    marks: list[MarkedPart]
    signals: dict[Side, str]


@dataclass(frozen=True, slots=True)
class FunnelShown:
    """How many bars each part of the entry rules let through, and where the signals of each side went."""

    rules: list[Sieve]
    sides: list[Funnel]


@dataclass(frozen=True, slots=True)
class LevelsInForce:
    """Stop and target of an open lot as they were in force on one bar; prices, None without."""

    bar: int
    side: Side
    stop: float | None
    target: float | None


def _percents(of: np.ndarray, worth: np.ndarray) -> np.ndarray:
    """Net in percent of what each entry was worth, unknown where that is nothing, shape (trades,)."""
    notional = of["units"] * of["entry_price"] * worth
    found = np.full(len(of), np.nan)
    np.divide(of["net"] * 100.0, notional, out=found, where=notional != 0)
    return found


def _known(values: np.ndarray) -> Column:
    return [None if item != item else item for item in _rounded(values).tolist()]


def _rounded(values: np.ndarray) -> np.ndarray:
    """Numbers to ten digits of the largest: a screen shows fewer, and a long answer holds up typing."""
    known = np.abs(values[np.isfinite(values)])
    largest = float(known.max(initial=0.0))
    digits = 9 - int(np.floor(np.log10(largest))) if largest > 0 else 0
    return np.round(values, max(0, digits))
