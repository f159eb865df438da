"""Maths on each value by itself. What has no finite answer is unknown."""

from collections.abc import Callable

import numpy as np

from skelb.core.bars import Floats
from skelb.core.catalogue.entry import ABSOLUTE, AS_ALL, CANNOT, LINEAR, Function, Mirroring, Parameter


def _finite(call: Callable[[Floats], Floats]) -> Callable[..., Floats]:
    """The function with its infinities made unknown, as a catalogue function."""

    def compute(frame: object, x: Floats) -> Floats:
        with np.errstate(all="ignore"):
            found = call(x)
        return np.where(np.isfinite(found), found, np.nan)

    return compute


def _rounded(x: Floats) -> Floats:
    return np.copysign(np.floor(np.abs(x) + 0.5), x)


_X = Parameter("x", "number")


def _single(
    name: str, summary: str, formula: str, call: Callable[[Floats], Floats], mirror: Mirroring, example: str
) -> Function:
    return Function(
        name,
        "Maths",
        (_X,),
        summary,
        formula,
        "Elementary.",
        "None.",
        "0",
        _finite(call),
        mirror=mirror,
        example=example,
    )


_PAIR = (Parameter("a", "number"), Parameter("b", "number"))

MATHS = (
    _single("abs", "The size of x, without its sign.", "x, or -x below 0", np.abs,
             mirror=ABSOLUTE, example="abs(close - open)"),
    Function("min", "Maths", _PAIR, "The smaller of two values.", "a if a < b, else b", "Elementary.", "None.", "0",
             lambda frame, a, b: np.minimum(a, b),
             mirror=AS_ALL.exchanged("max"), example="min(open, close)"),
    Function("max", "Maths", _PAIR, "The larger of two values.", "a if a > b, else b", "Elementary.", "None.", "0",
             lambda frame, a, b: np.maximum(a, b),
             mirror=AS_ALL.exchanged("min"), example="max(open, close)"),
    _single("sqrt", "The square root; unknown below 0.", "x ^ 0.5", np.sqrt,
             mirror=CANNOT, example="sqrt(volume)"),
    _single("log", "The natural logarithm; unknown at or below 0.", "the power of e that is x", np.log,
             mirror=CANNOT, example="log(close)"),
    _single("exp", "e to the power of x.", "e ^ x", np.exp,
             mirror=CANNOT, example="exp(close / 1000000)"),
    _single("round", "The nearest whole number; halves away from 0.", "floor(|x| + 0.5) with the sign of x", _rounded,
             mirror=LINEAR, example="round(close)"),
    _single("floor", "The whole number at or below x.", "largest whole number <= x", np.floor,
             mirror=LINEAR.exchanged("ceil"), example="floor(close)"),
    _single("ceil", "The whole number at or above x.", "smallest whole number >= x", np.ceil,
             mirror=LINEAR.exchanged("floor"), example="ceil(close)"),
    _single("sign", "1 above 0, -1 below, 0 at 0.", "x / |x|, 0 at 0", np.sign,
             mirror=LINEAR, example="sign(close - open)"),
    Function("clamp", "Maths", (_X, *_PAIR), "x kept between a and b.", "min(max(x, a), b)", "Elementary.", "None.", "0",
             lambda frame, x, a, b: np.minimum(np.maximum(x, a), b),
             mirror=AS_ALL.crossing("a", "b"), example="clamp(close, open, high)"),
)  # fmt: skip
