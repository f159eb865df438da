"""A strategy as one Python file that stands by itself: what a trader can read, carry elsewhere, and run."""

import ast
import textwrap
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np

from skelb.core.bars import Bars, Market, Timeframe
from skelb.core.catalogue import YES
from skelb.core.engine import Account
from skelb.core.errors import SettingsError
from skelb.core.export.python.pieces import imports_for, module, pieces_for
from skelb.core.export.python.refused import Refused
from skelb.core.export.python.rules import Rules
from skelb.core.export.python.values import Elsewhere, Names, Place, Script, Values, number, quoted
from skelb.core.language import Checked
from skelb.core.language.tools import read_back
from skelb.core.language.tree import Column, Enter, Expression, Placed
from skelb.core.language.walk import parts_within
from skelb.core.plan import Dataset, Expressions, InputValue, input_values, make_dataset, make_plan

_MODULES = ("values", "market", "windows", "memory", "averages", "momentum", "trend", "volume", "account", "program")
_WIDTH = 110
_ONE = np.ones(1)
_ONE_BAR = Bars(Timeframe(1), np.zeros(1, np.int64), _ONE, _ONE, _ONE, _ONE, _ONE)
"""Of the first minute of 1970, a Thursday: to lay a script's rules out on."""


@dataclass(frozen=True)
class Instrument:
    """What the file is written for: a market, whose symbol and tick may be left to the file of bars, and an account.

    other : the description of any other market by its symbol, for rules that read one
    """

    market: Market
    account: Account
    knows_symbol: bool = True
    knows_tick: bool = True
    other: Callable[[str], Market] = Market


def python_of(checked: Checked, given: Mapping[str, object], on: Instrument, sides: str = "both") -> str:
    """The text of a Python file that makes the strategy's trades from a CSV of bars, by the standard library alone.

    It enters on the `sides` that are asked for: long, short or both.

    Raises SettingsError on inputs that cannot be, on a script without an entry rule, and on whatever cannot be written
    yet, with its lines.
    """
    if not checked.has_entries:
        raise SettingsError("the script has no entry rule: there is no strategy to write")
    if isinstance(on.market.currency_rate, str):
        raise SettingsError(
            f"the currency rate is the close of {on.market.currency_rate}: state the number to count with"
        )
    inputs = input_values(checked, given)
    rules = [
        placed
        for placed in _rules_in_force(checked, inputs)
        if sides == "both" or not isinstance(placed.statement, Enter) or placed.statement.side == sides
    ]
    fixed = _fixed(checked)
    taken = Names()
    script = Script(checked, inputs, fixed, {name: taken.fresh(name) for name in inputs if name not in fixed})
    values = Values(script)
    written = Rules(checked, rules, values)
    try:
        written.write()
    except RecursionError as exc:
        raise SettingsError("its names stand on one another in too long a chain to be written") from exc
    if written.refused:
        told = "; ".join(f"line {_line(checked, placed, exc)}: {exc.why}" for placed, exc in written.refused)
        raise SettingsError(f"this cannot be written as Python yet: {told}")
    _lay_out_once(checked, inputs, on.market)
    return _Writer(checked, script, values, written, on).text()


def _lay_out_once(checked: Checked, inputs: Mapping[str, InputValue], market: Market) -> None:
    """Raises SettingsError where the engine would not run with these inputs: a count that is not whole, a part of more
    than all."""
    parts = (part for placed in checked.statements for part in parts_within(placed.statement))
    columns = {part.name: np.zeros(1) for part in parts if isinstance(part, Column)}
    open_always = replace(market, session="00:00-24:00", days="mon-sun", zone="UTC")
    bars = replace(_ONE_BAR, columns=columns)

    def other(symbol: str, timeframe: Timeframe) -> Dataset:
        return make_dataset(bars, replace(open_always, symbol=symbol), timeframe, others=other)

    make_plan(checked, make_dataset(bars, open_always, others=other), inputs)


def _rules_in_force(checked: Checked, inputs: Mapping[str, InputValue]) -> list[Placed]:
    """The rules that exist with these inputs."""
    expressions = Expressions(checked, inputs, make_dataset(_ONE_BAR, Market("none")), needed=())

    def exists(only_if: Expression | None) -> bool:
        return only_if is None or expressions.constant(only_if) == YES

    return [placed for placed in checked.rules_with(inputs) if exists(getattr(placed.statement, "only_if", None))]


def _fixed(checked: Checked) -> frozenset[str]:
    """The inputs that are written into the file: what no number is, and those that decide which rules exist."""
    deciding = frozenset[str]()
    for placed in checked.statements:
        deciding |= checked.inputs_within(getattr(placed.statement, "only_if", None))
    words = {name for name, found in checked.inputs.items() if found.kind in ("choice", "timeframe", "market")}
    return deciding | words


def _line(checked: Checked, placed: Placed, refused: Refused) -> int:
    """The line of what was refused, or of the statement that it stands in."""
    if refused.node is not None:
        for other in (placed, *checked.statements):
            if any(part is refused.node for part in parts_within(other.statement)):
                return checked.source.count("\n", 0, other.start + refused.node.span[0]) + 1
    return checked.source.count("\n", 0, placed.start) + 1


class _Writer:
    """Puts the file together."""

    def __init__(self, checked: Checked, script: Script, values: Values, rules: Rules, on: Instrument) -> None:
        self._checked, self._script, self._values, self._rules, self._on = checked, script, values, rules, on
        features = set(rules.features)
        features |= {"path"} if on.account.same_bar == "path" else set()
        features |= {"spread_by_hour"} if on.market.spread_by_hour else set()
        features |= {"financing"} if on.market.financing_long or on.market.financing_short else set()
        features |= set() if on.knows_tick and on.knows_symbol else {"guessed"}
        features |= {"elsewhere"} if script.markets else set()
        self._modules = [module(name, frozenset(features)) for name in _MODULES]

    def text(self) -> str:
        own = [self._inputs(), *self._higher(), self._strategy(), self._settings()]
        used = _identifiers("\n".join(own))
        pieces = pieces_for([*used, "main", "Account"], self._modules)
        for piece in pieces:
            used |= piece.uses
        body = [piece.text for piece in pieces]
        imports = imports_for(used, self._modules)
        future = "from __future__ import annotations"
        head = f"{self._says()}\n{future}\n\n" + "\n".join(imports)
        heading = (
            "# What follows is the same in every such file: what values are computed with, the market, the account."
        )
        end = 'if __name__ == "__main__":\n    raise SystemExit(main())\n'
        program = [piece for piece in body if piece.startswith(_PROGRAM)]
        rest = [piece for piece in body if piece not in program]
        first, settings = own[:-1], own[-1]
        return "\n\n\n".join([head, *first, heading, *rest, settings, *program, end])

    def _says(self) -> str:
        """The docstring: what it is called, what it does, how it is run."""
        title = self._checked.title or "A strategy"
        lines = [f'"""{_plain(title)}, as plain Python.', ""]
        others = "".join(f" --from {_plain(symbol)}={_plain(symbol)}.csv" for symbol in self._script.markets)
        lines += [
            f"    python THIS_FILE.py BARS.csv{others}            its trades",
            f"    python THIS_FILE.py BARS.csv{others} --json",
        ]
        lines += [
            f"    python THIS_FILE.py BARS.csv{others} --feed ws://…   and on with the bars of a feed",
            "",
            "What it does:",
            "",
        ]
        for sentence in read_back(self._checked):
            lines += textwrap.wrap(sentence, _WIDTH, initial_indent="- ", subsequent_indent="  ")
        inputs, defaults = self._script.inputs, self._checked.inputs
        fixed = [f"{name} = {self._written(name)}" for name in inputs if name in self._script.fixed]
        if fixed:
            lines += ["", *textwrap.wrap(f"Written for {', '.join(fixed)}: those are in the rules below.", _WIDTH)]
        changed = [name for name in self._script.input_names if inputs[name] != defaults[name].default]
        if changed:
            told = ", ".join(f"{name} = {self._written(name)}" for name in changed)
            lines += ["", *textwrap.wrap(f"With {told} in place of what stands above.", _WIDTH)]
        lines += ["", "Written by Skelb. It needs nothing but Python 3.11 or newer.", '"""', ""]
        return "\n".join([lines[0], *map(_plain, lines[1:-2]), *lines[-2:]])

    def _written(self, name: str) -> str:
        value = self._script.inputs[name]
        if isinstance(value, bool):
            return "on" if value else "off"
        return number(value) if isinstance(value, float) else value

    def _inputs(self) -> str:
        lines = ["@dataclass(frozen=True)", "class Inputs:", '    """What can be set."""', ""]
        for name, own in self._script.input_names.items():
            value, label = self._script.inputs[name], self._checked.inputs[name].label
            if isinstance(value, bool):
                text, kind = str(value), "bool"
            else:
                assert isinstance(value, float)
                is_whole = value == int(value)
                text, kind = (str(int(value)), "int") if is_whole else (repr(value), "float")
                kind = "float" if kind == "int" and not _counts(self._checked, name) else kind
            lines.append(f"    {own}: {kind} = {text}" + (f"  # {label}" if label else ""))
        return "\n".join(lines if self._script.input_names else lines[:3])

    def _higher(self) -> list[str]:
        """A class for all other bars that something is computed on."""
        found = []
        for place, other in _within(self._values):
            values, nothing = other.values, {"condition": "None", "word": '""'}
            setup = [
                f"self.{name} = {nothing.get(seen.kind, 'math.nan')}  # as it is seen from outside"
                for name, seen in values.results.items()
            ]
            steps = [f"self.{name} = {seen.text}" for name, seen in values.results.items()]
            found.append("\n".join([
                f"class {other.owner}:",
                f'    """{_told(place)}"""',
                "",
                *self._begun(values, setup),
                "",
                "    def on_bar(self, bar: Bar) -> None:",
                *_indented([*_gathering(values), *values.steps, *steps]),
            ]))  # fmt: skip
        return found

    def _begun(self, values: Values, more: list[str]) -> list[str]:
        """What a class begins with: what it is given, what gathers other bars, what is fed on every bar."""
        given = "inputs: Inputs, market: Market, minutes: int"
        asks = _asks_elsewhere(values)
        if asks and not values.is_strategy:
            given += ", others: dict[str, list[Bar]]"
        setup = [] if values.minutes is not None else _too_long(values)
        setup.append("self.inputs, self.market, self.minutes = inputs, market, minutes")
        if asks and values.is_strategy:
            setup.append("self.others: dict[str, list[Bar]] = {name: [] for name in OTHERS}  # as they are read")
            setup.append("others = self.others")
        for place, other in values.elsewhere.items():
            minutes = "minutes" if place.minutes is None else str(place.minutes)
            theirs = "market" if place.symbol is None else f"OTHERS[{quoted(place.symbol)}]"
            gathers = f"Gatherer(market, {minutes})"
            if place.symbol is not None:
                gathers = f"Elsewhere(others[{quoted(place.symbol)}], {theirs}, {minutes})"
            setup.append(f"self.{other.bars} = {gathers}")
            inner = ", others" if _asks_elsewhere(other.values) else ""
            attribute = f"{other.attribute}_closed" if place.is_forming else other.attribute
            setup.append(f"self.{attribute} = {other.owner}(inputs, {theirs}, {minutes}{inner})")
            if place.is_forming:
                setup.append(f"self.{other.attribute} = self.{attribute}")
        return [f"    def __init__(self, {given}) -> None:", *_indented([*setup, *values.setup, *more])]

    def _strategy(self) -> str:
        values, rules = self._values, self._rules
        title = self._checked.title or "The strategy"
        return "\n".join([
            "class Strategy:",
            f'    """{_plain(title)}: what it wants at the close of every bar."""',
            "",
            *self._begun(values, []),
            "",
            "    def on_bar(self, bar: Bar) -> list[Wish]:",
            *_indented([*_gathering(values), *values.steps, "wishes: list[Wish] = []", *rules.wishes, "return wishes"]),
            "",
            *_indented(rules.methods, 1),
        ]).rstrip()  # fmt: skip

    def _settings(self) -> str:
        market, account = self._on.market, self._on.account
        fees = market.commission or account.commission
        lines = ["MARKET = Market(", *_described(market), *_charged(market), ")"]
        if self._script.markets:
            lines.append("OTHERS = {")
            for symbol in self._script.markets:
                described = _described(self._on.other(symbol))
                lines += [f"    {quoted(symbol)}: Market(", *_indented(described, 1), "    ),"]
            lines.append("}")
        lines += [
            "SETTINGS = Settings(",
            f"    capital={account.capital!r},",
            f"    leverage={account.leverage!r},",
            f"    stop_out={account.stop_out!r},",
            f"    skips_short_of_margin={account.short_of_margin == 'skip'},",
            f"    commission_percent={fees.percent!r},",
            f"    commission_per_unit={fees.per_unit!r},",
            f"    commission_per_order={fees.per_order!r},",
            f"    commission_minimum={fees.minimum!r},",
            f"    slippage_ticks={account.slippage_ticks!r},",
            ")",
        ]
        if self._checked.zone:
            lines.append(f"ZONE = ZoneInfo({quoted(self._checked.zone)})  # of the strategy's times")
        return "\n".join(lines + self._guessing())

    def _guessing(self) -> list[str]:
        """How the file's own bars complete the market where its description does not."""
        if self._on.knows_tick and self._on.knows_symbol:
            return []
        changes = [] if self._on.knows_symbol else ['symbol=path.stem if path else ""']
        if not self._on.knows_tick:
            changes += ["tick=tick"] if self._on.market.pip else ["tick=tick", "pip=pip_of(tick)"]
        tick = [] if self._on.knows_tick else ["    tick = decimal_tick(rows) if rows else MARKET.tick"]
        return [
            "", "",
            "def market_of(rows: list[Row], path: Path | None) -> Market:",
            '    """The market, with what the file of bars says of it."""',
            *tick,
            f"    return replace(MARKET, {', '.join(changes)})",
        ]  # fmt: skip


def _within(values: Values) -> Iterator[tuple[Place, Elsewhere]]:
    """All other bars that something is computed on, each with those that it sees before it."""
    for place, other in sorted(values.elsewhere.items(), key=lambda item: (item[0].symbol or "", item[0].minutes or 0)):
        yield from _within(other.values)
        yield place, other


def _asks_elsewhere(values: Values) -> bool:
    """Whether a class or one that it holds reads another market."""
    return any(place.symbol is not None for place in values.elsewhere) or any(
        _asks_elsewhere(other.values) for other in values.elsewhere.values()
    )


def _told(place: Place) -> str:
    """What a class for other bars is, in a sentence."""
    timeframe = f" of {Timeframe(place.minutes)}" if place.minutes is not None else ""
    market = f"{_plain(place.symbol)}'s " if place.symbol is not None else ""
    if place.is_forming:
        return f"What is computed on {market}bars{timeframe}, seen with the one that forms as if it closed now."
    return f"What is computed on {market}bars{timeframe}, seen once they have closed."


def _gathering(values: Values) -> list[str]:
    """The first lines of a bar: what of other bars has closed by now is fed to what computes there."""
    lines = []
    for place, other in values.elsewhere.items():
        attribute = f"{other.attribute}_closed" if place.is_forming else other.attribute
        lines += [f"for other in self.{other.bars}.closed_by(bar):", f"    self.{attribute}.on_bar(other)"]
        if place.is_forming:
            lines.append(f"self.{other.attribute} = with_forming(self.{attribute}, self.{other.bars})")
    return lines


def _too_long(values: Values) -> list[str]:
    """What refuses bars that are longer than those that are asked for of them."""
    asked = [place.minutes for place in values.elsewhere if place.minutes is not None]
    if not asked:
        return []
    says = f"the bars are of {{minutes}} minutes, and the strategy asks for bars of {min(asked)}"
    return [f"if minutes > {min(asked)}:", f'    raise ValueError(f"{says}")']


def _described(market: Market) -> list[str]:
    """A market's description as what `Market` is given; money of one that is not traded is not asked for."""
    rate = market.currency_rate if not isinstance(market.currency_rate, str) else 1.0
    ranges = ", ".join(f"({part.start}, {part.end})" for part in market.ranges)
    return [
        f"    symbol={quoted(market.symbol)},",
        f"    tick={market.tick!r},",
        f"    pip={market.pip_size!r},",
        f"    point_value={market.point_value * rate!r},",
        f"    lot_step={market.lot_step!r},",
        f"    min_lot={market.min_lot!r},",
        f"    zone={quoted(market.zone)},",
        f"    session=({ranges},),",
        f"    weekdays=({', '.join(map(str, sorted(market.trading_weekdays)))},),",
        f"    spread={market.spread!r},",
        f"    spread_unit={quoted(market.spread_unit)},",
        f"    quotes_are_bids={market.quotes == 'bid'},",
    ]


def _charged(market: Market) -> list[str]:
    """What besides a market that is traded charges."""
    lines = []
    if market.spread_by_hour:
        lines.append(f"    spread_by_hour=({', '.join(map(repr, market.spread_by_hour))},),")
    if market.financing_long or market.financing_short:
        lines += [
            f"    financing_long={market.financing_long!r},",
            f"    financing_short={market.financing_short!r},",
            f"    triple_day={quoted(market.triple_day or '')},",
        ]
    return lines


_PROGRAM = tuple(f"def {name}(" for name in (
    "words_of", "words_of_file", "read_word", "minutes_of", "messages_of", "read_others", "take_other", "follow",
    "sentence", "in_json", "main", "run",
))  # fmt: skip


def _indented(lines: list[str], levels: int = 2) -> list[str]:
    return [f"{'    ' * levels}{line}" if line else "" for line in lines]


def _plain(text: str) -> str:
    """A text as it can stand in a docstring."""
    return text.replace("\\", "/").replace('"', "'")


def _identifiers(text: str) -> set[str]:
    return {node.id for node in ast.walk(ast.parse(text)) if isinstance(node, ast.Name)}


def _counts(checked: Checked, name: str) -> bool:
    """Whether an input is a whole number by its range."""
    found = checked.inputs[name]
    numbers = (found.low, found.step, found.high)
    return all(number is None or number == int(number) for number in numbers)
