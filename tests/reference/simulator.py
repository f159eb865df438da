"""The slow, plain simulator: the engine page followed word by word, sharing no code with the engine.

Lists and dictionaries, one bar after the other, every rule spelled out. Speed does not matter here.
"""

import math
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

Series = list  # one value a bar; None is unknown


@dataclass
class Rules:
    """A strategy: conditions are lists of True, False or None; levels lists of numbers or None."""

    entries: list = field(default_factory=list)  # (side, condition, size, name, at close, rest); size (form,
    # amounts, mosts), rest None or (is a stop, prices, bars)
    exits: list = field(default_factory=list)  # (side or None, condition, name, at close)
    stops: list = field(default_factory=list)  # (side or None, unit, amounts)
    targets: list = field(default_factory=list)
    exit_after: list = field(default_factory=list)  # (side or None, count, "bars" or "days", at close)
    trails: dict = field(default_factory=dict)  # side -> (unit, amounts, once unit, once amounts or None)
    trail_prices: dict = field(default_factory=dict)  # side -> prices, judged at every close
    breakevens: dict = field(default_factory=dict)  # side -> (once unit, once amounts, plus unit, plus amounts)
    entries_a_day: float = math.inf
    losses_a_day: float = math.inf
    loss_percent: float = math.inf
    pauses: dict = field(default_factory=dict)  # "stop", "loss" or "exit" -> bars
    dates: list = field(default_factory=list)  # (first date, last date)
    zone: str | None = None
    windows: list = field(default_factory=list)  # (weekdays or None, [(minute, minute)])
    flats: list = field(default_factory=list)  # minute, "session" or "week"
    opposite: str = "reverse"


DEFAULT_SIZE = ("percent", 100.0, None)


class Simulator:
    """One run over bars given as dictionaries with time, open, high, low, close (time in seconds UTC)."""

    def __init__(self, bars, rules, market, account, timeframe_s):
        self.bars, self.rules, self.market, self.account = bars, rules, market, account
        self.timeframe_s = timeframe_s
        self.zone = ZoneInfo(market["zone"])
        self.cash = account["capital"]
        self.position = None
        self.pending = None
        self.exit_due = None
        self.trades, self.skipped, self.equity = [], [], []
        self.ruined = False
        self.lost_day = None
        self.orders = {}  # of each rule by name, while it rests
        start, end = market["session"].split("-")
        self.session_start, self.session_end = _minutes(start), _minutes(end)
        self.crosses = self.session_end <= self.session_start

    # --- the clock ---------------------------------------------------------------------------------------------

    def local(self, moment):
        return datetime.fromtimestamp(moment, UTC).astimezone(self.zone)

    def trading_day(self, i):
        """The date a bar belongs to; a session that crosses midnight belongs to the day its end falls on."""
        when = self.local(self.bars[i]["time"])
        minute = when.hour * 60 + when.minute
        if self.crosses and minute >= self.session_start:
            return when.date() + timedelta(days=1)
        return when.date()

    def session_close(self, day):
        midnight = datetime(day.year, day.month, day.day)
        local = midnight + timedelta(minutes=self.session_end)
        return int(local.replace(tzinfo=self.zone).timestamp())

    def close_time(self, i):
        return min(self.bars[i]["time"] + self.timeframe_s, self.session_close(self.trading_day(i)))

    def since_midnight(self, moment, day):
        """Wall-clock minutes from the trading day's midnight."""
        when = self.local(moment)
        return (when.date() - day).days * 1440 + when.hour * 60 + when.minute

    def flat_minute(self, at):
        return at - 1440 if self.crosses and at >= self.session_start else at

    # --- fills -------------------------------------------------------------------------------------------------

    @property
    def value(self):
        return self.market["point_value"] * self.market["currency_rate"]

    def spread(self, mid):
        spread, unit = self.market["spread"], self.market["spread_unit"]
        return spread * self.market["tick"] if unit == "ticks" else spread * mid / 100 if unit == "percent" else spread

    def half(self, direction, mid):
        if self.market["quotes"] == "bid":
            return self.spread(mid) if direction > 0 else 0.0
        return self.spread(mid) / 2

    def fee(self, units, price):
        a = self.account
        paid = a["commission_percent"] / 100 * units * price * self.value
        paid += a["commission_per_unit"] * units + a["commission_per_order"]
        return max(paid, a["commission_minimum"])

    def rounded(self, x):
        tick = self.market["tick"]
        k = math.floor(abs(x) / tick + 0.5 + 1e-9)
        ones = round(1 / tick)
        whole = ones >= 1 and abs(1 / tick - ones) < 1e-9 * ones
        level = k / ones if whole else k * tick
        return math.copysign(level, x) if x else level

    def leave(self, i, mid, slips, reason, moment, ambiguous=False):
        p, side = self.position, self.position["side"]
        half = self.half(-side, mid)
        slip = self.account["slippage_ticks"] * self.market["tick"] if slips else 0.0
        price = mid - side * (half + slip)
        if reason == "stop":
            reason = p["stop_kind"]
        units = p["units"]
        commission = p["fee"] + self.fee(units, price)
        spread = p["spread"] + half * units * self.value
        slippage = p["slippage"] + slip * units * self.value
        gross = (mid - p["mid"]) * side * units * self.value
        net = gross - commission - spread - slippage - p["financing"]
        self.cash = p["before"] + net
        high, low = max(p["high"], mid), min(p["low"], mid)
        best, worst = (high, low) if side > 0 else (low, high)
        self.trades.append({
            "side": side, "entry_bar": p["bar"], "exit_bar": i, "entry_price": p["price"], "exit_price": price,
            "units": units, "reason": reason, "gross": gross, "commission": commission, "spread": spread,
            "slippage": slippage, "financing": p["financing"], "net": net, "moment": moment,
            "r": net / (p["risk"] * units * self.value) if p["risk"] else None,
            "best": (best - p["mid"]) * side * units * self.value,
            "worst": (worst - p["mid"]) * side * units * self.value,
            "stop": p["first_stop"], "target": p["target"], "entry_moment": p["moment"], "filled": p["filled"], "ambiguous": ambiguous, "name": p["name"],
        })  # fmt: skip
        self.position = None
        self.exit_due = None

    def levels_for(self, rules, side, j, mid, risk=None):
        """Every level of one kind, as (unit, price); a sided rule replaces an unsided one. None when unknown."""
        word = "long" if side > 0 else "short"
        mine = [rule for rule in rules if rule[0] == word] or [rule for rule in rules if rule[0] is None]
        sign = -side if rules is self.rules.stops else side
        found = []
        for _, unit, amounts in mine:
            amount = amounts[j]
            if amount is None:
                return None
            if unit == "at":
                found.append(amount)
            elif unit == "percent":
                found.append(mid + sign * (abs(mid) * amount / 100))
            elif unit == "R":
                found.append(mid + sign * amount * risk)
            else:
                scale = {"price": 1.0, "ticks": self.market["tick"], "pips": self.market["pip"], "cash": 1 / self.value}
                found.append(mid + sign * amount * scale[unit])
        return found

    def distance(self, unit, amount, mid, risk):
        """A distance in price units."""
        if amount is None:
            return None
        scale = {"price": 1.0, "ticks": self.market["tick"], "pips": self.market["pip"], "cash": 1 / self.value}
        return abs(mid) * amount / 100 if unit == "percent" else amount * risk if unit == "R" else amount * scale[unit]

    def enter(self, i, mid, moment="open", slips=True):
        """Fill the waiting entry, or say why not."""
        side, j, size, name = self.pending[:4]
        word = "long" if side > 0 else "short"
        stops = self.levels_for(self.rules.stops, side, j, mid)
        if stops is None:
            return "unknown level"
        stop = self.rounded(max(stops) if side > 0 else min(stops)) if stops else None
        risk = abs(mid - stop) if stop is not None else 0.0
        targets = self.levels_for(self.rules.targets, side, j, mid, risk)
        if targets is None:
            return "unknown level"
        target = self.rounded(min(targets) if side > 0 else max(targets)) if targets else None
        first_stop, stop_kind, trail, trail_once = stop, "stop", None, 0.0
        if word in self.rules.trails:
            unit, amounts, once_unit, once = self.rules.trails[word]
            trail = self.distance(unit, amounts[j], mid, risk)
            trail_once = 0.0 if once is None else self.distance(once_unit, once[j], mid, risk)
            if trail is None or trail_once is None:
                return "unknown level"
            if trail_once == 0.0:
                level = self.rounded(mid - side * trail)
                if stop is None:
                    first_stop, risk = level, abs(mid - level)
                if stop is None or (level - stop) * side > 0:
                    stop, stop_kind = level, "trail"
        even = None
        if word in self.rules.breakevens:
            once_unit, once, plus_unit, plus = self.rules.breakevens[word]
            even = (self.distance(once_unit, once[j], mid, risk), self.distance(plus_unit, plus[j], mid, risk))
            if None in even:
                return "unknown level"
        if stop is not None and (stop - mid) * side >= 0:
            return "beyond stop"
        if target is not None and (target - mid) * side <= 0:
            return "beyond target"
        slip = self.account["slippage_ticks"] * self.market["tick"] if slips else 0.0
        half = self.half(side, mid)
        price = mid + side * (half + slip)
        form, amounts, mosts = size
        amount = amounts[j] if isinstance(amounts, list) else amounts
        if amount is None:
            return "unknown level"
        equity = self.cash
        units = {
            "units": lambda: amount,
            "cash": lambda: amount / (price * self.value),
            "percent": lambda: equity * amount / 100 / (price * self.value),
            "risk_percent": lambda: equity * amount / 100 / (risk * self.value),
            "risk_cash": lambda: amount / (risk * self.value),
        }[form]()
        if mosts is not None:
            units = min(units, mosts)
        per_unit = abs(price) * self.value / self.account["leverage"]
        if units * per_unit > equity:
            if self.account["short_of_margin"] == "skip" or equity <= 0:
                return "margin"
            units = equity / per_unit
        units = math.floor(units / self.market["lot_step"] + 1e-9) * self.market["lot_step"]
        if units < self.market["min_lot"]:
            return "lot too small"
        fee = self.fee(units, price)
        self.position = {
            "side": side, "bar": i + 1 if moment == "close" else i, "filled": i, "moment": moment, "first_stop": first_stop,
            "stop_kind": stop_kind, "trail": trail, "trail_once": trail_once, "even": even, "mid": mid, "price": price, "units": units, "stop": stop, "target": target,
            "risk": risk, "high": mid, "low": mid, "fee": fee, "spread": half * units * self.value,
            "slippage": slip * units * self.value, "financing": 0.0, "before": self.cash, "margin": units * per_unit,
            "name": name,
        }  # fmt: skip
        self.cash -= fee
        self.orders = {key: order for key, order in self.orders.items() if order["side"] != side}
        return None

    # --- one bar -----------------------------------------------------------------------------------------------

    def run(self):
        for i in range(len(self.bars)):
            if self.ruined:
                self.equity.append(self.cash)
                continue
            self.at_open(i)
            self.inside(i)
            self.at_close(i)
        return self

    def at_open(self, i):
        bar, o = self.bars[i], self.bars[i]["open"]
        rolled = i > 0 and self.trading_day(i) != self.trading_day(i - 1)
        if rolled and self.position:
            p = self.position
            percent = self.market["financing_long" if p["side"] > 0 else "financing_short"]
            triple = self.market["triple_day"]
            weekdays = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
            nights = 3 if triple and weekdays[self.trading_day(i - 1).weekday()] == triple else 1
            cost = p["units"] * self.bars[i - 1]["close"] * self.value * percent / 100 / 365 * nights
            p["financing"] += cost
            self.cash -= cost
        if self.must_be_flat_at_open(i, rolled):
            if self.position:
                self.leave(i, o, True, "flat", "open")
            self.exit_due = None
            if self.pending:
                self.skip(bar["time"], self.pending[0], "flat")
                self.pending = None
            self.end_orders(bar["time"], "flat")
        if self.exit_due:
            if self.position:
                self.leave(i, o, True, self.exit_due, "open")
            self.exit_due = None
        if self.pending:
            refused = self.enter(i, o)
            if refused:
                self.skip(bar["time"], self.pending[0], refused)
            self.pending = None

    def must_be_flat_at_open(self, i, rolled):
        day = self.trading_day(i)
        for flat in self.rules.flats:
            if flat == "session":
                if rolled:
                    return True
            elif flat == "week":
                if i > 0 and day.isocalendar()[:2] != self.trading_day(i - 1).isocalendar()[:2]:
                    return True
            elif rolled or self.since_midnight(self.bars[i]["time"], day) >= self.flat_minute(flat):
                return True
        return False

    def inside(self, i):
        bar, p = self.bars[i], self.position
        o = bar["open"]
        if p and p["stop"] is not None and (o - p["stop"]) * p["side"] <= 0:
            self.leave(i, o, True, "stop", "open")
        elif p and p["target"] is not None and (o - p["target"]) * p["side"] >= 0:
            self.leave(i, o, False, "target", "open")
        passed = [key for key in self.in_text_order() if self.passes(self.orders[key], o)]
        able = [key for key in passed if not self.position or self.rules.opposite != "ignore"]
        if able:
            worst = min(able, key=lambda key: (bar["close"] - o) * self.orders[key]["side"])
            self.fill_order(i, worst, o, "open")
        live = {key for key in self.orders if key not in passed}
        if self.account["same_bar"] == "path":
            self.walk_the_path(i, live)
        else:
            self.expect_the_worst(i, live)

    @staticmethod
    def passes(order, price):
        """A limit is met by a price at or better, a stop by one at or worse."""
        better = (order["price"] - price) * order["side"]
        return better <= 0 if order["is_stop"] else better >= 0

    def fill_order(self, i, key, mid, moment):
        order = self.orders.pop(key)
        slips = order["is_stop"]
        if self.position and self.position["side"] == -order["side"]:
            self.leave(i, mid, slips, "reverse", moment)
            if self.rules.opposite == "exit":
                return
        self.pending = (order["side"], order["bar"], order["size"], key)
        refused = self.enter(i, mid, moment, slips)
        self.pending = None
        if refused:
            self.skip(self.bars[i]["time"], order["side"], refused)

    def end_orders(self, time, reason, until=math.inf):
        for key in self.in_text_order():
            if self.orders[key]["until"] <= until:
                self.skip(time, self.orders[key]["side"], reason)
                del self.orders[key]

    def in_text_order(self):
        """The orders as the engine lists them: long rules first, each in text order."""
        names = [entry[3] for word in ("long", "short") for entry in self.rules.entries if entry[0] == word]
        return [name for name in names if name in self.orders]

    def expect_the_worst(self, i, live):
        bar = self.bars[i]
        o, high, low, close = bar["open"], bar["high"], bar["low"], bar["close"]
        far = lambda price: abs(price - o)  # noqa: E731
        touched = [key for key in self.in_text_order() if key in live and low <= self.orders[key]["price"] <= high]
        p = self.position
        if not p:
            nearest = {}
            for key in touched:
                order = self.orders[key]
                # Of two as near, the one below the open counts.
                rank = (far(order["price"]), order["price"] > o)
                if order["side"] not in nearest or rank < nearest[order["side"]][0]:
                    nearest[order["side"]] = (rank, key)
            if nearest:
                gain = lambda key: (close - self.orders[key]["price"]) * self.orders[key]["side"]  # noqa: E731
                self.fill_inside(i, min((nearest[side][1] for side in sorted(nearest, reverse=True)), key=gain))
            return
        opposite = (
            [] if self.rules.opposite == "ignore" else [k for k in touched if self.orders[k]["side"] != p["side"]]
        )
        stop_hit = p["stop"] is not None and (low <= p["stop"] if p["side"] > 0 else high >= p["stop"])
        target_hit = p["target"] is not None and (high >= p["target"] if p["side"] > 0 else low <= p["target"])
        for against in (True, False):
            below = (p["side"] > 0) == against
            level, hit = (p["stop"], stop_hit) if against else (p["target"], target_hit)
            orders = [key for key in opposite if (self.orders[key]["price"] < o) == below]
            order = min(orders, key=lambda key: far(self.orders[key]["price"]), default=None)
            if order is not None and (not hit or far(self.orders[order]["price"]) < far(level)):
                return self.fill_inside(i, order)
            if hit:
                self.leave(i, level, against, "stop" if against else "target", "inside", stop_hit and target_hit)
                if order is not None:
                    self.fill_inside(i, order)
                return None
        return None

    def fill_inside(self, i, key):
        """Its stop counts for this bar too; its target only if the close is at or beyond it."""
        bar = self.bars[i]
        self.fill_order(i, key, self.orders[key]["price"], "inside")
        p = self.position
        if p and p["stop"] is not None and (bar["low"] <= p["stop"] if p["side"] > 0 else bar["high"] >= p["stop"]):
            self.leave(i, p["stop"], True, "stop", "inside", True)
        elif p and p["target"] is not None and (bar["close"] - p["target"]) * p["side"] >= 0:
            self.leave(i, p["target"], False, "target", "inside")

    def walk_the_path(self, i, live):
        bar = self.bars[i]
        o, high, low, close = bar["open"], bar["high"], bar["low"], bar["close"]
        high_first = abs(o - high) < abs(o - low) - self.market["tick"] / 1000
        at = o
        for end in [high, low, close] if high_first else [low, high, close]:
            up = end >= at
            while True:
                events = []
                p = self.position
                if p:
                    for kind in ("stop", "target"):
                        if p[kind] is not None and ((kind == "stop") == (p["side"] < 0)) == up:
                            events.append((p[kind], kind))
                for key in self.in_text_order():
                    order = self.orders[key]
                    if key not in live or (p and (order["side"] == p["side"] or self.rules.opposite == "ignore")):
                        continue
                    if ((order["side"] > 0) == order["is_stop"]) == up:
                        events.append((order["price"], key))
                ahead = [event for event in events if min(at, end) <= event[0] <= max(at, end)]
                if not ahead:
                    break
                price, what = min(ahead, key=lambda event: abs(event[0] - at))
                at = price
                if what in self.orders:
                    self.fill_order(i, what, price, "inside")
                else:
                    both = all(p[kind] is not None and low <= p[kind] <= high for kind in ("stop", "target"))
                    self.leave(i, price, what == "stop", what, "inside", both)
            at = end

    def at_close(self, i):
        bar, p = self.bars[i], self.position
        close = bar["close"]
        now, margin = self.cash, 0.0
        if p:
            # Filled inside this bar, its good extreme may have come before the fill: only the close is sure.
            unsure = p["moment"] == "inside" and p["bar"] == i
            p["high"] = max(p["high"], close if unsure and p["side"] > 0 else bar["high"])
            p["low"] = min(p["low"], close if unsure and p["side"] < 0 else bar["low"])
            now = self.cash + (close - p["price"]) * p["units"] * self.value * p["side"]
            margin = p["margin"]
        if now <= self.account["stop_out"] * margin:
            if p:
                self.leave(i, close, True, "ruin", "close")
            self.ruined = True
            self.equity.append(self.cash)
            return
        last = i == len(self.bars) - 1
        if self.must_be_flat_at_close(i):
            self.end_orders(self.close_time(i), "flat")
        if self.position and self.must_be_flat_at_close(i):
            self.leave(i, close, True, "flat", "close")
            now = self.cash
        elif self.position and last:
            self.leave(i, close, True, "end of data", "close")
            now = self.cash
        self.equity.append(now)
        if not last:
            if self.position:
                self.move_levels(i)
            before = self.equity[self.day_begins(i) - 1] if self.day_begins(i) > 0 else self.account["capital"]
            if now <= before * (1 - self.rules.loss_percent / 100):
                self.lost_day = self.trading_day(i)
            self.judge(i)

    def day_begins(self, i):
        """Index of the first bar of this bar's trading day."""
        day = self.trading_day(i)
        while i > 0 and self.trading_day(i - 1) == day:
            i -= 1
        return i

    def move_levels(self, i):
        """Levels for the next bar, from what is known at this close; they only tighten."""
        p = self.position
        side, word = p["side"], "long" if p["side"] > 0 else "short"
        best = p["high"] if side > 0 else p["low"]
        moved = (best - p["mid"]) * side

        def tighten(price, kind):
            level = self.rounded(price)
            if p["stop"] is None or (level - p["stop"]) * side > 0:
                p["stop"], p["stop_kind"] = level, kind

        if p["trail"] is not None and moved >= p["trail_once"]:
            tighten(best - side * p["trail"], "trail")
        price = self.rules.trail_prices.get(word, [None] * len(self.bars))[i]
        if price is not None:
            tighten(price, "trail")
        if p["even"] and moved >= p["even"][0]:
            tighten(p["mid"] + side * p["even"][1], "breakeven")

    def reaches_end(self, i):
        return self.close_time(i) >= self.session_close(self.trading_day(i))

    def must_be_flat_at_close(self, i):
        if not self.reaches_end(i):
            return False
        return any(flat != "week" or self.ends_week(i) for flat in self.rules.flats)

    def ends_week(self, i):
        return self.reaches_end(i) and self.trading_day(i).weekday() == self.market["last_weekday"]

    def blocked(self, i):
        """Why no entry may be decided at this close, or None."""
        day, moment = self.trading_day(i), self.close_time(i)
        if self.rules.dates and not any(first <= day <= last for first, last in self.rules.dates):
            return "window"
        when = datetime.fromtimestamp(moment, UTC).astimezone(ZoneInfo(self.rules.zone or self.market["zone"]))
        clock = when.hour * 60 + when.minute or 1440
        if self.rules.windows and not any(self.in_window(window, day, clock) for window in self.rules.windows):
            return "window"
        for flat in self.rules.flats:
            if flat == "session":
                if self.reaches_end(i):
                    return "flat"
            elif flat == "week":
                if self.ends_week(i):
                    return "flat"
            elif self.since_midnight(moment, day) >= self.flat_minute(flat):
                return "flat"
        return self.held_back(i, day)

    def held_back(self, i, day):
        """Whether the day's limits or a pause let no entry be decided."""
        filled = [trade["filled"] for trade in self.trades] + ([self.position["filled"]] if self.position else [])
        today = [bar for bar in filled if self.trading_day(bar) == day]
        losses = [trade for trade in self.trades if self.trading_day(trade["exit_bar"]) == day and trade["net"] < 0]
        if len(today) >= self.rules.entries_a_day or len(losses) >= self.rules.losses_a_day or self.lost_day == day:
            return "limit"
        for trade in self.trades:
            since = i - trade["exit_bar"]
            stopped = trade["reason"] in ("stop", "trail", "breakeven")
            if since < self.rules.pauses.get("exit", 0) or (stopped and since < self.rules.pauses.get("stop", 0)):
                return "pause"
            if trade["net"] < 0 and since < self.rules.pauses.get("loss", 0):
                return "pause"
        return None

    @staticmethod
    def in_window(window, day, clock):
        days, ranges = window
        if days is not None and day.weekday() not in days:
            return False
        if not ranges:
            return True
        return any(a <= clock < b if b > a else clock >= a or clock < b for a, b in ranges)

    def judge(self, i):
        exits = {1: None, -1: None}
        for side, condition, name, at_close in self.rules.exits:
            for sign, word in ((1, "long"), (-1, "short")):
                if callable(condition):  # it asks for the position
                    is_yes = (
                        bool(self.position) and self.position["side"] == sign and condition(self.known(i), i) is True
                    )
                else:
                    is_yes = condition[i] is True
                if side in (None, word) and is_yes and exits[sign] is None:
                    exits[sign] = (name, at_close)
        wanted, resting = {}, {1: [], -1: []}
        for side, condition, size, name, at_close, rest in self.rules.entries:
            sign = 1 if side == "long" else -1
            if condition[i] is not True or exits[sign] is not None:
                continue
            if rest:
                resting[sign].append((size or DEFAULT_SIZE, name, rest))
            elif sign not in wanted:
                wanted[sign] = (sign, i, size or DEFAULT_SIZE, name, at_close)
        for sign, found in resting.items():
            if found:
                wanted.setdefault(sign, None)  # nothing for the market, only orders that rest
        self.end_orders(self.close_time(i), "expired", i)
        if self.position:
            side = self.position["side"]
            if self.judge_exits(i, exits):
                wanted.pop(side, None)  # a time exit is an exit rule too
        if self.position:
            self.judge_opposite(i, wanted, resting)
        elif wanted:
            why = self.blocked(i) or ("both sides" if len(wanted) == 2 else None)
            if why:
                for sign in sorted(wanted, reverse=True):
                    self.skip(self.close_time(i), sign, why)
            else:
                [(sign, entry)] = wanted.items()
                self.place_orders(i, sign, resting[sign])
                if entry:
                    self.decide(i, entry)

    def known(self, i):
        """What rules may know of the position at this close; None is unknown."""
        p = self.position
        side, mid = p["side"], p["mid"]
        percent = lambda price: (price - mid) * side / abs(mid) * 100 if mid else None  # noqa: E731
        best, worst = (p["high"], p["low"]) if side > 0 else (p["low"], p["high"])
        days = len({self.trading_day(k) for k in range(p["bar"], i + 1)})
        return {
            "entry_price": mid, "bars_held": i - p["bar"] + 1, "days_held": max(days, 1), "position": side,
            "open_profit": percent(self.bars[i]["close"]), "best_profit": percent(best), "worst_profit": percent(worst),
            "stop_price": p["stop"], "target_price": p["target"],
        }  # fmt: skip

    def judge_exits(self, i, exits):
        """Exit rules first, then time exits, those at the close before those at the next open."""
        side = self.position["side"]
        due = exits[side] or self.time_is_up(i, "long" if side > 0 else "short")
        if due:
            reason, at_close = due
            if at_close:
                self.leave(i, self.bars[i]["close"], True, reason, "close")
            else:
                self.exit_due = reason
        return due

    def time_is_up(self, i, word):
        entered = self.position["bar"]
        held = i - entered + 1
        rules = [rule[1:] for rule in self.rules.exit_after if rule[0] in (None, word)]
        if any(unit == "bars" and at_close and held >= count for count, unit, at_close in rules):
            return "time", True
        if any(unit == "bars" and not at_close and held >= count for count, unit, at_close in rules):
            return "time", False
        days = lambda bar: len({self.trading_day(k) for k in range(entered, bar + 1)}) if bar >= entered else 1  # noqa: E731
        for count in sorted(count for count, unit, at_close in rules if unit == "days" and at_close)[:1]:
            if days(i) >= count and self.reaches_end(i):
                return "time", True
            if days(i + 1) - 1 >= count:
                return "time", False
        for count, unit, at_close in rules:
            if unit == "days" and not at_close and days(i + 1) - 1 >= count:
                return "time", False
        return None

    def judge_opposite(self, i, wanted, resting):
        side = self.position["side"]
        if -side not in wanted or self.rules.opposite == "ignore":
            return
        why = self.blocked(i)
        if why:
            if self.rules.opposite == "reverse":
                self.skip(self.close_time(i), -side, why)
            return
        self.place_orders(i, -side, resting[-side])
        if wanted[-side] is None:
            return
        if wanted[-side][4]:
            self.leave(i, self.bars[i]["close"], True, "reverse", "close")
        else:
            self.exit_due = self.exit_due or "reverse"
        if self.rules.opposite == "reverse":
            self.decide(i, wanted[-side])

    def place_orders(self, i, sign, found):
        """Orders rest from the next bar on; a new one takes the place of the same rule's old one."""
        for size, name, (is_stop, prices, life) in found:
            if prices[i] is None:
                self.skip(self.close_time(i), sign, "unknown level")
                continue
            price = self.rounded(prices[i])
            self.orders[name] = {
                "side": sign,
                "price": price,
                "until": i + life,
                "bar": i,
                "size": size,
                "is_stop": is_stop,
            }

    def decide(self, i, entry):
        """An entry waits for the next open, or fills at this close."""
        self.pending = entry
        if entry[4]:
            refused = self.enter(i, self.bars[i]["close"], "close")
            if refused:
                self.skip(self.close_time(i), entry[0], refused)
            self.pending = None

    def skip(self, time, side, reason):
        self.skipped.append({"time": time, "side": side, "reason": reason})


def _minutes(text):
    hours, minutes = text.split(":")
    return int(hours) * 60 + int(minutes)
