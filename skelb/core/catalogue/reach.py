"""How many bars the value of the last one stands on, for the functions whose memory ends.

What such a function says of a bar is the same on those bars alone, so that it can be worked out at many closes at once.
"""

from collections.abc import Callable
from math import isqrt

REACH: dict[str, Callable[..., int]] = {
    **dict.fromkeys(
        ("sma", "wma", "vwma", "fit", "sum", "median", "percentile", "zscore", "rank", "stdev", "highest", "lowest", "bollinger",
         "covariance", "correlation", "beta", "cci", "williams", "channel", "money_flow"),
        lambda n, *others: n,
    ),
    **dict.fromkeys(
        ("roc", "gain", "cmo", "efficiency", "climbs", "sinks", "recently", "count", "historical_volatility", "mfi",
         "aroon", "vortex", "choppiness"),
        lambda n, *others: n + 1,
    ),
    **dict.fromkeys(("gap_up", "gap_down", "starts", "ends"), lambda: 2),
    "stoch": lambda n, k, d: n + k + d,
    "hma": lambda n: n + isqrt(n) - 1,
    "ichimoku": lambda a, b, c: max(a, b, c) + b,
}  # fmt: skip
"""By a function's lengths in the order of its parameters; more than it needs is no mistake."""

FULL = {*REACH} - {"recently", "count", "stoch", "choppiness", "ichimoku", "gap_up", "gap_down", "starts", "ends"}
"""Those that are unknown as long as there are fewer bars."""
