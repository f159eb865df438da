"""What a run came to in every month and year."""

from collections.abc import Iterable

import numpy as np
from typing_extensions import TypedDict  # the standard one is no schema before Python 3.12

from skelb.core.bars import Ints
from skelb.core.figures import Record, drawdown_of
from skelb.core.report.traded import Traded

Year = TypedDict(
    "Year",
    {"year": int, "net_profit": float, "return": float | None, "max_drawdown": float, "trades": int},
)
Month = TypedDict(
    "Month",
    {"year": int, "month": int, "net_profit": float, "return": float | None, "max_drawdown": float, "trades": int},
)


def months_of(record: Record, trades: Traded) -> list[Month]:
    """Every month from the run's first to its last trading day, those without a trade among them.

    net_profit : of the trades that ended in it, money; trades : how many; return : the change of closing equity over
    the equity at its beginning, open positions at their price, None from nothing; max_drawdown : the largest fall of
    closing equity inside it, from the equity at its beginning on, money
    """
    found = []
    for number, worth in _by_period(record, trades, _months(record.days), _months(trades.exit_day)):
        found.append(Month(year=1970 + number // 12, month=number % 12 + 1, **worth))  # type: ignore[typeddict-item]
    return found


def years_of(record: Record, trades: Traded) -> list[Year]:
    """Every year from the run's first to its last trading day; as `months_of`."""
    periods = _months(record.days) // 12, _months(trades.exit_day) // 12
    return [
        Year(year=1970 + number, **worth)  # type: ignore[typeddict-item]
        for number, worth in _by_period(record, trades, *periods)
    ]


def _months(days: Ints) -> Ints:
    """Months since January 1970."""
    return days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)


def _by_period(
    record: Record, trades: Traded, of_days: Ints, of_trades: Ints
) -> Iterable[tuple[int, dict[str, float | None]]]:
    for number in range(int(of_days[0]), int(of_days[-1]) + 1):
        own = np.flatnonzero(of_days == number)
        ended = of_trades == number
        before, points = record.capital, np.zeros(0)
        if own.size:
            begin = int(record.day_ends[own[0] - 1]) + 1 if own[0] else 0
            before = float(record.equity[begin - 1]) if begin else record.capital
            points = record.equity[begin : int(record.day_ends[own[-1]]) + 1]
        yield (
            number,
            {
                "net_profit": float(trades.net[ended].sum()),
                "return": float(points[-1] / before - 1.0) if points.size and before > 0 else None,
                "max_drawdown": float(drawdown_of(points, before).max(initial=0.0)),
                "trades": int(np.count_nonzero(ended)),
            },
        )
