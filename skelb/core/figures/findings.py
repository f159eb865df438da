"""What Skelb has to say against a result."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from skelb.core.catalogue import YES
from skelb.core.engine import Outcome, Reason, Skip
from skelb.core.figures.basket import market_costs
from skelb.core.figures.doubts import (
    at_the_edge,
    forming_used,
    gaps,
    one_month,
    too_good,
    warm_up,
    week_missed,
    worse_than_holding,
)
from skelb.core.figures.figures import Figures
from skelb.core.figures.finding import FEWEST_TRADES, Finding
from skelb.core.language import Checked
from skelb.core.language.tree import Distance, Enter, Logic, Name
from skelb.core.language.walk import parts_within
from skelb.core.plan.columns import Flag

_HEAVY_COSTS = 0.3
_HEAVY_TRADE = 0.3
_HEAVY_AMBIGUITY = 0.05
_HEAVY_RANGE = 0.1
_HEAVY_MARKET = 0.6


def findings_of(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    """The findings on a run, gravest first. `figures` holds all, long and short."""
    found: list[Finding] = []
    for find in (_ruin, _trade_count, _flat_before_session, _silent_side, _costs, _one_trade, _ambiguity, _still_open,
                 _cut, _not_used, _no_pip, one_month, worse_than_holding, warm_up, gaps, at_the_edge, forming_used,
                 week_missed, too_good):  # fmt: skip
        found.extend(find(outcome, checked, figures, sides))
    order = {"grave": 0, "warning": 1, "note": 2}
    return sorted(found, key=lambda item: order[item.severity])


def basket_findings(
    outcomes: Sequence[Outcome],
    checked: Checked,
    figures: dict[str, Figures],
    sides: str,
    dropped: Sequence[str] = (),
    too_dear: Sequence[str] = (),
) -> list[Finding]:
    """The findings on several markets together, gravest first: those of each one that asks for a look, by its symbol.

    `dropped` markets were part of the basket and left out once their results had been seen, `too_dear` ones before.
    """
    found: list[Finding] = []
    if too_dear:
        listed = ", ".join(too_dear)
        text = f"For what a trade costs there, before any result was seen, not run: {listed}."
        found.append(Finding("markets_too_dear", "note", text))
    if dropped:
        found.append(_dropped(dropped, len(outcomes)))
    count = sum(len(outcome.trades) for outcome in outcomes)
    if outcomes[0].is_ruined:
        found.append(
            Finding(
                "ruin", "grave", "The account was ruined: equity fell to the stop-out and nothing was traded after."
            )
        )
    elif count == 0:
        # Without a rule for the sides that are on there is none in any market; else each has reasons of its own.
        why = "" if outcomes[0].plan.entries else f" {_why_none(outcomes[0], checked)}"
        found.append(Finding("no_trades", "grave", f"No trades in any of the {len(outcomes)} markets.{why}"))
    elif count < FEWEST_TRADES:
        found.append(_few_trades(count))
    for outcome in outcomes:
        symbol = outcome.plan.dataset.market.symbol
        if len(outcome.trades) == 0 and count:
            why = _why_none(outcome, checked)
            found.append(Finding("no_trades", "warning", f"{symbol} was never traded. {why}"))
        costs = market_costs(outcome)
        if costs.share is not None and costs.share >= _HEAVY_RANGE:
            text = f"In {symbol} a trade costs {costs.share:.0%} of an average day's range."
            found.append(Finding("cost_of_range", "warning", text))
        not_used = _not_used(outcome, checked, figures, sides)
        found += [replace(item, message=f"{symbol}: {item.message}") for item in not_used]
    nets = [float(outcome.trades.net.sum()) for outcome in outcomes]
    if sum(nets) > 0 and max(nets) >= _HEAVY_MARKET * sum(nets) and len(nets) > 1:
        best = outcomes[int(np.argmax(nets))].plan.dataset.market.symbol
        found.append(
            Finding("best_market_share", "warning", f"{best} alone made {max(nets) / sum(nets):.0%} of the net profit.")
        )
    order = {"grave": 0, "warning": 1, "note": 2}
    return sorted(found, key=lambda item: order[item.severity])


def _dropped(symbols: Sequence[str], kept: int) -> Finding:
    text = (
        f"{len(symbols)} of {len(symbols) + kept} markets {'was' if len(symbols) == 1 else 'were'} dropped after {'its' if len(symbols) == 1 else 'their'} results were seen ({', '.join(symbols)}): "  # noqa: E501
        "the figures of those kept flatter the rules. Judge the choice on dates that it has not seen."
    )
    return Finding("markets_dropped", "warning", text)


def _few_trades(count: int) -> Finding:
    text = f"Only {count} trades: under {FEWEST_TRADES}, chance explains almost any result."
    return Finding("few_trades", "warning", text)


def _flat_before_session(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    return [
        Finding(
            "flat_before_session",
            "grave",
            f"`flat at {int(at) // 60:02d}:{int(at) % 60:02d}` comes before every bar of the session: what is held "
            "over night is closed at the first open, and no entry is ever decided.",
        )
        for at in outcome.plan.rules.hours.ahead
    ]


def _no_pip(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    market = outcome.plan.dataset.market
    rules = (placed.statement for placed in checked.statements)
    used = any(isinstance(part, Distance) and part.unit == "pips" for rule in rules for part in parts_within(rule))
    if market.pip is not None or not used:
        return []
    text = f"{market.symbol} states no pip: one is taken as {market.pip_size:g}, by its tick of {market.tick:g}."
    return [Finding("no_pip", "note", text)]


def _ruin(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    if not outcome.is_ruined:
        return []
    bar = int(outcome.trades.exit_bar[-1]) if len(outcome.trades) else outcome.first
    return [
        Finding(
            "ruin", "grave", "The account was ruined: equity fell to the stop-out and nothing was traded after.", bar
        )
    ]


def _trade_count(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    count = len(outcome.trades)
    if count == 0 and not outcome.is_ruined:
        return [Finding("no_trades", "grave", f"No trades. {_why_none(outcome, checked)}")]
    if 0 < count < FEWEST_TRADES:
        return [_few_trades(count)]
    return []


def _why_none(outcome: Outcome, checked: Checked) -> str:
    """What kept a run from trading: a condition that was never yes, or what stopped every signal."""
    span = slice(outcome.first, outcome.last + 1)
    entries = [placed for placed in checked.statements if isinstance(placed.statement, Enter)]
    if not outcome.plan.entries:
        return (
            "The script has no entry rule for the sides that are on." if entries else "The script has no `enter` rule."
        )
    signals = np.count_nonzero(outcome.plan.flags[span] & (Flag.ENTER_LONG | Flag.ENTER_SHORT))
    reasons = _skip_counts(outcome)
    if reasons:
        # No flag tells of a signal that depends on the position; what stopped it does.
        stopped = max(signals, sum(count for _, count in reasons))
        listed = ", ".join(f"{count:,} {reason}" for reason, count in reasons)
        return f"{stopped:,} signals, and every one was stopped: {listed}."
    if signals:
        return f"{signals:,} signals, the only ones at the last bar, where nothing can follow."
    bars = outcome.last - outcome.first + 1
    for placed in entries:
        assert isinstance(placed.statement, Enter)
        node, text, name = placed.statement.when, placed.text, ""
        while isinstance(node, Name) and node.name in checked.definitions:
            name = node.name
            holder = next(item for item in checked.statements if item.statement is checked.definitions[name])
            node, text = checked.definitions[name].value, holder.text
        whole = name or text[node.span[0] : node.span[1]]
        if checked.is_of_position(node):
            # What such a condition says at a bar depends on the trades before it: there is no column of it to count.
            return f"`{whole}` asks for the position and was never yes when its rule was asked."
        for part in node.parts if isinstance(node, Logic) and node.operator == "and" else ():
            values = outcome.plan.expressions.whole(part)[span]
            if not (values == YES).any():
                written = text[part.span[0] : part.span[1]]
                return f"`{whole}` was never yes, because `{written}` was yes on none of {bars:,} bars."
        return f"`{whole}` was yes on none of {bars:,} bars{', though each of its parts was at times' if isinstance(node, Logic) else ''}."  # noqa: E501
    return "No entry signal."


def _skip_counts(outcome: Outcome) -> list[tuple[str, int]]:
    codes, counts = np.unique(outcome.skips["reason"], return_counts=True)
    pairs = [(Skip(int(code)).word, int(count)) for code, count in zip(codes, counts, strict=True)]
    return sorted(pairs, key=lambda pair: -pair[1])


def _silent_side(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    entered = {rule.side for rule in outcome.plan.entries}
    if len(outcome.trades) == 0 or sides != "both":
        return []
    for side in ("long", "short"):
        if figures[side]["trades"] == 0:
            why = "its rule never led to a trade" if side in entered else f"the script has no `enter {side}` rule"
            return [
                Finding(
                    "one_side_silent", "warning" if side in entered else "note", f"The {side} side is silent: {why}."
                )
            ]
    return []


def _costs(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    costs, share, count = figures["all"]["total_costs"], figures["all"]["costs_share"], len(outcome.trades)
    if count == 0 or not costs or costs <= 0:
        return []
    if share is None:
        return [
            Finding("costs_share", "warning", f"Before costs there was no profit, and costs took another {costs:,.0f}.")
        ]
    if share >= _HEAVY_COSTS:
        return [
            Finding(
                "costs_share",
                "warning",
                f"Costs took {share:.0%} of the gross profit ({costs:,.0f} over {count:,} trades).",
            )
        ]
    return []


def _one_trade(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    net = outcome.trades.net
    total = float(net.sum())
    if net.size < 2 or total <= 0:
        return []
    best = int(np.argmax(net))
    share = float(net[best]) / total
    if share < _HEAVY_TRADE:
        return []
    bar = int(outcome.trades.entry_bar[best])
    return [
        Finding(
            "best_trade_share", "warning", f"One trade (number {best + 1}) made {share:.0%} of the net profit.", bar
        )
    ]


def _ambiguity(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    count, total = int(np.count_nonzero(outcome.trades.ambiguous)), len(outcome.trades)
    if total == 0 or count / total < _HEAVY_AMBIGUITY:
        return []
    bar = int(outcome.trades.exit_bar[np.argmax(outcome.trades.ambiguous)])
    return [
        Finding(
            "same_bar_share",
            "warning",
            f"In {count:,} of {total:,} trades stop and target lay in one bar, so the same-bar rule decided.",
            bar,
        )
    ]


def _still_open(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    if len(outcome.trades) and outcome.trades.reason[-1] == Reason.END:
        net = float(outcome.trades.net[-1])
        return [
            Finding(
                "still_open",
                "note",
                f"The last position was still open: closed at the last price, {net:+,.0f} of the net is not earned yet.",  # noqa: E501
                outcome.last,
            )
        ]
    return []


def _cut(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    found = []
    if outcome.cuts:
        found.append(Finding("cut_entries", "note", f"{outcome.cuts:,} entries were cut to what the margin allowed."))
    refused = {"margin", "lot too small", "beyond stop", "beyond target", "unknown level"}
    counts = [(reason, count) for reason, count in _skip_counts(outcome) if reason in refused]
    if counts and len(outcome.trades):
        listed = ", ".join(f"{count:,} {reason}" for reason, count in counts)
        found.append(Finding("skipped_entries", "note", f"Entries that did not happen at their fill: {listed}."))
    return found


def _not_used(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    dataset = outcome.plan.dataset
    found = []
    if dataset.outside:
        found.append(
            Finding("outside_session", "note", f"{dataset.outside:,} stored bars lie outside the session: not used.")
        )
    if count := (dataset.stored or dataset.bars).left_out.size:
        said = "1 stored bar was" if count == 1 else f"{count:,} stored bars were"
        found.append(Finding("left_out", "note", f"{said} left out by hand."))
    return found
