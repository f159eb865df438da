"""The rules of a strategy as Python: wishes of every bar, hours, and the counts that the account asks for."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import date, timedelta

from skelb.core.export.python.refused import Refused
from skelb.core.export.python.values import Values, quoted
from skelb.core.language import Checked
from skelb.core.language.tree import (
    Breakeven,
    Dates,
    Distance,
    Enter,
    Exit,
    ExitAfter,
    Expression,
    Flat,
    Limit,
    Months,
    Opposite,
    Order,
    Pause,
    Placed,
    Protect,
    Rule,
    Side,
    Size,
    Trail,
    Window,
)

SIDES: tuple[Side, Side] = ("long", "short")
_NUMBER = {"long": "LONG", "short": "SHORT", None: "0"}
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")


class Rules:
    """Writes the rules that exist, one after the other, and notes which features of the account they need.

    wishes : the lines of `on_bar` after the values
    refused : what could not be written, as (the statement, why)
    """

    def __init__(self, checked: Checked, rules: Sequence[Placed], values: Values) -> None:
        self.values, self.features = values, set[str]()
        self.refused: list[tuple[Placed, Refused]] = []
        self._placed = list(rules)
        self._checked = checked
        self.wishes: list[str] = []
        self.class_lines: list[str] = []
        self.methods: list[str] = []

    def write(self) -> None:
        """All of it."""
        self._write_wishes()
        self._write_counts()
        self._write_hours()

    def _of(self, kind: type) -> list[tuple[Placed, Rule]]:
        return [
            (placed, placed.statement)
            for placed in self._placed
            if isinstance(placed.statement, kind) and isinstance(placed.statement, Rule)
        ]

    def _in_force(self, rules: list[tuple[Placed, Rule]], side: Side) -> list[tuple[Placed, Rule]]:
        """Those of a side: a sided rule replaces unsided ones."""
        mine = [item for item in rules if getattr(item[1], "side", None) == side]
        return mine or [item for item in rules if getattr(item[1], "side", None) is None]

    @contextmanager
    def _told(self, placed: Placed) -> Iterator[None]:
        try:
            yield
        except Refused as exc:
            self.refused.append((placed, exc))

    # --- wishes ------------------------------------------------------------------------------------------------

    def _write_wishes(self) -> None:
        entries = [item for side in SIDES for item in self._of(Enter) if getattr(item[1], "side", None) == side]
        exits = self._of(Exit)
        sizes, trails = self._of(Size), self._of(Trail)
        common = sizes[-1] if sizes else None
        for rank, (placed, rule) in enumerate(entries):
            assert isinstance(rule, Enter)
            with self._told(placed):
                fields = self._order(placed, rule.when, rule.order)
                size = rule.size or (common[1] if common else None)
                assert size is None or isinstance(size, Size)
                fields.append(f"units={self._units(size)}")
                fields += self._levels(rule.side)
                self._wish("Enter", _NUMBER[rule.side], _name(placed, rule), rank, rule.when, fields)
        for rank, (placed, rule) in enumerate(exits, len(entries)):
            assert isinstance(rule, Exit)
            with self._told(placed):
                fields = self._order(placed, rule.when, rule.order)
                if rule.take is not None:
                    self.features.add("partial")
                    fields.append(f"take={self.values.code(rule.take).text}")
                if rule.lots is not None:
                    self.features.add("partial")
                    fields.append(f"lots={quoted(rule.lots)}")
                self._wish("Exit", _NUMBER[rule.side], _name(placed, rule), rank, rule.when, fields)
        at = [item for item in trails if isinstance(item[1], Trail) and item[1].distance.unit == "at"]
        for side in SIDES:
            for placed, rule in self._in_force(at, side):
                assert isinstance(rule, Trail)
                with self._told(placed):
                    self.features |= {"follow", "moving"}
                    self.wishes.append(f"wishes.append(Follow({_NUMBER[side]}, {self._asked(rule.distance.amount)}))")

    def _order(self, placed: Placed, when: Expression, order: Order) -> list[str]:
        """How it is given, as arguments."""
        fields = [] if order.form == "market" else [f'at="{order.form}"']
        if order.price is not None:
            self.features.add("resting")
            fields.append(f"price={self._asked(order.price)}")
            if order.bars is not None:
                fields.append(f"bars={self.values.constant(order.bars)}")
        return fields

    def _asked(self, node: Expression) -> str:
        """A value, or what it is of the position."""
        found = self.values.code(node).text
        if not self.values.is_of_position(node):
            return found
        self.features.add("asks")
        return f"lambda position: {found}"

    def _wish(self, kind: str, side: str, name: str, rank: int, when: Expression, fields: list[str]) -> None:
        condition = self.values.code(when).text
        asks = self.values.is_of_position(when)
        if asks:
            self.features.add("asks")
            fields = [f"when=lambda position: {condition}", *fields]
        arguments = [f"side={side}", f"name={quoted(name)}", f"rank={rank}", *fields]
        indent = "" if asks else "    "
        if not asks:
            self.wishes.append(f"if {condition}:")
        line = f"{indent}wishes.append({kind}({', '.join(arguments)}))"
        if len(line) <= 108:
            self.wishes.append(line)
            return
        self.wishes.append(f"{indent}wishes.append({kind}(")
        self.wishes += [f"{indent}    {', '.join(arguments[:3])},", *(f"{indent}    {item}," for item in arguments[3:])]
        self.wishes.append(f"{indent}))")

    def _units(self, size: Size | None) -> str:
        value = "self.market.point_value"
        amount = "100" if size is None else self.values.code(size.amount).within(2)
        form = "percent" if size is None else size.form
        found = {
            "units": amount,
            "cash": f"ratio({amount}, price * {value})",
            "percent": f"ratio(equity * {amount} / 100, price * {value})",
            "risk_percent": f"ratio(equity * {amount} / 100, risk * {value})",
            "risk_cash": f"ratio({amount}, risk * {value})",
        }[form]
        if size is not None and size.most is not None:
            found = f"smaller({found}, {self.values.code(size.most).text})"
        return f"lambda equity, price, risk: {found}"

    # --- levels ------------------------------------------------------------------------------------------------

    def _levels(self, side: Side) -> list[str]:
        """The levels of a side's entries, as arguments."""
        up, down = ("+", "-") if side == "long" else ("-", "+")
        fields = []
        protects = self._of(Protect)
        stops = self._in_force([item for item in protects if _kind(item) == "stop"], side)
        if stops:
            self.features.add("stop")
            levels = [self._price(rule.distance, down) for _, rule in stops if isinstance(rule, Protect)]
            fields.append(f"stop=lambda mid: {_nearest(levels, 'larger' if side == 'long' else 'smaller')}")
        targets = self._in_force([item for item in protects if _kind(item) == "target"], side)
        whole = [rule for _, rule in targets if isinstance(rule, Protect) and rule.part is None]
        parted = [rule for _, rule in targets if isinstance(rule, Protect) and rule.part is not None]
        if whole:
            self.features.add("target")
            levels = [self._price(rule.distance, up) for rule in whole]
            fields.append(f"target=lambda mid, risk: {_nearest(levels, 'smaller' if side == 'long' else 'larger')}")
        if parted:
            self.features |= {"parts", "target"}
            goals = [
                f"(lambda mid, risk: {self._price(rule.distance, up)}, {self.values.code(rule.part).text})"
                for rule in parted
                if rule.part is not None
            ]
            fields.append(f"parts=({', '.join(goals)},)")
        return fields + self._moving(side)

    def _moving(self, side: Side) -> list[str]:
        fields = []
        trails = self._in_force([i for i in self._of(Trail) if _unit(i) != "at"], side)
        follows = self._in_force([i for i in self._of(Trail) if _unit(i) == "at"], side)
        evens = self._in_force(self._of(Breakeven), side)
        for rules, names in ((trails, ("trail", "trail_once")), (follows, ("", "follow_once"))):
            for _, rule in rules:
                assert isinstance(rule, Trail)
                self.features |= {"moving", "trail" if names[0] else "follow"}
                if names[0]:
                    fields.append(f"{names[0]}=lambda mid, risk: {self._distance(rule.distance)}")
                if rule.once is not None:
                    fields.append(f"{names[1]}=lambda mid, risk: {self._distance(rule.once)}")
        for _, rule in evens:
            assert isinstance(rule, Breakeven)
            self.features |= {"moving", "even"}
            fields.append(f"even_once=lambda mid, risk: {self._distance(rule.once)}")
            if rule.plus is not None:
                fields.append(f"even_plus=lambda mid, risk: {self._distance(rule.plus)}")
        return fields

    def _price(self, distance: Distance, sign: str) -> str:
        if distance.unit == "at":
            return self.values.code(distance.amount).text
        return f"mid {sign} {self._distance(distance)}"

    def _distance(self, distance: Distance) -> str:
        """A distance in price units."""
        amount = self.values.code(distance.amount).within(2)
        return {
            "price": amount,
            "percent": f"abs(mid) * {amount} / 100",
            "pips": f"{amount} * self.market.pip",
            "ticks": f"{amount} * self.market.tick",
            "cash": f"{amount} / self.market.point_value",
            "R": f"{amount} * risk",
        }[distance.unit]

    # --- counts and hours ---------------------------------------------------------------------------------------

    def _write_counts(self) -> None:
        """The numbers that the account asks for, as attributes."""
        opens = [rule for _, rule in self._of(Limit) if isinstance(rule, Limit) and rule.kind == "open"]
        room = self.values.constant(opens[-1].amount) if opens else "1"
        setup = self.values.setup
        setup.append(f"self.room = {room}")
        times = [rule for _, rule in self._of(ExitAfter) if isinstance(rule, ExitAfter)]
        if times:
            self.features.add("time")
            for name, unit, closes in (("bars", "bars", (False,)), ("bars_at_close", "bars", (True,))):
                setup.append(f"self.exit_after_{name} = {self._by_side(times, unit, closes)}")
        if any(rule.unit == "days" for rule in times):
            self.features.add("days")
            self.features |= {"several"} if opens else set()
            at_close = [
                item for item, rule in self._of(Enter) if isinstance(rule, Enter) and rule.order.form == "close"
            ]
            if opens and at_close:
                # The day's next bar says that the time is up, when a further lot has long been bought at the close.
                why = "an entry at the close beside `limit … open` and an exit after days is not written yet"
                self.refused.append((at_close[0], Refused(None, why)))
            setup.append(f"self.exit_after_days = {self._by_side(times, 'days', (False, True))}")
            setup.append(f"self.exit_after_days_at_close = {self._by_side(times, 'days', (True,))}")
        limits = [rule for _, rule in self._of(Limit) if isinstance(rule, Limit) and rule.kind != "open"]
        if limits:
            self.features.add("limits")
            for kind, name in (("entries", "entries_a_day"), ("losses", "losses_a_day"), ("loss", "loss_percent")):
                amounts = [self.values.code(rule.amount).text for rule in limits if rule.kind == kind]
                if kind == "loss" and not amounts:
                    continue
                self.features |= {"loss"} if kind == "loss" else set()
                setup.append(f"self.{name} = {_least(amounts)}")
        pauses = [rule for _, rule in self._of(Pause) if isinstance(rule, Pause)]
        if pauses:
            self.features.add("pause")
            for after in ("exit", "stop", "loss"):
                bars = [self.values.constant(rule.bars) for rule in pauses if rule.after == after]
                setup.append(f"self.pause_after_{after} = {_most(bars)}")
        modes = [rule.mode for _, rule in self._of(Opposite) if isinstance(rule, Opposite)]
        self.features |= {modes[-1]} - {"reverse"} if modes else set()

    def _by_side(self, rules: list[ExitAfter], unit: str, closes: tuple[bool, ...]) -> str:
        counts = {
            side: _least([
                self.values.constant(rule.count)
                for rule in rules
                if rule.unit == unit and rule.at_close in closes and rule.side in (None, side)
            ])
            for side in SIDES
        }  # fmt: skip
        return f"{{LONG: {counts['long']}, SHORT: {counts['short']}}}"

    def _write_hours(self) -> None:
        windows = [rule for _, rule in self._of(Window) if isinstance(rule, Window)]
        months = sorted({month for _, rule in self._of(Months) if isinstance(rule, Months) for month in rule.months})
        dates = [rule for _, rule in self._of(Dates) if isinstance(rule, Dates)]
        kinds = []
        if windows:
            kinds.append(("windows", [self._window(rule) for rule in windows]))
        if months:
            names = ", ".join(f'"{_MONTHS[month]}"' for month in months)
            kinds.append(("months", [f"bar.month in ({names},)"]))
        if dates:
            spans = [f"{_date(rule.first)} <= bar.day <= {_date(rule.last)}" for rule in dates]
            kinds.append(("dates", spans))
        lines = [
            "def may_enter(self, bar: Bar) -> bool:",
            '    """Whether the hours, days, months and dates allow entries."""',
        ]
        for name, choices in kinds:
            joined = " or ".join(f"({choice})" if " and " in choice else choice for choice in choices)
            lines.append(f"    {name} = {joined}")
        lines.append(f"    return {' and '.join(name for name, _ in kinds) or 'True'}")
        self.methods += [*lines, ""]
        flats = [rule for _, rule in self._of(Flat) if isinstance(rule, Flat)]
        if flats:
            self.features.add("flat")
            self._write_flats(flats)

    def _window(self, rule: Window) -> str:
        clock = self.values.script.zone
        ranges = [
            f"in_window({clock}, {self.values.code(start).text}, {self.values.code(end).text})"
            for start, end in rule.times
        ]
        hours = " or ".join(ranges)
        if not rule.days:
            return hours
        days = f"bar.day.weekday() in ({', '.join(map(str, rule.days))},)"
        return f"{days} and {f'({hours})' if len(ranges) > 1 else hours}" if ranges else days

    def _write_flats(self, flats: list[Flat]) -> None:
        opens, closes, out = [], [], []
        for rule in flats:
            if rule.until == "week":
                opens.append("bar.number > 0 and bar.first_of_week")
                closes.append("bar.ends_week")
                out.append("bar.ends_week")
                continue
            opens.append("bar.number > 0 and bar.first_of_day")
            closes.append("bar.ends_day")
            if rule.at is None:
                out.append("bar.ends_day")
                continue
            at = self.values.code(rule.at).text
            if self.values.script.checked.zone:
                moment = f"moment_of_session(bar, self.market, {at}, ZONE)"
                opens.append(f"bar.time >= {moment}")
                out.append(f"bar.closes >= {moment}")
            else:
                opens.append(f"bar.opens_minute >= trading_minute(self.market, {at})")
                out.append(f"bar.closes_minute >= trading_minute(self.market, {at})")
        for name, says, parts in (
            ("is_flat_from_open", "Whether whatever is open ends at this bar's open.", opens),
            ("is_flat_from_close", "Whether it ends at this bar's close.", closes),
            ("stays_out", "Whether no entry is decided at this close.", out),
        ):
            joined = " or ".join(f"({part})" if " and " in part else part for part in dict.fromkeys(parts))
            self.methods += [f"def {name}(self, bar: Bar) -> bool:", f'    """{says}"""', f"    return {joined}", ""]


def _kind(item: tuple[Placed, Rule]) -> str:
    return str(getattr(item[1], "kind", ""))


def _unit(item: tuple[Placed, Rule]) -> str:
    rule = item[1]
    return rule.distance.unit if isinstance(rule, Trail) else ""


def _name(placed: Placed, rule: Enter | Exit) -> str:
    """How results name the rule: its own name, else its condition as written."""
    return rule.named or " ".join(placed.text[rule.when.span[0] : rule.when.span[1]].split())


def _nearest(levels: list[str], join: str) -> str:
    found = levels[0]
    for level in levels[1:]:
        found = f"{join}({found}, {level})"
    return found


def _least(counts: list[str]) -> str:
    return "math.inf" if not counts else counts[0] if len(counts) == 1 else f"min({', '.join(counts)})"


def _most(counts: list[str]) -> str:
    return "0" if not counts else counts[0] if len(counts) == 1 else f"max({', '.join(counts)})"


def _date(day: int) -> str:
    found = date(1970, 1, 1) + timedelta(days=day)
    return f"date({found.year}, {found.month}, {found.day})"
