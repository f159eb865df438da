"""What a page shows of a practice."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars import Ints
from skelb.core.engine.ledger import Rows
from skelb.core.export import Preview, preview_of
from skelb.core.language.tree import Side
from skelb.core.practice import FEWEST_TRADES, Drift, FollowedMarket, Following, NextStep, next_steps
from skelb.service.glimpse import GlimpsedTrade
from skelb.service.practice.feeds import MadeBars, Replay, words_of
from skelb.service.practice.following import Follower, Troubles, WorkedOut
from skelb.service.practice.store import StoredEvent, StoredPractice

_BARS = 110
MOST_EVENTS = 40  # of the newest in view


@dataclass(frozen=True, slots=True)
class PracticeLine:
    """A practice in the list of all; `position` is the signed units of one market, `open_in` how many of its markets
    have a position."""

    number: int
    title: str
    version: int | None
    markets: list[str]
    timeframe: str
    account: str
    feed: str
    state: str
    message: str
    since: int
    trades: int | None
    net: float | None
    position: float | None
    open_in: int | None


@dataclass(frozen=True, slots=True)
class PractisedMarket:
    """How one of a practice's markets stands: last price, signed units, money of open lots before costs, trades that
    ended and their money; whether the others wait for it."""

    market: str
    price: float
    position: float
    floating: float
    trades: int
    net: float
    is_awaited: bool


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
    market: str
    bar: int | None
    time: int
    text: str
    sent: str
    tries: int
    answer: str


@dataclass(frozen=True)
class PracticeShown:
    """A practice as it stands: of the market in view the chart, what it would do next and the position; of all how
    they stand, what happened, drift."""

    line: PracticeLine
    market: str
    markets: list[PractisedMarket]
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
    markets = follower.following.markets if follower else ()
    positions = [_position(market) for market in markets]
    return PracticeLine(
        stored.number,
        stored.title,
        stored.version,
        list(setup.basket) or [setup.market],
        setup.timeframe,
        setup.account,
        words_of(stored.feed),
        stored.state,
        stored.message,
        stored.since,
        follower.following.trade_count if follower else None,
        sum(float(market.trades["net"].sum()) for market in markets) if follower else None,
        positions[0] if len(positions) == 1 else None,
        sum(position != 0 for position in positions) if follower else None,
    )


def _position(market: FollowedMarket) -> float:
    rows = market.open_rows
    return float((rows["units"] * rows["side"]).sum())


def _practised(market: FollowedMarket, awaited: list[str]) -> PractisedMarket:
    trades, held = market.trades, market.open_rows
    return PractisedMarket(
        market.symbol,
        market.price,
        _position(market),
        float(held["gross"].sum()),
        int(trades.size),
        float(trades["net"].sum()),
        market.symbol in awaited,
    )


def shown_of(follower: Follower, place: int, events: list[StoredEvent], event_count: int) -> PracticeShown:
    """All that is shown of a practice with one of its markets in view."""
    following, stored, awaited = follower.following, follower.stored, follower.awaited
    own = following.markets[place]
    dataset = own.plan.dataset
    end = own.now + 1
    first = max(0, end - _BARS)
    picture, steps, drift = _worked_out(follower, following, place, first, end)
    times = dataset.bars.time
    is_forming = own.standing is not None and not own.standing.is_closed
    closes = int(dataset.calendar.close_time[own.closed]) if is_forming else None
    return PracticeShown(
        line=line_of(stored, follower),
        market=own.symbol,
        markets=[_practised(market, awaited) for market in following.markets],
        feed_kind=stored.feed.kind,
        pace=stored.feed.pace if isinstance(stored.feed, Replay | MadeBars) else None,
        run=stored.run,
        webhook=stored.webhook,
        clock=follower.clock,
        closes=closes,
        zone=dataset.market.zone,
        price=own.price,
        tick=dataset.market.tick,
        picture=picture,
        is_forming=own.standing is not None,
        berths=[*_berths(own.trades, first, end), *_berths(own.open_rows, first, end, is_open=True)],
        next=steps,
        held=_held(own.open_rows, times, end),
        events=[_event(event, own.symbol, times, first, end) for event in events],
        event_count=event_count,
        fewest_trades=FEWEST_TRADES,
        drift=drift,
        troubles=follower.troubles,
    )


def _worked_out(follower: Follower, following: Following, place: int, first: int, end: int) -> WorkedOut:
    """What takes a while, once for each state of a practice and market in view, however many pages look."""
    own, inputs = following.markets[place], follower.prepared.inputs
    kept = {market: found for market, found in follower.worked_out.items() if found[0] is following}
    if own.symbol not in kept:
        picture = preview_of(following.checked, inputs, own.plan.dataset, first, end)
        kept[own.symbol] = following, (picture, next_steps(following, place), follower.drift(following))
        follower.worked_out = kept
    return kept[own.symbol][1]


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


def _event(event: StoredEvent, market: str, times: Ints, first: int, end: int) -> EventShown:
    at = int(np.searchsorted(times, event.bar, side="right")) - 1
    bar = at - first if first <= at < end and event.market in ("", market) else None
    return EventShown(
        event.id, event.kind, event.market, bar, event.time, event.text, event.sent, event.tries, event.answer
    )
