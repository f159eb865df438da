"""What is wrong with rows before they become bars, and the commonest step between them."""

from dataclasses import dataclass

import numpy as np

from skelb.core.bars.bars import Bools, Floats, Ints


@dataclass(frozen=True)
class Fault:
    """Rows that cannot be bars: one reason, and which rows (True where refused), shape (n,)."""

    reason: str
    rows: Bools


_MOST_PRICE = 1e12  # beyond it a tick of a cent is lost in a price, and sums of money soon are none


def find_faults(time: Ints, open_: Floats, high: Floats, low: Floats, close: Floats, volume: Floats) -> list[Fault]:
    """Every reason for which rows are refused, one fault per reason that occurs, in order of weight.

    Rows are in file order; unsorted rows are not refused (the reader sorts them), repeated times are: of rows
    with one time the first is kept.
    """
    prices = (open_, high, low, close)
    finite = np.logical_and.reduce([np.isfinite(price) for price in prices])
    order = np.argsort(time, kind="stable")
    repeated = np.zeros(time.size, np.bool_)
    if time.size:
        repeated[order[1:]] = time[order][1:] == time[order][:-1]
    found = [
        Fault("a price is missing or not a finite number", ~finite),
        Fault(
            "a price is beyond 1,000,000,000,000",
            finite & np.logical_or.reduce([np.abs(price) > _MOST_PRICE for price in prices]),
        ),
        Fault("the high is below the low", finite & (high < low)),
        Fault(
            "the open or close lies outside high and low",
            finite & (high >= low) & ((np.maximum(open_, close) > high) | (np.minimum(open_, close) < low)),
        ),
        Fault("the volume is not a finite number", ~np.isfinite(volume)),
        Fault("the volume is negative", volume < 0),
        Fault("the time stands in the file already", repeated),
    ]
    return [fault for fault in found if fault.rows.any()]


def commonest_step(time: Ints) -> int:
    """The commonest step in seconds between neighbouring rising times, shape (n,); 0 when there is none."""
    steps = np.diff(time)
    steps = steps[steps > 0]
    if steps.size == 0:
        return 0
    values, counts = np.unique(steps, return_counts=True)
    return int(values[np.argmax(counts)])
