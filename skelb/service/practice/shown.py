"""What a page shows of a practice."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Ints
from skelb.core.engine.ledger import Rows
from skelb.core.export import Preview, preview_of
from skelb.core.language.tree import Side
from skelb.core.practice import FEWEST_TRADES, Drift, NextStep, next_steps
from skelb.service.glimpse import GlimpsedTrade
from skelb.service.practice.feeds import MadeBars, Replay, words_of
from skelb.service.practice.following import Follower, Troubles
from skelb.service.practice.store import StoredEvent, StoredPractice

_BARS = 110
MOST_EVENTS = 40  # of the newest in view


@dataclass(frozen=True, slots=True)
class PracticeLine:
    """A practice in the list of all."""

    number: int
    title: str
    version: int | None
    market: str
    timeframe: str
    account: str
    feed: str
    state: str
    message: str
    since: int
    trades: int | None
    net: float | None
    position: float | None


@dataclass(frozen=True, slots=True)
class Held:
    """The open position: units and money of all its lots, levels of the nearest."""

    side: Side
    units: float
    price: float
    since: int
    bars_held: int
    floating: float
    costs: float
    r: float | None
    stop: float | None
    target: float | None


@dataclass(frozen=True, slots=True)
class EventShown:
    """Something that happened; `bar` is its bar in the picture, None where it is not in view; the rest as stored."""

    id: int
    kind: str
    bar: int | None
    time: int
    text: str
    sent: str
    tries: int
    answer: str


@dataclass(frozen=True)
class PracticeShown:
    """A practice as it stands: chart, what it would do next, position, what happened, drift."""

    line: PracticeLine
    feed_kind: str
    pace: float | None
    run: int | None
    webhook: str
    clock: int
    closes: int | None
    zone: str
    price: float
    tick: float
    picture: Preview
    is_forming: bool
    berths: list[GlimpsedTrade]
    next: list[NextStep]
    held: Held | None
    events: list[EventShown]
    event_count: int
    fewest_trades: int
    drift: Drift
    troubles: Troubles


def line_of(stored: StoredPractice, follower: Follower | None) -> PracticeLine:
    """The line of a practice; without figures where it is not followed in memory."""
    setup = stored.setup
    trades = follower.following.trades if follower else None
    rows = follower.following.open_rows if follower else None
    return PracticeLine(
        stored.number,
        stored.title,
        stored.version,
        setup.market,
        setup.timeframe,
        setup.account,
        words_of(stored.feed),
        stored.state,
        stored.message,
        stored.since,
        None if trades is None else int(trades.size),
        None if trades is None else float(trades["net"].sum()),
        None if rows is None else float((rows["units"] * rows["side"]).sum()),
    )


def shown_of(follower: Follower, events: list[StoredEvent], event_count: int) -> PracticeShown:
    """All that is shown of a practice."""
    following, stored = follower.following, follower.stored
    plan = following.plan
    dataset = plan.dataset
    end = following.now + 1
    first = max(0, end - _BARS)
    picture, steps, drift = _worked_out(follower, first, end)
    times = dataset.bars.time
    closes = int(dataset.calendar.close_time[following.closed]) if following.forming is not None else None
    return PracticeShown(
        line=line_of(stored, follower),
        feed_kind=stored.feed.kind,
        pace=stored.feed.pace if isinstance(stored.feed, Replay | MadeBars) else None,
        run=stored.run,
        webhook=stored.webhook,
        clock=follower.clock,
        closes=closes,
        zone=dataset.market.zone,
        price=following.price,
        tick=dataset.market.tick,
        picture=picture,
        is_forming=following.forming is not None,
        berths=[*_berths(following.trades, first, end), *_berths(following.open_rows, first, end, is_open=True)],
        next=steps,
        held=_held(following.open_rows, times, end),
        events=[_event(event, times, first, end) for event in events],
        event_count=event_count,
        fewest_trades=FEWEST_TRADES,
        drift=drift,
        troubles=follower.troubles,
    )


def _worked_out(follower: Follower, first: int, end: int) -> tuple[Preview, list[NextStep], Drift]:
    """What takes a while, once for each state of a practice, however many pages look."""
    following = follower.following
    if follower.worked_out is None or follower.worked_out[0] is not following:
        inputs = follower.prepared.inputs
        picture = preview_of(following.checked, inputs, following.plan.dataset, first, end)
        follower.worked_out = following, (picture, next_steps(following), follower.drift(following))
    return follower.worked_out[1]


def _berths(rows: Rows, first: int, end: int, is_open: bool = False) -> list[GlimpsedTrade]:
    seen = rows[(rows["exit_bar"] >= first) & (rows["entry_bar"] < end)]
    return [
        GlimpsedTrade(
            max(0, int(row["entry_bar"]) - first),
            None if is_open else int(row["exit_bar"]) - first,
            int(row["side"]),
            float(row["net"]),
        )
        for row in seen
    ]


def _held(rows: Rows, times: Ints, end: int) -> Held | None:
    if not rows.size:
        return None
    units = float(rows["units"].sum())
    side: Side = "long" if rows["side"][0] > 0 else "short"
    begun = int(rows["entry_bar"].min())
    risked = rows["r"]

    def nearest(name: str, is_above: bool) -> float | None:
        levels = rows[name][np.isfinite(rows[name])]
        return None if levels.size == 0 else float(levels.min() if is_above else levels.max())

    return Held(
        side=side,
        units=units,
        price=float((rows["entry_price"] * rows["units"]).sum() / units),
        since=int(times[min(begun, times.size - 1)]),
        bars_held=max(0, end - begun),
        floating=float(rows["gross"].sum()),
        costs=-float((rows["commission"] + rows["spread"] + rows["slippage"] + rows["financing"]).sum()),
        r=float(risked.sum()) if np.isfinite(risked).all() else None,
        stop=nearest("stop", side == "short"),
        target=nearest("target", side == "long"),
    )


def _event(event: StoredEvent, times: Ints, first: int, end: int) -> EventShown:
    at = int(np.searchsorted(times, event.bar, side="right")) - 1
    bar = at - first if first <= at < end else None
    return EventShown(event.id, event.kind, bar, event.time, event.text, event.sent, event.tries, event.answer)
