"""Random markets, bars and strategies: each strategy as a script and, independently, as plain lists."""

from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from tests.reference.simulator import Rules


def random_bars(rng, market, minutes, days, gap_share):
    """Bars of some trading days within the market's session, a share of them missing."""
    start, end = (int(part[:2]) * 60 + int(part[3:]) for part in market["session"].split("-"))
    length = (end - start) if end > start else end + 1440 - start
    zone = ZoneInfo(market["zone"])
    price, found = float(rng.integers(80, 300)), []
    first = datetime(2024, 3, 25)  # a week with a change of clocks in many zones
    for day in range(days):
        midnight = first + timedelta(days=day)
        if midnight.weekday() > market["last_weekday"]:
            continue
        opening = midnight + timedelta(minutes=start - (1440 if end <= start else 0))
        opened = int(opening.replace(tzinfo=zone).timestamp())
        for minute in range(0, length, minutes):
            if rng.random() < gap_share or (found and opened + minute * 60 <= found[-1]["time"]):
                continue
            step = market["tick"] * (40 if rng.random() < 0.05 else 8)
            o = _on_grid(price + rng.normal(0, step / 4), market["tick"])
            c = _on_grid(o + rng.normal(0, step), market["tick"])
            h = _on_grid(max(o, c) + abs(rng.normal(0, step / 2)), market["tick"])
            low = _on_grid(min(o, c) - abs(rng.normal(0, step / 2)), market["tick"])
            found.append(
                {"time": opened + minute * 60, "open": o, "high": max(h, o, c), "low": min(low, o, c), "close": c}
            )
            price = max(c, 20 * market["tick"] + 1)
    return found


def gathered(fine, market, minutes):
    """Fine bars as bars of more minutes counted from the session's start, and the fine bars of each."""
    start = int(market["session"][:2]) * 60 + int(market["session"][3:5])
    zone, bars, pieces = ZoneInfo(market["zone"]), [], []
    last = None
    for bar in fine:
        when = datetime.fromtimestamp(bar["time"], zone)
        begins = when.replace(hour=start // 60, minute=start % 60, second=0, tzinfo=None)
        if when.replace(tzinfo=None) < begins:
            begins -= timedelta(days=1)
        opened = int(begins.replace(tzinfo=zone).timestamp())
        at = opened + (bar["time"] - opened) // (minutes * 60) * minutes * 60
        if at != last:
            bars.append({**bar, "time": at})
            pieces.append([])
        last = at
        pieces[-1].append(bar)
        bars[-1]["high"] = max(bars[-1]["high"], bar["high"])
        bars[-1]["low"] = min(bars[-1]["low"], bar["low"])
        bars[-1]["close"] = bar["close"]
    return bars, pieces


def _on_grid(x, tick):
    return round(round(x / tick) * tick, 10)


def random_market(rng):
    crossing = rng.random() < 0.3
    return {
        "zone": str(rng.choice(["UTC", "Europe/Berlin", "America/New_York"])),
        "session": "18:00-02:00" if crossing else str(rng.choice(["09:00-17:30", "00:00-24:00", "08:00-12:00"])),
        "last_weekday": int(rng.choice([4, 6])),
        "tick": float(rng.choice([0.01, 0.25, 0.05, 1.0])), "pip": 0.1,
        "point_value": float(rng.choice([1, 20])), "currency_rate": float(rng.choice([1.0, 0.8])),
        "lot_step": float(rng.choice([0.000001, 0.01, 1.0])), "min_lot": float(rng.choice([0.000001, 1.0])),
        "spread": float(rng.choice([0, 0.1, 2])), "spread_unit": str(rng.choice(["price", "ticks", "percent"])),
        "quotes": str(rng.choice(["mid", "mid", "bid"])),
        "financing_long": float(rng.choice([0, 4])), "financing_short": float(rng.choice([0, -1])),
        "triple_day": str(rng.choice(["wed", "fri"])) if rng.random() < 0.5 else None,
    }  # fmt: skip


def random_account(rng):
    return {
        "capital": float(rng.choice([1_000, 100_000])), "commission_percent": float(rng.choice([0, 0.02])),
        "commission_per_unit": float(rng.choice([0, 0.5])), "commission_per_order": float(rng.choice([0, 1])),
        "commission_minimum": float(rng.choice([0, 2])), "slippage_ticks": float(rng.choice([0, 1, 0.5])),
        "leverage": float(rng.choice([1, 5, 30])), "same_bar": str(rng.choice(["worst", "path", "detail"])),
        "short_of_margin": str(rng.choice(["cut", "skip"])), "stop_out": float(rng.choice([0, 0.2])),
    }  # fmt: skip


class Plain:
    """Plain values of the few expressions the random strategies are made of; None is unknown."""

    def __init__(self, bars, tick):
        self.bars = bars
        self.tick = tick
        self.size = len(bars)

    def price(self, name):
        return [bar[name] for bar in self.bars]

    def before(self, name, n):
        values = self.price(name)
        return [values[i - n] if i >= n else None for i in range(self.size)]

    def mean(self, n):
        values = self.price("close")
        return [sum(values[i - n + 1 : i + 1]) / n if i >= n - 1 else None for i in range(self.size)]

    def extreme(self, pick, name, n):
        values = self.price(name)
        return [pick(values[i - n + 1 : i + 1]) if i >= n - 1 else None for i in range(self.size)]


def above(a, b):
    return [None if x is None or y is None else is_more(x, y) for x, y in zip(a, b, strict=True)]


def is_more(a, b):
    """Above, and not equal to what a pencil would call equal."""
    return a - b > 1e-12 * max(abs(a), abs(b))


def condition(rng, plain):
    """A condition as (text, values)."""
    n = int(rng.integers(1, 4))
    kind = rng.integers(0, 5)
    if kind == 0:
        return "close > open", above(plain.price("close"), plain.price("open"))
    if kind == 1:
        return "close < open", above(plain.price("open"), plain.price("close"))
    if kind == 2:
        return f"close > prior(close, {n})", above(plain.price("close"), plain.before("close", n))
    if kind == 3:
        # A thousandth keeps the comparison away from ties, which rounding would settle either way.
        return f"close + 0.001 < sma(close, {n + 1})", above(
            plain.mean(n + 1), [x + 0.001 for x in plain.price("close")]
        )
    peaks = plain.extreme(max, "high", n)
    earlier = [None, *peaks[:-1]]
    return f"high > prior(highest(high, {n}))", above(plain.price("high"), earlier)


def distance(rng, plain, kind):
    """A stop or target as (text, unit, amounts)."""
    unit = str(rng.choice(["percent", "ticks", "pips", "cash", "price", "range", "at"]))
    size = plain.size
    factor = int(rng.integers(1, 4))
    if unit == "range":
        values = [factor * (bar["high"] - bar["low"]) for bar in plain.bars]
        return f"{factor} * range", "price", values
    if unit == "at":
        name = "low" if kind == "stop" else "high"
        pick = min if name == "low" else max
        word = "lowest" if name == "low" else "highest"
        return f"at {word}({name}, {factor + 1})", "at", plain.extreme(pick, name, factor + 1)
    amount = {"percent": 0.5, "ticks": 10, "pips": 8, "cash": 15, "price": 1.5}[unit] * factor
    text = {"percent": "%", "ticks": " ticks", "pips": " pips", "cash": " cash", "price": " points"}[unit]
    return f"{amount:g}{text}", unit, [amount] * size


def random_size(rng, has_stop):
    form = str(
        rng.choice(
            ["units", "cash", "percent", "risk_percent", "risk_cash"] if has_stop else ["units", "cash", "percent"]
        )
    )
    amount = {"units": 3.0, "cash": 700.0, "percent": 60.0, "risk_percent": 1.5, "risk_cash": 25.0}[form]
    text = {
        "units": "3 units",
        "cash": "700 cash",
        "percent": "60% of equity",
        "risk_percent": "risk 1.5% of equity",
        "risk_cash": "risk 25 cash",
    }[form]
    if rng.random() < 0.3:
        return f"{text} max 5 units", (form, amount, 5.0)
    return text, (form, amount, None)


def random_strategy(rng, bars, tick):
    """A strategy as (script, rules for the plain simulator)."""
    plain, rules, lines = Plain(bars, tick), Rules(), []
    both_stops = rng.random() < 0.7
    if both_stops:
        for _ in range(int(rng.integers(1, 3))):
            text, unit, values = distance(rng, plain, "stop")
            lines.append(f"stop {text}")
            rules.stops.append((None, unit, values))
        if rng.random() < 0.3:
            lines.append("stop short 1%")
            rules.stops.append(("short", "percent", [1.0] * plain.size))
    if rng.random() < 0.7:
        text, unit, values = distance(rng, plain, "target")
        if both_stops and rng.random() < 0.5:
            text, unit, values = "1.5 R", "R", [1.5] * plain.size
        lines.append(f"target {text}")
        rules.targets.append((None, unit, values))
    if rng.random() < 0.3:
        _add_parts(rng, plain, rules, lines)
    for side in ("long", "short"):
        for number in range(int(rng.integers(0, 3))):
            text, values = condition(rng, plain)
            if rng.random() < 0.15:
                text, values = _asking_to_enter(rng, plain)
            size_text, size = random_size(rng, both_stops) if rng.random() < 0.5 else ("", None)
            at_close = bool(rng.random() < 0.25)
            rest, rest_text = None, ""
            if rng.random() < 0.35:
                at_close = False
                rest_text, rest = _resting(rng, plain)
            tails = f'{rest_text}{" at close" if at_close else ""}{" size " + size_text if size else ""} named "{side} {number}"'
            lines.append(f"enter {side} when {text}{tails}")
            rules.entries.append([side, values, size, f"{side} {number}", at_close, rest])
    if rng.random() < 0.5:
        text, size = random_size(rng, both_stops)
        lines.append(f"size {text}")
        for entry in rules.entries:
            entry[2] = entry[2] or size
    if rng.random() < 0.3:
        rules.room = int(rng.integers(2, 5))
        lines.append(f"limit {rules.room} open")
    _add_exits(rng, plain, rules, lines)
    for _ in range(int(rng.choice([0, 0, 1, 1, 2]))):
        unit, at_close = str(rng.choice(["bars", "bars", "days"])), bool(rng.random() < 0.4)
        count = int(rng.integers(1, 6 if unit == "bars" else 3))
        lines.append(f"exit after {count} {unit}{' at close' if at_close else ''}")
        rules.exit_after.append((None, count, unit, at_close))
    _add_moving_levels(rng, plain, rules, lines, both_stops)
    _add_limits(rng, rules, lines)
    if rng.random() < 0.4:
        low, high = sorted(int(x) * 30 for x in rng.choice(48, 2, replace=False))
        if rng.random() < 0.3:
            low, high = high, low
        lines.append(f"window mon-wed, fri {_clock(low)}-{_clock(high)}")
        rules.windows.append(({0, 1, 2, 4}, [(low, high)]))
    if rng.random() < 0.4:
        kind = int(rng.integers(0, 3))
        at = int(rng.integers(0, 48)) * 30
        lines.append(["flat at session end", "flat at week end", f"flat at {_clock(at)}"][kind])
        rules.flats.append(["session", "week", at][kind])
    rules.opposite = str(rng.choice(["reverse", "exit", "ignore"]))
    lines.append(f"opposite {rules.opposite}")
    return "\n".join(lines), rules


def _add_parts(rng, plain, rules, lines):
    for percent in [[50.0], [25.0, 50.0], [60.0, 40.0]][int(rng.integers(0, 3))]:  # in all at most 100
        side = [None, None, "long", "short"][int(rng.integers(0, 4))]
        text, unit, values = distance(rng, plain, "target")
        lines.append(f"target {side + ' ' if side else ''}{text} for {percent:g}%")
        rules.parts.append((side, unit, values, percent))


def _add_exits(rng, plain, rules, lines):
    for number in range(int(rng.integers(0, 4))):
        text, values = condition(rng, plain)
        side = [None, "long", "short"][int(rng.integers(0, 3))]
        at_close, rest, order = bool(rng.random() < 0.25), None, ""
        if rng.random() < 0.35:
            text, values = _asking(rng, plain)
        if rng.random() < 0.35:
            at_close = False
            order, rest = _resting(rng, plain)
            if rng.random() < 0.3:
                word = "limit" if rng.random() < 0.6 else "stop"
                order = f" at {word} entry_price + {2 if word == 'limit' else -2} * position * tick"
                step = plain.tick * (2 if word == "limit" else -2)
                rest = (word == "stop", lambda p, i, step=step: p["entry_price"] + step * p["position"], 1)
        percent = float(rng.choice([30, 50])) if rng.random() < 0.35 else 100.0
        names = [entry[3] for entry in rules.entries]
        lots = str(rng.choice(names)) if names and rng.random() < 0.2 else None
        tails = f"{order}{' at close' if at_close else ''}{f' take {percent:g}%' if percent < 100 else ''}"
        tails += f' lots "{lots}"' if lots else ""
        lines.append(f'exit {side + " " if side else ""}when {text}{tails} named "out {number}"')
        rules.exits.append((side, values, f"out {number}", at_close, rest, percent, lots))


def _asking_to_enter(rng, plain):
    """A condition on the position for an entry, as (text, function of what is known and the bar)."""
    closes, opens = plain.price("close"), plain.price("open")
    forms = [
        ("position == 0 and close > open", lambda p, i: p["position"] == 0 and closes[i] > opens[i]),
        ("close > entry_price", lambda p, i: None if p["entry_price"] is None else is_more(closes[i], p["entry_price"])),
        ("close < open and not known(bars_held)", lambda p, i: closes[i] < opens[i] and p["bars_held"] is None),
        ("position != 0 and open_profit > 0.1",
         lambda p, i: False if p["position"] == 0 else is_more(p["open_profit"], 0.1)),
    ]  # fmt: skip
    return forms[int(rng.integers(0, len(forms)))]


def _resting(rng, plain):
    """An order that rests, as (text, (is a stop, prices, bars))."""
    name = str(rng.choice(["high", "low", "close"]))
    shift, life = int(rng.integers(-3, 4)), int(rng.integers(1, 5))
    is_stop = bool(rng.random() < 0.5)
    text = f" at {'stop' if is_stop else 'limit'} {name} {'+' if shift >= 0 else '-'} {abs(shift)} * tick"
    prices = [price + shift * plain.tick for price in plain.price(name)]
    return text + (f" for {life} bars" if life > 1 else ""), (is_stop, prices, life)


def _asking(rng, plain):
    """A condition on the position, as (text, function of what is known and the bar)."""
    closes, opens = plain.price("close"), plain.price("open")
    reach = [bar["high"] - bar["low"] for bar in plain.bars]
    amount = round(float(rng.choice([0.2, 0.7])), 1)

    def more(a, b):
        return None if a is None or b is None else is_more(a, b)

    def gave_back(p, i):
        parts = (more(p["best_profit"], amount), more(0.1, p["open_profit"]))
        return None if None in parts else all(parts)

    def nearer_the_stop(p, i):
        if p["stop_price"] is None:
            return None
        return is_more(abs(closes[i] - p["entry_price"]), abs(closes[i] - p["stop_price"]))

    forms = [
        (f"open_profit > {amount}", lambda p, i: more(p["open_profit"], amount)),
        ("bars_held > 2 and close < open", lambda p, i: p["bars_held"] > 2 and closes[i] < opens[i]),
        ("days_held > 1", lambda p, i: p["days_held"] > 1),
        (f"best_profit > {amount} and open_profit < 0.1", gave_back),
        (f"worst_profit < -{amount}", lambda p, i: more(-amount, p["worst_profit"])),
        ("close > entry_price + 2 * range and position == 1",
         lambda p, i: p["position"] == 1 and is_more(closes[i], p["entry_price"] + 2 * reach[i])),
        ("abs(close - stop_price) < abs(close - entry_price)", nearer_the_stop),
        ("last_entry_price > close and open_lots > 1",
         lambda p, i: is_more(p["last_entry_price"], closes[i]) and p["open_lots"] > 1),
        ("known(target_price) and bars_held > 3", lambda p, i: p["target_price"] is not None and p["bars_held"] > 3),
    ]  # fmt: skip
    return forms[int(rng.integers(0, len(forms)))]


def _moving(rng, plain, kind, in_r):
    """A distance for a level that moves, as (text, unit, amounts)."""
    if in_r and rng.random() < 0.4:
        return "0.8 R", "R", [0.8] * plain.size
    while True:
        text, unit, amounts = distance(rng, plain, kind)
        if unit != "at":
            return text, unit, amounts


def _add_moving_levels(rng, plain, rules, lines, has_stop):
    if rng.random() < 0.35:
        text, unit, amounts = _moving(rng, plain, "stop", False)
        once_text, once_unit, once = "", "price", None
        if rng.random() < 0.5:
            once_text, once_unit, once = _moving(rng, plain, "target", has_stop)
            once_text = f" once {once_text}"
        lines.append(f"trail {text}{once_text}")
        for side in ("long", "short"):
            rules.trails[side] = (unit, amounts, once_unit, once)
    if rng.random() < 0.2:
        once_text, once_unit, once = "", "price", None
        if rng.random() < 0.5:
            once_text, once_unit, once = _moving(rng, plain, "target", has_stop)
            once_text = f" once {once_text}"
        lines.append(f"trail long at lowest(low, 2){once_text}")
        rules.trail_prices["long"] = plain.extreme(min, "low", 2)
        rules.trail_prices_once["long"] = (once_unit, once)
    elif rng.random() < 0.1:
        lines.append("trail short at entry_price + 4 * tick")
        rules.trail_prices["short"] = lambda p, i: (
            None if p["entry_price"] is None else p["entry_price"] + 4 * plain.tick
        )
    if rng.random() < 0.3:
        text, unit, amounts = _moving(rng, plain, "target", has_stop)
        plus = rng.random() < 0.5
        lines.append(f"breakeven once {text}{' plus 2 ticks' if plus else ''}")
        for side in ("long", "short"):
            rules.breakevens[side] = (unit, amounts, "ticks", [2.0 if plus else 0.0] * plain.size)


def _add_limits(rng, rules, lines):
    if rng.random() < 0.2:
        rules.entries_a_day = int(rng.integers(1, 4))
        lines.append(f"limit {rules.entries_a_day} entries per day")
    if rng.random() < 0.2:
        rules.losses_a_day = int(rng.integers(1, 3))
        lines.append(f"limit {rules.losses_a_day} losses per day")
    if rng.random() < 0.2:
        rules.loss_percent = float(rng.choice([0.5, 2.0]))
        lines.append(f"limit loss {rules.loss_percent:g}% per day")
    if rng.random() < 0.25:
        after, count = str(rng.choice(["stop", "loss", "exit"])), int(rng.integers(1, 6))
        rules.pauses[after] = count
        lines.append(f"pause {count} bars after {after}")
    if rng.random() < 0.15:
        rules.dates = [(date(2024, 3, 26), date(2024, 3, 28)), (date(2024, 3, 31), date(2024, 4, 1))]
        lines += ["dates 2024-03-26 to 2024-03-28", "dates 2024-03-31 to 2024-04-01"]


def _clock(minute):
    return f"{minute // 60:02d}:{minute % 60:02d}"
