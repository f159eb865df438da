"""A small script for every function and built-in name, which shows it on a chart."""

from skelb.core.catalogue import BUILT_INS, FUNCTIONS, BuiltIn, Function

_NUMBERS = {"n": "20", "m": "14", "k": "3", "d": "3", "a": "12", "b": "26", "s": "9", "f": "2", "p": "80"}
_ON_PRICE = frozenset(
    "sma ema wma wilder hma dema tema kama vwma average fit channel bollinger keltner psar supertrend ichimoku vwap"
    " highest lowest crest trough peak dip median percentile prior hold max min clamp round floor ceil opening_range".split()
)
_SPECIAL = {
    "average": "average(close, 20, ema)", "correlation": "correlation(close, volume, 20)",
    "covariance": "covariance(close, volume, 20)", "beta": "beta(close, volume, 20)", "clamp": "clamp(close, open, high)",
    "hold": "hold(close, when: close crosses above sma(close, 20))", "peak": "peak(high, since: first_of_day)",
    "dip": "dip(low, since: first_of_day)", "once": "once(close > sma(close, 20), reset: first_of_day)",
    "max": "max(open, close)", "min": "min(open, close)", "opening_range": "opening_range(30)",
    "log": "log(close)", "exp": "exp(close / 1000000)", "sqrt": "sqrt(volume)", "macd": "macd(close, 12, 26, 9)",
    "crest": "crest(before: 5, after: 3)", "trough": "trough(before: 5, after: 3)", "known": "known(sma(close, 20))",
    "ichimoku": "ichimoku(9, 26, 52)", "kama": "kama(close, 20)", "stoch_rsi": "stoch_rsi(close, 14, 14, 3, 3)",
    "sign": "sign(close - open)", "abs": "abs(close - open)", "cumulate": "cumulate(sign(close - open))",
    "round": "round(close)", "prior": "prior(close, 5)",
}  # fmt: skip


def example_of(name: str) -> str:
    """A script that shows a function or built-in name.

    >>> example_of("ema")
    'title "ema"\\nema_line = ema(close, 20)\\ndraw ema_line\\n'
    """
    if name in FUNCTIONS:
        function = FUNCTIONS[name]
        call = _SPECIAL.get(name) or _call(function)
        shown = _shown(name, call, function.fields, function.result == "condition" or _is_condition(name))
    else:
        shown = _shown_name(BUILT_INS[name])
    return f'title "{name}"\n{shown}'


def _call(function: Function) -> str:
    required = [item for item in function.parameters if item.default is None]
    if not required:
        return function.name
    arguments = []
    for item in required:
        if item.kind == "condition" or (item.kind == "any" and function.result == "condition"):
            arguments.append("close > open")
        elif item.kind in ("number", "any"):
            arguments.append("close")
        elif item.words:
            arguments.append(item.words[0])
        else:
            arguments.append(_NUMBERS.get(item.name, "14"))
    return f"{function.name}({', '.join(arguments)})"


def _is_condition(name: str) -> bool:
    return name in ("once", "starts", "ends", "recently")


def _shown(name: str, call: str, fields: tuple[str, ...], is_condition: bool) -> str:
    if is_condition:
        return f"{name}_yes = {call}\nmark {name}_yes below\n"
    panel = "" if name in _ON_PRICE else f' in "{name}"'
    if fields:
        drawn = [field for field in fields if field != "side"]
        parts = ", ".join(f"{name}_is.{field}" for field in drawn)
        return f"{name}_is = {call}\ndraw {parts}{panel}\n"
    return f"{name}_line = {call}\ndraw {name}_line{panel}\n"


def _shown_name(entry: BuiltIn) -> str:
    name = entry.name
    if entry.fields:
        return f"draw {', '.join(f'{name}.{field}' for field in entry.fields)}\n"
    if entry.kind == "condition":
        return f"mark {name} below\n"
    if entry.words:
        return f"tint {name} is {entry.words[0]} color deep\n"
    if entry.kind == "time":
        return "morning = time in 09:30..11:00\ntint morning color deep\n"
    on_price = name in ("open", "high", "low", "close", "mid", "typical", "day_open", "day_high", "day_low")
    return f"draw {name}\n" if on_price else f'draw {name} in "{name}"\n'
