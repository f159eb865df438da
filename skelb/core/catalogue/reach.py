"""How many bars the value of the last one stands on, for the functions whose memory ends.

What such a function says of a bar is the same on those bars alone, so that it can be worked out at many closes at once.
"""

from collections.abc import Callable

REACH: dict[str, Callable[..., int]] = {
    **dict.fromkeys(
        ("sma", "wma", "sum", "median", "percentile", "zscore", "rank", "stdev", "highest", "lowest", "bollinger",
         "covariance", "correlation", "beta", "cci", "williams", "channel", "money_flow"),
        lambda n, *others: n,
    ),
    **dict.fromkeys(
        ("roc", "gain", "cmo", "efficiency", "climbs", "sinks", "recently", "count", "historical_volatility", "mfi",
         "aroon", "vortex", "choppiness"),
        lambda n, *others: n + 1,
    ),
    **dict.fromkeys(("true_range", "gap_up", "gap_down", "starts", "ends"), lambda: 2),
    "stoch": lambda n, k, d: n + k + d,
}  # fmt: skip
"""By a function's lengths in the order of its parameters; more than it needs is no mistake."""

FULL = {*REACH} - {"recently", "count", "stoch", "choppiness", "true_range", "gap_up", "gap_down", "starts", "ends"}
"""Those that are unknown as long as there are fewer bars."""
