"""Findings on where a result may come from: one month, missing bars, the edge of a range, an error."""

from collections.abc import Iterator

import numpy as np

from skelb.core.bars import WEEK_MINUTES
from skelb.core.catalogue import UNKNOWN, YES
from skelb.core.engine import Outcome
from skelb.core.figures.figures import Figures
from skelb.core.figures.finding import FEWEST_TRADES, Finding
from skelb.core.language import Checked, forms_in
from skelb.core.language.tree import Enter, Expression, Logic, Name, OnTimeframe, Window
from skelb.core.language.walk import parts_within

_HEAVY_MONTH = 0.5
_HEAVY_WARM_UP = 0.1
_DAY_NAMES = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_LONG_GAP = 5  # times the usual step inside a trading day
_GOOD = {"sharpe": 4.0, "profit_factor": 5.0, "win_rate": 0.9}  # beyond these, an error is likelier than an edge


def one_month(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    """One month made most of the profit."""
    net = outcome.trades.net
    total = float(net.sum())
    days = outcome.plan.dataset.calendar.day[outcome.trades.exit_bar]
    months = days.astype("datetime64[D]").astype("datetime64[M]")
    names, which = np.unique(months, return_inverse=True)
    if total <= 0 or names.size < 6:
        return []
    sums = np.bincount(which, net)
    best = int(np.argmax(sums))
    if sums[best] < _HEAVY_MONTH * total:
        return []
    text = f"One month, {names[best]}, made {sums[best] / total:.0%} of the net profit."
    return [Finding("one_month", "warning", text, int(outcome.trades.entry_bar[np.argmax(which == best)]))]


def worse_than_holding(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    """The drawdown is worse than that of holding."""
    bars, span = outcome.plan.dataset.bars, slice(outcome.first, outcome.last + 1)
    fallen, first = figures["all"]["max_drawdown_percent"], float(bars.open[outcome.first])
    if len(outcome.trades) == 0 or fallen is None or first <= 0 or not (bars.close[span] > 0).all():
        return []
    peaks = np.maximum(np.maximum.accumulate(bars.close[span]), first)
    held = float(np.max(1.0 - bars.close[span] / peaks)) * 100.0
    if fallen <= held:
        return []
    text = f"The drawdown, {fallen:.1f}%, is worse than that of simply holding, {held:.1f}%."
    return [Finding("drawdown_worse_than_holding", "note", text)]


def warm_up(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    """A large share of the bars came before any entry rule could be judged."""
    plan, bars = outcome.plan, outcome.last - outcome.first + 1
    known = []
    for rule in plan.entries:
        if not checked.is_of_position(rule.when):
            values = plan.expressions.whole(rule.when)[outcome.first : outcome.last + 1] != UNKNOWN
            known.append(int(np.argmax(values)) if values.any() else bars)
    share = min(known, default=0) / bars
    if share < _HEAVY_WARM_UP:
        return []
    text = f"On the first {share:.0%} of the bars no entry rule could be judged yet: begin the data earlier or shorten the lengths."  # noqa: E501
    return [Finding("warm_up_share", "warning" if share > 0.5 else "note", text)]


def gaps(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    """Bars missing inside a trading day while a position was open."""
    bars, calendar = outcome.plan.dataset.bars, outcome.plan.dataset.calendar
    if not bars.timeframe.is_intraday or len(outcome.trades) == 0:
        return []
    missing = np.zeros(len(bars) + 1, np.int64)
    steps = calendar.open_minute[1:] - calendar.open_minute[:-1]
    breaks = np.array([part.start for part in outcome.plan.dataset.market.ranges])
    within = (calendar.day[1:] == calendar.day[:-1]) & (steps > _LONG_GAP * bars.timeframe.minutes)
    within &= ~np.isin(calendar.open_minute[1:], breaks)
    missing[1:-1] = np.cumsum(within)
    entered, left = outcome.trades.entry_bar, outcome.trades.exit_bar
    touched = missing[np.minimum(left, len(bars) - 1)] > missing[np.minimum(entered, len(bars) - 1)]
    if not touched.any():
        return []
    text = f"{int(touched.sum()):,} trades ran through a stretch where bars are missing: their stops could not be seen there."  # noqa: E501
    return [Finding("gaps_in_trades", "note", text, int(entered[np.argmax(touched)]))]


def at_the_edge(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    """An input stands at the end of its range."""
    found = []
    for name, given in outcome.plan.expressions.inputs.items():
        item = checked.inputs.get(name)
        if item is None or item.kind != "number" or item.low is None or isinstance(given, bool | str):
            continue
        if given in (item.low, item.high) and given != item.default:
            found.append(f"{name} = {given:g}")
    if not found:
        return []
    text = f"At the edge of its range: {', '.join(found)}. The best may lie beyond, or there is no best."
    return [Finding("setting_at_the_edge", "note", text)]


def forming_used(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    """Values of higher bars that were still forming."""
    if not any(True for placed in checked.statements for _ in forms_in(placed.statement)):
        return []
    text = "The script reads higher bars while they form (`forming`): such values move until the bar has closed."
    return [Finding("forming_used", "note", text)]


def week_missed(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    """A value of weekly bars that close on a weekday on which no entry can be decided: it is of the week before."""
    plan = outcome.plan
    calendar = plan.dataset.calendar
    weekday, bars = calendar.weekday, plan.dataset.bars
    if bars.timeframe.minutes >= WEEK_MINUTES or not calendar.ends_week.any():
        return []
    closing = np.bincount(weekday[calendar.ends_week], minlength=7).argmax()
    windows = [placed.statement for placed in checked.statements if isinstance(placed.statement, Window)]
    in_window = {day for window in windows for day in window.days} if all(item.days for item in windows) else set()
    for placed in checked.statements:
        rule = placed.statement
        if not isinstance(rule, Enter) or checked.is_of_position(rule.when):
            continue
        parts = list(_conditions_of(rule.when, checked))
        weekly = next((part for item in parts for part in _within(item, checked) if _is_weekly(part)), None)
        decided = np.ones(weekday.size, np.bool_)
        for part in parts:
            if any(isinstance(item, Name) and item.name == "weekday" for item in _within(part, checked)):
                decided &= plan.expressions.whole(part) == YES
        days = set(np.unique(weekday[decided]).tolist()) & (in_window or set(range(7)))
        if weekly is None or not days or closing in days:
            continue
        listed = ", ".join(_DAY_NAMES[day] for day in sorted(days))
        text = (
            f"A week's bar closes on {_DAY_NAMES[closing]} in {plan.dataset.market.symbol}, and entries are decided on"
            f" {listed}: what they see `on 1w` is of the week before. Decide on the day after it closes, or read it"
            " `forming`."
        )
        return [Finding("week_missed", "warning", text)]
    return []


def _conditions_of(node: Expression, checked: Checked) -> Iterator[Expression]:
    """The conditions that a rule needs together, names looked through."""
    while isinstance(node, Name) and node.name in checked.definitions:
        node = checked.definitions[node.name].value
    if isinstance(node, Logic) and node.operator == "and":
        for part in node.parts:
            yield from _conditions_of(part, checked)
    else:
        yield node


def _within(node: object, checked: Checked) -> Iterator[object]:
    """Every part of a condition, and of what the names in it stand for."""
    waiting, seen = [node], set[str]()
    while waiting:
        for part in parts_within(waiting.pop()):
            yield part
            if isinstance(part, Name) and part.name in checked.definitions and part.name not in seen:
                seen.add(part.name)
                waiting.append(checked.definitions[part.name].value)


def _is_weekly(part: object) -> bool:
    return isinstance(part, OnTimeframe) and part.minutes == WEEK_MINUTES and not part.forming


def too_good(outcome: Outcome, checked: Checked, figures: dict[str, Figures], sides: str) -> list[Finding]:
    """Figures beyond plausible bounds, with the usual suspects checked."""
    found = figures["all"]
    if (found["trades"] or 0) < FEWEST_TRADES:
        return []
    beyond = [(key, value) for key, most in _GOOD.items() if (value := found[key]) is not None and value > most]
    if not beyond:
        return []
    listed = ", ".join(f"{key.replace('_', ' ')} {value:.2f}" for key, value in beyond)
    text = f"Too good to be true ({listed}): look for the error first. {_suspects(outcome, found)}"
    return [Finding("too_good", "warning", text)]


def _suspects(outcome: Outcome, found: Figures) -> str:
    """The usual suspects, checked."""
    suspects = []
    if not found["total_costs"]:
        suspects.append("there are no costs at all")
    if found["ambiguous_trades"]:
        suspects.append(f"{found['ambiguous_trades']} trades hang on the same-bar rule")
    if (outcome.trades.bars_held <= 1).mean() > 0.5:
        suspects.append("most trades last a single bar, where the order of prices is a guess")
    bars = outcome.plan.dataset.bars
    jumps = np.abs(np.diff(bars.close)) / np.maximum(np.abs(bars.close[:-1]), 1e-300)
    if jumps.size and float(jumps.max()) > 0.5:
        suspects.append("the data has a jump of more than half the price")
    return (
        f"Suspects: {'; '.join(suspects)}."
        if suspects
        else "Costs, same-bar cases, single-bar trades and jumps look usual."
    )
