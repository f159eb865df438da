"""What operations on whole values come to, and what an expression's key says it is made of."""

import numpy as np

from skelb.core.catalogue import UNKNOWN, YES, between, compare, crosses, power, quotient
from skelb.core.plan.memo import Key, Value


def parts_of(key: Key) -> list[int]:
    """The numbers of the expressions that an expression is made of."""
    operation = key[0]
    if operation in ("constant", "truth", "built_in", "clock", "on", "from", "forming", "column"):
        return []
    if operation == "call":
        return [argument[1] for argument in key[2:] if isinstance(argument, tuple)]
    if operation == "field":
        return [key[1]]  # type: ignore[list-item]
    return [part for part in key[1:] if isinstance(part, int)]


def _arithmetic(key: Key, parts: list[Value]) -> Value:
    a, b = parts
    if key[1] == "+":
        return a + b
    if key[1] == "-":
        return a - b
    if key[1] == "*":
        return a * b
    return quotient(a, b) if key[1] == "/" else power(a, b)


def _logic(key: Key, parts: list[Value]) -> Value:
    join = np.minimum if key[1] == "and" else np.maximum
    found = parts[0]
    for part in parts[1:]:
        found = join(found, part)
    return found


def _in_time(key: Key, parts: list[Value]) -> Value:
    x, low, high = parts
    after, before = compare("<=", low, x), compare("<", x, high)
    return np.maximum(after, before) if high[0] <= low[0] else np.minimum(after, before)


def _either(key: Key, parts: list[Value]) -> Value:
    condition, yes, no = parts
    unknown = np.int8(UNKNOWN) if yes.dtype == np.int8 else np.float64(np.nan)
    return np.where(condition == UNKNOWN, unknown, np.where(condition == YES, yes, no))


OPERATIONS = {
    "negative": lambda key, parts: -parts[0],
    "arithmetic": _arithmetic,
    "not": lambda key, parts: np.int8(YES) - parts[0],
    "logic": _logic,
    "compare": lambda key, parts: compare(str(key[1]), parts[0], parts[1]),
    "crosses": lambda key, parts: crosses(str(key[1]), parts[0], parts[1]),
    "between": lambda key, parts: between(parts[0], parts[1], parts[2]),
    "in_time": _in_time,
    "either": _either,
}
