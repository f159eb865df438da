"""The JSON documents that scripts around Skelb depend on, as plain dictionaries."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from skelb.core.catalogue import UNKNOWN, YES
from skelb.core.engine import Outcome, Skip
from skelb.core.explain import ConditionPart, Explanation, funnel_of
from skelb.core.figures import Figures, Finding, Severity, basket_order, basket_record, market_costs, market_figures
from skelb.core.language import Checked
from skelb.core.language.tree import Name, Side
from skelb.core.plan import Dataset, Expressions

Document = dict[str, object]


def time_text(moment: int) -> str:
    """A moment as ISO 8601 in UTC.

    >>> time_text(0)
    '1970-01-01T00:00:00Z'
    """
    return datetime.fromtimestamp(int(moment), UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def plain_number(value: float) -> float | None:
    """The number, or None for NaN and infinity, which JSON does not know."""
    return float(value) if np.isfinite(value) else None


def series_document(checked: Checked, expressions: Expressions, dataset: Dataset) -> Document:
    """`series --json`: the named numbers and conditions on every bar, a record as `name.field`, unknown as None."""
    series: Document = {}
    for name in checked.shown_names:
        meaning = checked.meanings[name]
        if meaning.kind not in ("number", "condition", "time", "record"):
            continue
        value = expressions.of(Name(name, (0, 0)))
        if meaning.kind == "record":
            for field in meaning.fields:
                series[f"{name}.{field}"] = _numbers(value[field], len(dataset))
        elif meaning.kind == "condition":
            series[name] = _conditions(value, len(dataset))
        else:
            series[name] = _numbers(value, len(dataset))
    return {"time": [time_text(moment) for moment in dataset.bars.time], "series": series}


def _numbers(value: np.ndarray, size: int) -> list[float | None]:
    return [plain_number(item) for item in np.broadcast_to(value, size).tolist()]


def _conditions(value: np.ndarray, size: int) -> list[bool | None]:
    return [None if item == UNKNOWN else item == YES for item in np.broadcast_to(value, size).tolist()]


def trade_rows(outcome: Outcome) -> list[Document]:
    """One row a trade, with the contract's names; prices are fill prices, numbers are not rounded."""
    trades, symbol = outcome.trades, outcome.plan.dataset.market.symbol
    entry_times, exit_times = outcome.entry_times(), outcome.exit_times()
    held = trades.bars_held
    entered = outcome.values(trades.entry_bar, np.zeros_like(trades.entry_bar))  # a fill at a close is the next bar's
    left = outcome.values(trades.exit_bar, trades.moment)
    rows: list[Document] = []
    for row in range(len(trades)):
        of = trades.rows[row]
        side = "long" if trades.side[row] > 0 else "short"
        notional = of["units"] * of["entry_price"] * entered[row]
        risk = of["risk"] * of["units"] * left[row]
        rows.append(
            {
                "number": row + 1,
                "market": symbol,
                "side": side,
                "entry_time": time_text(entry_times[row]),
                "entry_price": float(of["entry_price"]),
                "entry_rule": outcome.entry_rule(row).name,
                "exit_time": time_text(exit_times[row]),
                "exit_price": float(of["exit_price"]),
                "units": float(of["units"]),
                "exit_reason": outcome.exit_reason(row),
                "gross": float(of["gross"]),
                "commission": float(of["commission"]),
                "spread_cost": float(of["spread"]),
                "slippage_cost": float(of["slippage"]),
                "financing": float(of["financing"]),
                "net": float(of["net"]),
                "net_percent": plain_number(of["net"] / notional * 100.0) if notional else None,
                "r": plain_number(of["r"]),
                "best": float(of["best"]),
                "worst": float(of["worst"]),
                "best_r": plain_number(of["best"] / risk) if risk else None,
                "worst_r": plain_number(of["worst"] / risk) if risk else None,
                "bars_held": int(held[row]),
                "initial_stop": plain_number(of["stop"]),
                "initial_target": plain_number(of["target"]),
                "equity_after": float(of["equity"]),
            }
        )
    return rows


def skipped_rows(outcome: Outcome) -> list[Document]:
    """Orders that did not become trades."""
    skips = outcome.skips
    times = outcome.moment_times(skips["bar"], skips["moment"])
    return [
        {"time": time_text(time), "side": "long" if side > 0 else "short", "reason": Skip(int(reason)).word}
        for time, side, reason in zip(times, skips["side"], skips["reason"], strict=True)
    ]


@dataclass(frozen=True, slots=True)
class TimedFinding:
    """A finding with the time of the bar to look at, None for the whole run."""

    code: str
    severity: Severity
    message: str
    time: str | None


def timed_findings(outcome: Outcome, findings: list[Finding]) -> list[TimedFinding]:
    """Findings with the times of their bars."""
    times = outcome.plan.dataset.bars.time
    return [
        TimedFinding(item.code, item.severity, item.message, None if item.bar is None else time_text(times[item.bar]))
        for item in findings
    ]


def backtest_document(
    outcome: Outcome, figures: dict[str, Figures], findings: list[Finding], with_equity: bool
) -> Document:
    """`backtest --json`, the equity per bar only when asked for."""
    document: Document = {
        "trades": trade_rows(outcome),
        "figures": figures,
        "skipped": skipped_rows(outcome),
        "findings": timed_findings(outcome, findings),
    }
    if with_equity:
        document["equity"] = outcome.equity.tolist()
        document["equity_time"] = equity_times(outcome)
    return document


def equity_times(outcome: Outcome) -> list[str]:
    """When each value of the equity holds: the closes of the run's bars."""
    closes = outcome.plan.dataset.calendar.close_time[outcome.first : outcome.last + 1]
    return [time_text(moment) for moment in closes]


def basket_document(
    outcomes: Sequence[Outcome], figures: dict[str, Figures], findings: list[Finding], with_equity: bool
) -> Document:
    """`backtest --basket --json`: as of one market, trades of all in order of exit, and a part for each market."""
    rows = [trade_rows(outcome) for outcome in outcomes]
    trades = [rows[market][row] | {"number": number} for number, (market, row) in enumerate(basket_order(outcomes), 1)]
    skipped: list[Document] = []
    markets: Document = {}
    for outcome in outcomes:
        symbol, costs = outcome.plan.dataset.market.symbol, market_costs(outcome)
        skipped += [row | {"market": symbol} for row in skipped_rows(outcome)]
        markets[symbol] = {
            "figures": market_figures(outcome),
            "trade_cost": costs.trade_cost,
            "day_range": costs.day_range,
            "cost_share_of_range": costs.share,
        }
    document: Document = {
        "trades": trades,
        "figures": figures,
        "markets": markets,
        "skipped": sorted(skipped, key=lambda row: str(row["time"])),
        "findings": timed_findings(outcomes[0], findings),  # they are of the whole, so none names a bar
    }
    if with_equity:
        record = basket_record(outcomes)
        document["equity"] = record.equity.tolist()
        document["equity_time"] = [time_text(moment) for moment in record.closes]
    return document


def explanation_document(explanation: Explanation, outcome: Outcome) -> Document:
    """One bar of a run taken apart: every rule with the values of its parts, what happened, what waits, the levels."""
    dataset, moment = outcome.plan.dataset, explanation.moment
    entries = outcome.plan.entries
    return {
        "bar": explanation.bar,
        "time": time_text(dataset.bars.time[explanation.bar]),
        "close_time": time_text(dataset.calendar.close_time[explanation.bar]),
        "position": {1: "long", -1: "short", 0: None}[moment.side],
        "lots": [
            {
                "rule": entries[lot.rule].name,
                "units": lot.units,
                "price": lot.price,
                "stop": lot.stop,
                "target": lot.target,
            }
            for lot in moment.lots
        ],
        "rules": [
            {
                "kind": rule.kind,
                "side": rule.side,
                "name": rule.name,
                "start": rule.start,
                "did": rule.did,
                "condition": _part_document(rule.condition),
            }
            for rule in explanation.rules
        ],
        "happened": list(explanation.happened),
        "waiting": list(explanation.waiting),
    }


def signal_sentences(outcome: Outcome) -> dict[Side, str]:
    """Where the signals of each side that has entry rules went, in a sentence."""
    sides = {rule.side: None for rule in outcome.plan.entries if rule.side is not None}
    return {side: funnel_of(outcome, side).sentence for side in sides}


def _part_document(part: ConditionPart) -> Document:
    return {"text": part.text, "value": part.value, "parts": [_part_document(inner) for inner in part.parts]}
