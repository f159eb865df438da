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
    """A strategy: conditions are lists of True, False or None; levels lists of numbers or None.

    A condition or a price that asks for the position is a function of what is known of it and the bar's number.
    """

    entries: list = field(default_factory=list)  # (side, condition, size, name, at close, rest); size (form,
    # amounts, mosts), rest None or (is a stop, prices, bars)
    exits: list = field(default_factory=list)  # (side or None, condition, name, at close, rest, percent, lots or None)
    stops: list = field(default_factory=list)  # (side or None, unit, amounts)
    targets: list = field(default_factory=list)
    parts: list = field(default_factory=list)  # targets of parts: (side or None, unit, amounts, percent)
    exit_after: list = field(default_factory=list)  # (side or None, count, "bars" or "days", at close)
    trails: dict = field(default_factory=dict)  # side -> (unit, amounts, once unit, once amounts or None)
    trail_prices: dict = field(default_factory=dict)  # side -> prices, judged at every close
    trail_prices_once: dict = field(default_factory=dict)  # side -> (once unit, once amounts or None)
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
    room: int = 1  # lots that may be open


DEFAULT_SIZE = ("percent", 100.0, None)
NOT_KNOWN = dict.fromkeys(
    (
        "entry_price",
        "last_entry_price",
        "bars_held",
        "days_held",
        "open_profit",
        "best_profit",
        "worst_profit",
        "stop_price",
        "target_price",
    )
) | {"position": 0, "open_lots": 0}


def at_or_below(a, b):
    """Whether a is below b or what a pencil would call equal."""
    return a <= b or abs(a - b) <= 1e-12 * max(abs(a), abs(b))


def is_exit(order):
    """An entry that may only close is an exit in everything."""
    return bool(order["exit"]) or order["closes_only"]


class Purse:
    """What several markets share: the money earned, the lots they hold, ruin."""

    def __init__(self, account):
        self.account = account
        self.earned = account["capital"]
        self.desks = []
        self.ruined = False

    def lots(self):
        return [lot for desk in self.desks for lot in desk.lots]

    @property
    def cash(self):
        return self.earned - sum(lot["fee"] + lot["financing"] for lot in self.lots())

    def equity(self):
        return self.cash + sum(lot["open"] for lot in self.lots())

    def margin(self):
        return sum(lot["margin"] for lot in self.lots())


def run_together(desks):
    """Run several markets of one purse: at each moment the opens of all, then their insides, then their closes."""
    purse = desks[0].purse
    moments = sorted({bar["time"] for desk in desks for bar in desk.bars})
    for moment in moments:
        now = [(desk, i) for desk in desks for i in desk.at_time(moment)]
        if purse.ruined:
            for desk, _ in now:
                desk.equity.append(purse.cash)
            continue
        for desk, i in now:
            desk.at_open(i)
        for desk, i in now:
            desk.inside(i)
        for desk, i in now:
            desk.mark(i)
        if at_or_below(purse.equity(), purse.account["stop_out"] * purse.margin()):
            for desk in desks:
                desk.orders = {}
                desk.leave_all(desk.latest, desk.close_of(desk.latest), True, "ruin", "close")
            purse.ruined = True
        else:
            for desk, i in now:
                desk.be_flat_at_close(i)
        equity = purse.cash if purse.ruined else purse.equity()
        for desk, _ in now:
            desk.equity.append(equity)
        if not purse.ruined:
            for desk, i in now:
                if i < len(desk.bars) - 1:
                    desk.judge(i, equity)
    return desks


class Simulator:
    """One market's run over bars given as dictionaries with time, open, high, low, close (time in seconds UTC).

    `pieces` are the finer bars of each bar, for the policy `detail`; `rates` the currency rate at each close.
    """

    def __init__(self, bars, rules, market, account, timeframe_s, purse=None, pieces=None, rates=None):
        self.bars, self.rules, self.market, self.account = bars, rules, market, account
        self.timeframe_s = timeframe_s
        self.zone = ZoneInfo(market["zone"])
        self.purse = purse or Purse(account)
        self.purse.desks.append(self)
        self.pieces, self.rates = pieces, rates
        self.lots = []
        self.side = 0
        self.waiting = []
        self.exit_due = None
        self.parts_due = []
        self.latest = None
        self.rate = None
        self.trades, self.skipped, self.equity = [], [], []
        self.entered, self.lost_day = [], None  # bars on which lots were filled
        self.orders = {}  # of each rule by name, while it rests
        start, end = market["session"].split("-")
        self.session_start, self.session_end = _minutes(start), _minutes(end)
        self.crosses = self.session_end <= self.session_start
        self.index = {bar["time"]: i for i, bar in enumerate(bars)}

    def run(self):
        run_together([self])
        return self

    @property
    def ruined(self):
        return self.purse.ruined

    def at_time(self, moment):
        return [self.index[moment]] if moment in self.index else []

    def close_of(self, i):
        return self.bars[i]["close"] if i is not None else None

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
        return self.market["point_value"] * self.rate

    def set_rate(self, i):
        """The currency rate known after bar i's close."""
        self.rate = self.market["currency_rate"] if self.rates is None else self.rates[max(i, 0)]

    def rate_at(self, j):
        return self.market["currency_rate"] if self.rates is None else self.rates[j]

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

    def leave(self, lot, i, mid, slips, reason, moment, ambiguous=False, percent=100.0):
        """Close a lot, or a percent of its first units; what reaches 100 percent takes all that is left."""
        side = self.side
        units = lot["units"]
        lot["taken"] += percent
        if lot["taken"] < 100 - 1e-9:
            step = self.market["lot_step"]
            part = math.floor(lot["first_units"] * percent / 100 / step * (1 + 1e-12) + 1e-9) * step
            if part <= 0:
                return
            units = min(units, part)
        share = units / lot["units"]
        half = self.half(-side, mid)
        slip = self.account["slippage_ticks"] * self.market["tick"] if slips else 0.0
        price = mid - side * (half + slip)
        commission = lot["fee"] * share + self.fee(units, price)
        spread = lot["spread"] * share + half * units * self.value
        slippage = lot["slippage"] * share + slip * units * self.value
        financing = lot["financing"] * share
        gross = (mid - lot["mid"]) * side * units * self.value
        net = gross - commission - spread - slippage - financing
        if abs(net) < 1e-9 * (abs(gross) + abs(commission) + abs(spread) + abs(slippage) + abs(financing)):
            net = 0.0
        self.purse.earned += net
        high, low = max(lot["high"], mid), min(lot["low"], mid)
        best, worst = (high, low) if side > 0 else (low, high)
        self.trades.append({
            "side": side, "entry_bar": lot["bar"], "exit_bar": i, "entry_price": lot["price"], "exit_price": price,
            "units": units, "reason": reason, "gross": gross, "commission": commission, "spread": spread,
            "slippage": slippage, "financing": financing, "net": net, "moment": moment,
            "r": net / (lot["risk"] * units * self.value) if lot["risk"] else None,
            "best": (best - lot["mid"]) * side * units * self.value,
            "worst": (worst - lot["mid"]) * side * units * self.value,
            "stop": lot["first_stop"], "target": lot["first_target"], "ambiguous": ambiguous, "name": lot["name"],
        })  # fmt: skip
        if share == 1:
            self.lots.remove(lot)
            if not self.lots:
                self.side, self.exit_due, self.parts_due = 0, None, []
                self.orders = {key: order for key, order in self.orders.items() if not is_exit(order)}
        else:
            for key in ("units", "fee", "spread", "slippage", "financing", "margin", "open"):
                lot[key] -= lot[key] * share
        if self.losses_on(self.trading_day(i)) >= self.rules.losses_a_day:
            self.drop_entries(i, moment)

    def leave_all(self, i, mid, slips, reason, moment):
        for lot in list(self.lots):
            self.leave(lot, i, mid, slips, reason, moment)

    def take(self, rule, i, mid, slips, moment):
        """What an exit rule takes of the lots that it is for."""
        name, percent, of = rule
        for lot in list(self.lots):
            if of in (None, lot["name"]):
                self.leave(lot, i, mid, slips, name, moment, percent=percent)

    def levels_for(self, rules, side, j, mid, risk=None):
        """Every level of one kind, as (unit, price); a sided rule replaces an unsided one. None when unknown."""
        word = "long" if side > 0 else "short"
        mine = [rule for rule in rules if rule[0] == word] or [rule for rule in rules if rule[0] is None]
        sign = -side if rules is self.rules.stops else side
        found = []
        for _, unit, amounts, *_ in mine:
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
                scale = {
                    "price": 1.0,
                    "ticks": self.market["tick"],
                    "pips": self.market["pip"],
                    "cash": 1 / (self.market["point_value"] * self.rate_at(self.judged)),
                }
                found.append(mid + sign * amount * scale[unit])
        return found

    def distance(self, unit, amount, mid, risk):
        """A distance in price units."""
        if amount is None:
            return None
        scale = {
            "price": 1.0,
            "ticks": self.market["tick"],
            "pips": self.market["pip"],
            "cash": 1 / (self.market["point_value"] * self.rate_at(self.judged)),
        }
        return abs(mid) * amount / 100 if unit == "percent" else amount * risk if unit == "R" else amount * scale[unit]

    def targets_of(self, word):
        """Whole targets and those of parts in force for a side: sided ones replace all unsided ones."""
        every = self.rules.targets + self.rules.parts
        side = word if any(rule[0] == word for rule in every) else None
        return [r for r in self.rules.targets if r[0] == side], [r for r in self.rules.parts if r[0] == side]

    def price_of(self, side, unit, amount, mid, risk):
        if amount is None:
            return None
        if unit == "at":
            return amount
        return mid + side * self.distance(unit, amount, mid, risk)

    def enter(self, i, entry, mid, moment="open", slips=True):
        """Fill an entry, or say why not."""
        side, j, size, name = entry
        word = "long" if side > 0 else "short"
        self.judged = j
        stops = self.levels_for(self.rules.stops, side, j, mid)
        if stops is None:
            return "unknown level"
        stop = self.rounded(max(stops) if side > 0 else min(stops)) if stops else None
        risk = abs(mid - stop) if stop is not None else 0.0
        whole, parted = self.targets_of(word)
        targets = [self.price_of(side, unit, amounts[j], mid, risk) for _, unit, amounts in whole]
        if None in targets:
            return "unknown level"
        target = self.rounded(min(targets) if side > 0 else max(targets)) if targets else None
        first_stop, stop_kind, trail, trail_once = stop, "stop", None, 0.0
        first_risk = risk
        if word in self.rules.trails:
            unit, amounts, once_unit, once = self.rules.trails[word]
            trail = self.distance(unit, amounts[j], mid, risk)
            trail_once = 0.0 if once is None else self.distance(once_unit, once[j], mid, risk)
            if trail is None or trail_once is None:
                return "unknown level"
            if trail_once == 0.0:
                level = self.rounded(mid - side * trail)
                if stop is None:
                    first_stop, first_risk = level, abs(mid - level)
                if stop is None or (level - stop) * side > 0:
                    stop, stop_kind = level, "trail"
        at_unit, at_amounts = self.rules.trail_prices_once.get(word, ("price", None))
        at_once = 0.0 if at_amounts is None else self.distance(at_unit, at_amounts[j], mid, risk)
        if at_once is None:
            return "unknown level"
        even = None
        if word in self.rules.breakevens:
            once_unit, once, plus_unit, plus = self.rules.breakevens[word]
            even = (self.distance(once_unit, once[j], mid, risk), self.distance(plus_unit, plus[j], mid, risk))
            if None in even:
                return "unknown level"
        risk = first_risk
        goals = []
        for _, unit, amounts, percent in parted:
            level = self.price_of(side, unit, amounts[j], mid, risk)
            if level is None:
                return "unknown level"
            goals.append((self.rounded(level), percent))
        if stop is not None and (stop - mid) * side >= 0:
            return "beyond stop"
        if any((level - mid) * side <= 0 for level in [*([] if target is None else [target]), *(g for g, _ in goals)]):
            return "beyond target"
        slip = self.account["slippage_ticks"] * self.market["tick"] if slips else 0.0
        half = self.half(side, mid)
        price = mid + side * (half + slip)
        form, amounts, mosts = size
        amount = amounts[j] if isinstance(amounts, list) else amounts
        if amount is None:
            return "unknown level"
        equity = self.purse.equity()
        if not price and form in ("cash", "percent"):
            return "unknown level"
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
        free = equity - self.purse.margin()
        if units * per_unit > free * (1 + 1e-9):
            if self.account["short_of_margin"] == "skip" or free <= 0:
                return "margin"
            units = free / per_unit
        units = math.floor(units / self.market["lot_step"] * (1 + 1e-12) + 1e-9) * self.market["lot_step"]
        if units < self.market["min_lot"]:
            return "lot too small"
        most = self.account.get("max_open_total")
        if not self.lots and most is not None and sum(1 for desk in self.purse.desks if desk.lots) >= most:
            return "limit"
        if self.is_limit_reached(self.trading_day(i)):
            return "limit"
        ahead = [level for level, _ in goals] + ([] if target is None else [target])
        self.side = side
        self.lots.append({
            "bar": i + 1 if moment == "close" else i, "moment": moment, "piece": self.piece, "first_stop": first_stop,
            "stop_kind": stop_kind, "trail": trail, "trail_once": trail_once, "at_once": at_once, "even": even, "mid": mid, "price": price,
            "units": units, "first_units": units, "taken": 0.0, "stop": stop, "target": target, "goals": goals,
            "first_target": (min(ahead) if side > 0 else max(ahead)) if ahead else None,
            "risk": risk, "high": mid, "low": mid, "fee": self.fee(units, price), "spread": half * units * self.value,
            "slippage": slip * units * self.value, "financing": 0.0, "margin": units * per_unit, "open": 0.0,
            "name": name,
        })  # fmt: skip
        self.entered.append(i)
        for key in self.in_text_order():
            order = self.orders[key]
            if not order["exit"] and order["side"] == -side:
                self.follow_opposite(key, i, moment)
        if self.is_limit_reached(self.trading_day(i)):
            self.drop_entries(i, moment)
        if len(self.lots) >= self.rules.room:
            self.orders = {k: order for k, order in self.orders.items() if is_exit(order) or order["side"] != side}
        return None

    def follow_opposite(self, key, i, moment):
        """What becomes of a resting entry when the other side is filled."""
        if self.rules.opposite == "exit":
            self.orders[key]["closes_only"] = True
        elif self.rules.opposite == "ignore":
            self.skip(self.time_of(i, moment), self.orders.pop(key)["side"], "opposite")

    def drop_entries(self, i, moment):
        """A limit that is reached drops all that rests to enter."""
        for key in self.in_text_order():
            if not is_exit(self.orders[key]):
                self.skip(self.time_of(i, moment), self.orders.pop(key)["side"], "limit")

    def time_of(self, i, moment):
        return self.close_time(i) if moment == "close" else self.bars[i]["time"]

    def losses_on(self, day):
        return sum(1 for trade in self.trades if self.trading_day(trade["exit_bar"]) == day and trade["net"] < 0)

    def is_limit_reached(self, day):
        entries = sum(1 for bar in self.entered if self.trading_day(bar) == day)
        reached = entries >= self.rules.entries_a_day or self.losses_on(day) >= self.rules.losses_a_day
        return reached or self.lost_day == day

    def try_to_enter(self, i, entry, mid, moment, slips=True):
        refused = self.enter(i, entry, mid, moment, slips)
        if refused:
            self.skip(self.time_of(i, moment), entry[0], refused)
        return not refused

    # --- one bar -----------------------------------------------------------------------------------------------

    def at_open(self, i):
        self.latest, self.piece = i, 0
        self.set_rate(i - 1)
        bar, o = self.bars[i], self.bars[i]["open"]
        rolled = i > 0 and self.trading_day(i) != self.trading_day(i - 1)
        if rolled:
            percent = self.market["financing_long" if self.side > 0 else "financing_short"]
            triple = self.market["triple_day"]
            weekdays = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
            nights = 3 if triple and weekdays[self.trading_day(i - 1).weekday()] == triple else 1
            for lot in self.lots:
                lot["financing"] += lot["units"] * self.bars[i - 1]["close"] * self.value * percent / 100 / 365 * nights
        if self.must_be_flat_at_open(i, rolled):
            for entry in self.waiting:
                self.skip(bar["time"], entry[0], "flat")
            self.waiting = []
            self.end_orders(bar["time"], "flat")
            self.leave_all(i, o, True, "flat", "open")
            self.exit_due, self.parts_due = None, []
        if self.exit_due:
            self.leave_all(i, o, True, self.exit_due, "open")
        self.exit_due = None
        due, self.parts_due = self.parts_due, []
        for rule in due:
            self.take(rule, i, o, True, "open")
        waiting, self.waiting = self.waiting, []
        for entry in waiting:
            if len(self.lots) < self.rules.room:
                self.try_to_enter(i, entry, o, "open")

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
        bar = self.bars[i]
        pieces = self.pieces[i] if self.account["same_bar"] == "detail" and self.pieces else []
        if len(pieces) > 1:
            for number, piece in enumerate(pieces):
                self.piece = number
                self.meet(i, piece, "open" if number == 0 else "inside")
        else:
            self.piece = 0
            self.meet(i, bar, "open")

    def meet(self, i, bar, moment):
        """Everything that a bar's prices meet, or a finer bar's."""
        o = bar["open"]
        for lot in list(self.lots):
            if lot["stop"] is not None and (o - lot["stop"]) * self.side <= 0:
                self.leave(lot, i, o, True, lot["stop_kind"], moment)
            else:
                while lot in self.lots and self.is_beyond(self.next_target(lot), o):
                    self.take_target(lot, i, o, moment)
        for key in [key for key in self.in_text_order() if is_exit(self.orders[key])]:
            if key in self.orders and self.passes(self.orders[key], o):
                self.fill_order(i, key, o, moment)
        passed = [key for key in self.in_text_order() if self.passes(self.orders[key], o)]
        able = [key for key in passed if not is_exit(self.orders[key]) and self.may_fill(key)]
        if able:
            side = min((self.orders[key]["side"] for key in able), key=lambda side: (bar["close"] - o) * side)
            for key in [key for key in able if self.orders[key]["side"] == side]:
                if key in self.orders and self.may_fill(key):
                    self.fill_order(i, key, o, moment)
        live = {key for key in self.orders if key not in passed}
        if self.account["same_bar"] == "path":
            self.walk_the_path(i, bar, live)
        else:
            self.expect_the_worst(i, bar, live)

    def next_target(self, lot):
        ahead = [level for level, _ in lot["goals"]] + ([] if lot["target"] is None else [lot["target"]])
        return None if not ahead else min(ahead) if self.side > 0 else max(ahead)

    def is_beyond(self, target, price):
        return target is not None and (price - target) * self.side >= 0

    def take_target(self, lot, i, mid, moment, ambiguous=False):
        level = self.next_target(lot)
        if level == lot["target"]:
            self.leave(lot, i, mid, False, "target", moment, ambiguous)
            return
        goal = next(goal for goal in lot["goals"] if goal[0] == level)
        lot["goals"].remove(goal)
        self.leave(lot, i, mid, False, "target", moment, ambiguous, goal[1])

    @staticmethod
    def passes(order, price):
        """A limit is met by a price at or better, a stop by one at or worse; exits trade against their position."""
        better = (order["price"] - price) * order["direction"]
        return better <= 0 if order["is_stop"] else better >= 0

    def may_fill(self, key):
        order = self.orders[key]
        return is_exit(order) or order["side"] != self.side or len(self.lots) < self.rules.room

    def fill_order(self, i, key, mid, moment):
        """Whether it opened a lot."""
        order = self.orders.pop(key)
        if order["exit"]:
            self.take(order["exit"], i, mid, order["is_stop"], moment)
            return False
        if self.side == -order["side"]:
            self.leave_all(i, mid, order["is_stop"], "reverse", moment)
        if order["closes_only"]:
            return False
        return self.try_to_enter(i, (order["side"], order["bar"], order["size"], key), mid, moment, order["is_stop"])

    def end_orders(self, time, reason, until=math.inf):
        for key in self.in_text_order():
            if self.orders[key]["until"] <= until:
                if not is_exit(self.orders[key]):
                    self.skip(time, self.orders[key]["side"], reason)
                del self.orders[key]

    def in_text_order(self):
        """The orders as the engine lists them: long rules first, each in text order, then exits in text order."""
        names = [entry[3] for word in ("long", "short") for entry in self.rules.entries if entry[0] == word]
        names += [name for rule in self.rules.exits for name in (rule[2] + "/1", rule[2] + "/-1")]
        return [name for name in names if name in self.orders]

    def expect_the_worst(self, i, bar, live):
        o, high, low, close = bar["open"], bar["high"], bar["low"], bar["close"]
        far = lambda price: abs(price - o)  # noqa: E731

        def touched(below=None, least=0.0, exits=False):
            return [
                key
                for key in self.in_text_order()
                if key in live and low <= self.orders[key]["price"] <= high and self.may_fill(key)
                and is_exit(self.orders[key]) == exits and far(self.orders[key]["price"]) >= least
                and (below is None or (self.orders[key]["price"] < o) == below)
            ]  # fmt: skip

        # Of two as near, the one below the open counts.
        rank = lambda key: (far(self.orders[key]["price"]), self.orders[key]["price"] > o)  # noqa: E731
        if not self.lots:
            nearest = {}
            for key in touched():
                side = self.orders[key]["side"]
                if side not in nearest or rank(key) < rank(nearest[side]):
                    nearest[side] = key
            if not nearest:
                return
            gain = lambda key: (close - self.orders[key]["price"]) * self.orders[key]["side"]  # noqa: E731
            key = min((nearest[side] for side in sorted(nearest, reverse=True)), key=gain)
            side = self.orders[key]["side"]
            while key is not None:
                self.fill_inside(i, bar, key)
                more = [key for key in touched() if self.orders[key]["side"] == side]
                key = min(more, key=rank, default=None)
            return
        position = self.side
        for against in (True, False):
            below = (position > 0) == against
            reached = 0.0
            while True:
                levels = []
                for n, lot in enumerate(self.lots):
                    level = lot["stop"] if against else self.next_target(lot)
                    if level is not None and (low <= level if below else high >= level) and not self.is_new(lot, i):
                        levels.append((far(level), 0, n, ("lot", lot)))
                exits = [(far(self.orders[k]["price"]), 1, n, ("order", k))
                         for n, k in enumerate(touched(below, reached, True))]  # fmt: skip
                entries = [(far(self.orders[k]["price"]), 2, n, ("order", k))
                           for n, k in enumerate(touched(below, reached))]  # fmt: skip
                events = sorted(levels + exits + entries, key=lambda event: event[:3])
                if not events:
                    break
                reached, rank_of, _, (_, what) = events[0]
                if rank_of == 2:
                    turns = self.orders[what]["side"] != self.side
                    self.fill_inside(i, bar, what)
                    if turns:
                        return
                elif rank_of == 1:
                    self.fill_order(i, what, self.orders[what]["price"], "inside")
                elif against:
                    both = self.profit_touched(what, high, low)
                    self.leave(what, i, what["stop"], True, what["stop_kind"], "inside", both)
                else:
                    self.take_target(what, i, self.next_target(what), "inside")
            if self.side != position:
                return

    def is_new(self, lot, i):
        return lot["bar"] == i and lot["moment"] == "inside" and lot["piece"] == self.piece

    def profit_touched(self, lot, high, low):
        target = self.next_target(lot)
        if target is not None and (high >= target if self.side > 0 else low <= target):
            return True
        for order in self.orders.values():
            rule = order["exit"]
            inside = not order["is_stop"] and low <= order["price"] <= high
            if inside and is_exit(order) and (not rule or rule[2] in (None, lot["name"])):
                return True
        return False

    def fill_inside(self, i, bar, key):
        """Its stop counts for this bar too; its targets only if the close is at or beyond them."""
        if not self.fill_order(i, key, self.orders[key]["price"], "inside"):
            return
        lot = self.lots[-1]
        if lot["stop"] is not None and (bar["low"] <= lot["stop"] if self.side > 0 else bar["high"] >= lot["stop"]):
            self.leave(lot, i, lot["stop"], True, lot["stop_kind"], "inside", True)
            return
        while lot in self.lots and self.is_beyond(self.next_target(lot), bar["close"]):
            self.take_target(lot, i, self.next_target(lot), "inside")

    def walk_the_path(self, i, bar, live):
        o, high, low, close = bar["open"], bar["high"], bar["low"], bar["close"]
        high_first = abs(o - high) < abs(o - low) - self.market["tick"] / 1000
        at = o
        for end in [high, low, close] if high_first else [low, high, close]:
            up = end >= at
            while True:
                events = []
                stops = (self.side < 0) == up
                for lot in self.lots:
                    level = lot["stop"] if stops else self.next_target(lot)
                    if level is not None:
                        events.append((level, lot))
                names = self.in_text_order()
                for key in sorted(names, key=lambda k: not is_exit(self.orders[k])):
                    order = self.orders[key]
                    if key in live and self.may_fill(key) and ((order["direction"] > 0) == order["is_stop"]) == up:
                        events.append((order["price"], key))
                ahead = [event for event in events if min(at, end) <= event[0] <= max(at, end)]
                if not ahead:
                    break
                price, what = min(ahead, key=lambda event: abs(event[0] - at))
                at = price
                if isinstance(what, str):
                    self.fill_order(i, what, price, "inside")
                else:
                    levels = (what["stop"], self.next_target(what))
                    both = all(level is not None and low <= level <= high for level in levels)
                    if stops:
                        self.leave(what, i, price, True, what["stop_kind"], "inside", both)
                    else:
                        self.take_target(what, i, price, "inside", both)
            at = end

    def mark(self, i):
        self.set_rate(i)
        bar, close = self.bars[i], self.bars[i]["close"]
        for lot in self.lots:
            # Filled inside this bar, its good extreme may have come before the fill: only the close is sure.
            unsure = lot["moment"] == "inside" and lot["bar"] == i
            lot["high"] = max(lot["high"], close if unsure and self.side > 0 else bar["high"])
            lot["low"] = min(lot["low"], close if unsure and self.side < 0 else bar["low"])
            lot["open"] = (close - lot["price"]) * lot["units"] * self.value * self.side

    def be_flat_at_close(self, i):
        if self.must_be_flat_at_close(i):
            self.end_orders(self.close_time(i), "flat")
            self.leave_all(i, self.bars[i]["close"], True, "flat", "close")
        elif i == len(self.bars) - 1:
            self.end_orders(self.close_time(i), "end of data")
            self.leave_all(i, self.bars[i]["close"], True, "end of data", "close")

    def day_begins(self, i):
        """Index of the first bar of this bar's trading day."""
        day = self.trading_day(i)
        while i > 0 and self.trading_day(i - 1) == day:
            i -= 1
        return i

    def move_levels(self, i):
        """Levels for the next bar, from what is known at this close; they only tighten."""
        side, word = self.side, "long" if self.side > 0 else "short"
        price = self.rules.trail_prices.get(word, [None] * len(self.bars))
        price = price(self.known(i), i) if callable(price) else price[i]
        for lot in self.lots:
            moved = ((lot["high"] if side > 0 else lot["low"]) - lot["mid"]) * side + self.market["tick"] * 1e-6
            best = lot["high"] if side > 0 else lot["low"]

            def tighten(price, kind, lot=lot):
                level = self.rounded(price)
                if lot["stop"] is None or (level - lot["stop"]) * side > 0:
                    lot["stop"], lot["stop_kind"] = level, kind

            if lot["trail"] is not None and moved >= lot["trail_once"]:
                tighten(best - side * lot["trail"], "trail")
            if price is not None and moved >= lot["at_once"]:
                tighten(price, "trail")
            if lot["even"] and moved >= lot["even"][0]:
                tighten(lot["mid"] + side * lot["even"][1], "breakeven")

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
        if self.is_limit_reached(day):
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
        # A window that ends at midnight, written 24:00 or 00:00, has the close at midnight in it.
        until = [(a, b if b % 1440 else 1441) for a, b in ranges]
        return any(a <= clock < b if b > a else clock >= a or clock < b for a, b in until)

    # --- the rules at a close ------------------------------------------------------------------------------------

    def is_yes(self, condition, i):
        return (condition(self.known(i), i) if callable(condition) else condition[i]) is True

    def judge(self, i, equity):
        if self.lots:
            self.move_levels(i)
        before = self.equity[self.day_begins(i) - 1] if self.day_begins(i) > 0 else self.account["capital"]
        if self.rules.loss_percent < math.inf and at_or_below(equity, before * (1 - self.rules.loss_percent / 100)):
            self.lost_day = self.trading_day(i)
            self.drop_entries(i, "close")
        resting = self.resting_exits(i) if self.lots else []
        leaving = self.judge_exits(i) if self.lots else 0
        barred = {leaving}
        for side, condition, _, _, rest, _, _ in self.rules.exits:
            if not rest and not callable(condition) and condition[i] is True:
                barred |= {1, -1} if side is None else {1 if side == "long" else -1}
        wanted = {1: [], -1: []}
        for side, condition, size, name, at_close, rest in self.rules.entries:
            sign = 1 if side == "long" else -1
            if sign not in barred and self.is_yes(condition, i):
                wanted[sign].append((sign, i, size or DEFAULT_SIZE, name, at_close, rest))
        self.end_orders(self.close_time(i), "expired", i)
        for order, (name, percent, of) in resting:
            if any(of in (None, lot["name"]) for lot in self.lots):
                self.orders[f"{name}/{self.side}"] = order | {"exit": (name, percent, of)}
        if not (wanted[1] or wanted[-1]):
            return
        why = self.blocked(i)
        for sign in (1, -1) if why else ():
            reverses = self.side == -sign and self.rules.opposite == "reverse"
            if wanted[sign] and (reverses or (self.side != -sign and len(self.lots) < self.rules.room)):
                self.skip(self.close_time(i), sign, why)
        if why:
            return
        if self.lots:
            self.judge_in_position(i, wanted)
            return
        at_market = {sign: [entry for entry in wanted[sign] if not entry[5]] for sign in (1, -1)}
        if at_market[1] and at_market[-1]:
            for sign in (1, -1):
                self.skip(self.close_time(i), sign, "both sides")
                wanted[sign] = [entry for entry in wanted[sign] if entry[5]]
        for sign in (1, -1):
            self.order(i, wanted[sign], 0)

    def judge_exits(self, i):
        """Exit rules, then time exits; the side that they leave, or 0."""
        side, close = self.side, self.bars[i]["close"]
        yes = [rule for rule in self.rules.exits if rule[0] in (None, "long" if side > 0 else "short")
               and not rule[4] and self.is_yes(rule[1], i)]  # fmt: skip
        whole = [rule for rule in yes if rule[5] >= 100 and rule[6] is None]
        parts = [rule for rule in yes if rule not in whole]
        self.parts_due = [(name, percent, of) for _, _, name, at_close, _, percent, of in parts if not at_close]
        due = [(rule[2], rule[3]) for rule in whole]
        time = self.time_is_up(i, "long" if side > 0 else "short")
        due += [time] if time else []
        at_once = [name for name, at_close in due if at_close]
        if at_once:
            self.leave_all(i, close, True, at_once[0], "close")
        elif due:
            self.exit_due = due[0][0]
        for _, _, name, at_close, _, percent, of in parts:
            if at_close and self.lots:
                self.take((name, percent, of), i, close, True, "close")
        return side if yes or due else 0

    def resting_exits(self, i):
        """The orders of exits that rest, by what is known before any exit of this close fills."""
        found = []
        for side, condition, name, _, rest, percent, of in self.rules.exits:
            if not rest or side not in (None, "long" if self.side > 0 else "short") or not self.is_yes(condition, i):
                continue
            is_stop, prices, life = rest
            price = prices(self.known(i), i) if callable(prices) else prices[i]
            if price is not None:
                order = {"side": self.side, "direction": -self.side, "price": self.rounded(price), "until": i + life,
                         "bar": i, "is_stop": is_stop, "closes_only": False}  # fmt: skip
                found.append((order, (name, percent, of)))
        return found

    def known(self, i):
        """What rules may know of the position at this close; None is unknown."""
        if not self.lots:
            return NOT_KNOWN
        side, oldest = self.side, self.lots[0]
        mid = sum(lot["mid"] for lot in self.lots) / len(self.lots)
        percent = lambda price: (price - mid) * side / abs(mid) * 100 if mid else None  # noqa: E731
        best, worst = (oldest["high"], oldest["low"]) if side > 0 else (oldest["low"], oldest["high"])
        days = len({self.trading_day(k) for k in range(oldest["bar"], i + 1)})
        return {
            "entry_price": mid, "last_entry_price": self.lots[-1]["mid"], "open_lots": len(self.lots), "bars_held": i - oldest["bar"] + 1, "days_held": max(days, 1), "position": side,
            "open_profit": percent(self.bars[i]["close"]), "best_profit": percent(best), "worst_profit": percent(worst),
            "stop_price": oldest["stop"], "target_price": self.next_target(oldest),
        }  # fmt: skip

    def time_is_up(self, i, word):
        entered = self.lots[0]["bar"]
        held = i - entered + 1
        rules = [rule[1:] for rule in self.rules.exit_after if rule[0] in (None, word)]
        if any(unit == "bars" and at_close and held >= count for count, unit, at_close in rules):
            return "time", True
        at_open = any(unit == "bars" and not at_close and held >= count for count, unit, at_close in rules)
        days = lambda bar: len({self.trading_day(k) for k in range(entered, bar + 1)}) if bar >= entered else 1  # noqa: E731
        for count in sorted(count for count, unit, at_close in rules if unit == "days" and at_close)[:1]:
            if days(i) >= count and self.reaches_end(i):
                return "time", True
            if days(i + 1) - 1 >= count:
                return "time", False
        for count, unit, at_close in rules:
            at_open = at_open or (unit == "days" and not at_close and days(i + 1) - 1 >= count)
        return ("time", False) if at_open else None

    def judge_in_position(self, i, wanted):
        held = self.side
        against, more = wanted[-held], wanted[held]
        if self.rules.opposite == "ignore":
            against = []
        self.order(i, against, held)
        if any(not entry[5] for entry in against):  # it comes before adding at a market price; resting orders stand
            more = [entry for entry in more if entry[5]]
        self.order(i, more, held)

    def leave_for(self, i, side, at_close):
        """An entry of `side` takes a position of the other side out."""
        if self.side == -side and at_close:
            self.leave_all(i, self.bars[i]["close"], True, "reverse", "close")
        elif self.side == -side:
            self.exit_due = self.exit_due or "reverse"

    def order(self, i, wanted, held):
        """Orders rest from the next bar on, a new one in place of the same rule's old one; others fill at once or wait.

        `held` is the side of the position at this close, before any entry.
        """
        for side, bar, size, name, at_close, rest in wanted:
            room = self.rules.room - (len(self.lots) if self.side == side else 0)
            if rest:
                if room > 0:
                    self.let_rest(i, side, size, name, rest, held)
            elif held == -side and self.rules.opposite == "exit":
                self.leave_for(i, side, at_close)
            elif not at_close and room > 0:
                self.waiting.append((side, bar, size, name))
                self.leave_for(i, side, False)
            elif at_close and room > len(self.waiting):
                self.leave_for(i, side, True)
                self.try_to_enter(i, (side, bar, size, name), self.bars[i]["close"], "close")

    def let_rest(self, i, side, size, name, rest, held):
        is_stop, prices, life = rest
        price = prices(self.known(i), i) if callable(prices) else prices[i]
        if price is None:
            self.skip(self.close_time(i), side, "unknown level")
            return
        if held == -side and self.side != held and self.rules.opposite == "exit":
            return  # there is nothing left for it to close
        self.orders[name] = {
            "side": side, "direction": side, "price": self.rounded(price), "until": i + life, "bar": i,
            "size": size, "is_stop": is_stop, "exit": None, "closes_only": False,
        }  # fmt: skip
        if self.side == -side:
            self.follow_opposite(name, i, "close")

    def skip(self, time, side, reason):
        self.skipped.append({"time": time, "side": side, "reason": reason})


def _minutes(text):
    hours, minutes = text.split(":")
    return int(hours) * 60 + int(minutes)
