# mypy: disable-error-code="no-untyped-def, no-untyped-call"
"""The way along the bars: those of a moment, the market of each, and the equity written at them."""

import numpy as np

from skelb.core.engine.kernel.places import market_at
from skelb.core.spanning import inlined


@inlined
def bar_at(place, alone, series):
    """The bar at a place of a moment."""
    return place if alone else series.order[place]


@inlined
def market_of(i, alone, run, series):
    """The market of bar i."""
    return market_at(0 if alone else series.market_of[i], run)


@inlined
def bars_of(moment, alone, series):
    """Begin and end of a moment's bars, in `series.order` where there are several markets."""
    if alone:
        return moment, moment + 1
    return np.int64(0) if moment == 0 else series.ends[moment - 1], series.ends[moment]


@inlined
def write_equity(begin, stop, alone, equity, series):
    """The account's equity at all bars of a moment."""
    for place in range(begin, stop):
        series.equity[bar_at(place, alone, series)] = equity
