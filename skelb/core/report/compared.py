"""Two runs beside each other, trade by trade: what a change did."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from skelb.core.bars import Floats
from skelb.core.language.tree import Side
from skelb.core.report.traded import Traded

_MOST_LISTED = 60
_FEW = 5
_SAME = 1e-9


@dataclass(frozen=True, slots=True)
class Part:
    """Trades that the difference of two runs is made of: how many, what they came to before and after (0 of a run that
    did not make them), and the change, money."""

    name: Literal["only before", "only after", "ended differently", "sized or charged differently"]
    trades: int
    before: float
    after: float
    change: float


@dataclass(frozen=True, slots=True)
class TradePair:
    """A trade of two runs, or of one: when it began, seconds since 1970 UTC; how it ended in each, and what it came to,
    None in a run that did not make it."""

    market: str
    side: Side
    entry_time: int
    before_reason: str | None
    before: float | None
    after_reason: str | None
    after: float | None


@dataclass(frozen=True, slots=True)
class Difference:
    """What a run is beside another: `change` of net, its parts, the trades that differ most (at most 60 of a kind), and
    in a sentence what was gained and lost.

    alike : trades that both made alike; hangs_on : a sentence where a few trades make the whole difference
    """

    change: float
    parts: list[Part]
    alike: int
    ended: list[TradePair]
    only_before: list[TradePair]
    only_after: list[TradePair]
    sentence: str
    hangs_on: str | None


def difference_of(before: Traded, after: Traded) -> Difference:
    """The difference of two runs. A trade is the same in both where market, side and the time of its entry are; of
    several at once the first of one is the first of the other."""
    first, second = _keyed(before), _keyed(after)
    both = [key for key in first if key in second]
    gone = [first[key] for key in first if key not in second]
    new = [second[key] for key in second if key not in first]
    pairs = np.array([(first[key], second[key]) for key in both], np.int64).reshape(-1, 2)
    old_net, new_net = before.net[pairs[:, 0]], after.net[pairs[:, 1]]
    change = new_net - old_net
    differs = np.abs(change) > _SAME * np.maximum(1.0, np.abs(old_net))
    otherwise = (before.exit_time[pairs[:, 0]] != after.exit_time[pairs[:, 1]]) | np.array(
        [before.reasons[before.reason[a]] != after.reasons[after.reason[b]] for a, b in pairs.tolist()], np.bool_
    )
    ended, charged = differs & otherwise, differs & ~otherwise
    parts = [
        _part("only before", before.net[gone], None),
        _part("only after", None, after.net[new]),
        _part("ended differently", old_net[ended], new_net[ended]),
        _part("sized or charged differently", old_net[charged], new_net[charged]),
    ]
    changes = np.concatenate((-before.net[gone], after.net[new], change[differs]))
    total = float(after.net.sum() - before.net.sum())
    most = np.argsort(-np.abs(change[ended]), kind="stable")[:_MOST_LISTED]
    told = pairs[ended][most]
    return Difference(
        change=total,
        parts=[part for part in parts if part.trades],
        alike=int(np.count_nonzero(~differs)),
        ended=[_pair(before, after, int(a), int(b)) for a, b in told],
        only_before=[_pair(before, after, row, None) for row in _largest(before.net, gone)],
        only_after=[_pair(before, after, None, row) for row in _largest(after.net, new)],
        sentence=_sentence(before.net[gone], after.net[new], change[ended], change[charged], total),
        hangs_on=_hangs_on(changes, total),
    )


def _keyed(trades: Traded) -> dict[tuple[str, int, int, int], int]:
    found: dict[tuple[str, int, int, int], int] = {}
    for row in range(len(trades)):
        key = trades.markets[trades.market[row]], int(trades.side[row]), int(trades.entry_time[row])
        place = 0
        while (*key, place) in found:
            place += 1
        found[(*key, place)] = row
    return found


def _part(name: Literal["only before", "only after", "ended differently", "sized or charged differently"],
          before: Floats | None, after: Floats | None) -> Part:  # fmt: skip
    old, new = (0.0 if values is None else float(values.sum()) for values in (before, after))
    count = next(values.size for values in (before, after) if values is not None)
    return Part(name, count, old, new, new - old)


def _largest(net: Floats, rows: list[int]) -> list[int]:
    return sorted(rows, key=lambda row: -abs(float(net[row])))[:_MOST_LISTED]


def _pair(before: Traded, after: Traded, old: int | None, new: int | None) -> TradePair:
    of, row = (before, old) if old is not None else (after, new)
    assert row is not None
    return TradePair(
        market=of.markets[of.market[row]],
        side="long" if of.side[row] > 0 else "short",
        entry_time=int(of.entry_time[row]),
        before_reason=None if old is None else before.reasons[before.reason[old]],
        before=None if old is None else float(before.net[old]),
        after_reason=None if new is None else after.reasons[after.reason[new]],
        after=None if new is None else float(after.net[new]),
    )


def _sentence(gone: Floats, new: Floats, ended: Floats, charged: Floats, total: float) -> str:
    said = [
        *(
            f"removed {_told(part, won)}"
            for won, part in ((False, gone[gone <= 0]), (True, gone[gone > 0]))
            if part.size
        ),
        *(f"added {_told(part, won)}" for won, part in ((True, new[new > 0]), (False, new[new <= 0])) if part.size),
    ]
    better, worse = ended[ended > 0], ended[ended <= 0]
    if better.size:
        said.append(f"ended {_many(better.size)} better by {better.sum():,.0f}")
    if worse.size:
        said.append(f"ended {_many(worse.size)} worse by {-worse.sum():,.0f}")
    if not said:
        return (
            "It made the same trades."
            if abs(total) < _SAME
            else f"It made the same trades, sized or charged differently: {total:+,.0f}."
        )
    if charged.size:
        said.append(f"sized or charged {_many(charged.size)} differently by {charged.sum():+,.0f}")
    return f"It {', '.join(said[:-1]) + ' and ' if len(said) > 1 else ''}{said[-1]}: {total:+,.0f} in all."


def _told(net: Floats, won: bool) -> str:
    return f"{_many(net.size)} that {'won' if won else 'lost'} {abs(float(net.sum())):,.0f}"


def _many(count: int) -> str:
    return f"{count:,} trade{'s' * (count != 1)}"


def _hangs_on(changes: Floats, total: float) -> str | None:
    """Where a few trades make more than the whole difference."""
    if total == 0 or changes.size <= _FEW:
        return None
    towards = changes * np.sign(total)
    towards = np.sort(towards[towards > 0])[::-1]
    count = int(np.searchsorted(np.cumsum(towards), abs(total))) + 1
    if count > _FEW:
        return None
    rest = abs(total) - float(towards[:count].sum())
    what = "trade makes" if count == 1 else f"{count} trades make"
    return f"{'One' if count == 1 else ''} {what} the whole difference: without {'it' if count == 1 else 'them'} it would be {np.sign(total) * rest:+,.0f}.".strip()  # noqa: E501
