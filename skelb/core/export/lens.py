"""One bar opened into the finer bars it was made of, with the fills inside it."""

from typing import Any

import numpy as np

from skelb.core.engine import Outcome, kernel
from skelb.core.plan import Dataset

Document = dict[str, Any]
_MOMENTS = {kernel.AT_OPEN: "open", kernel.AT_CLOSE: "close"}


def lens_document(outcome: Outcome, bar: int, finest: Dataset) -> Document:
    """The bar, its finer bars as columns (none when it is as fine as the finest that are stored), its fills in order.

    A fill says its side, price, whether it entered or left and by what rule or reason, and when in the bar it was:
    at its open, inside, or at its close; where inside is not known.
    """
    dataset = outcome.plan.dataset
    bars, ends = dataset.bars, dataset.calendar.close_time
    opens, closes = int(bars.time[bar]), int(ends[bar])
    finer: Document = {"timeframe": None, "time": []}
    if finest.bars.timeframe < bars.timeframe:
        # A bar holds what closed after the bar before it; the first holds what opened with it or later.
        before = int(ends[bar - 1]) if bar else opens
        first, end = np.searchsorted(finest.calendar.close_time, (before, closes), side="right")
        pieces = finest.bars.take(slice(first, end))
        finer = {"timeframe": str(pieces.timeframe), "time": pieces.time.tolist()}
        finer |= {name: getattr(pieces, name).tolist() for name in ("open", "high", "low", "close")}
    own = {name: float(getattr(bars, name)[bar]) for name in ("open", "high", "low", "close")}
    return {"time": opens, "close_time": closes, **own, "finer": finer, "fills": _fills(outcome, bar)}


def _fills(outcome: Outcome, bar: int) -> list[Document]:
    trades, found = outcome.trades, []
    entered = trades.entry_bar - (trades.whole[:, kernel.TI_ENTRY_MOMENT] == kernel.AT_CLOSE)
    for row in np.flatnonzero((entered == bar) | (trades.exit_bar == bar)):
        side = "long" if trades.side[row] > 0 else "short"
        if entered[row] == bar:
            moment = int(trades.whole[row, kernel.TI_ENTRY_MOMENT])
            price = float(trades.column(kernel.TF_ENTRY_PRICE)[row])
            found.append((moment, 1, _fill("in", side, price, moment, outcome.entry_rule(int(row)).name)))
        if trades.exit_bar[row] == bar:
            moment, price = int(trades.moment[row]), float(trades.column(kernel.TF_EXIT_PRICE)[row])
            found.append((moment, 0 if moment == kernel.AT_OPEN else 2, _fill("out", side, price, moment, outcome.exit_reason(int(row)))))  # fmt: skip
    return [fill for _, _, fill in sorted(found, key=lambda item: item[:2])]


def _fill(way: str, side: str, price: float, moment: int, by: str) -> Document:
    return {"way": way, "side": side, "price": price, "moment": _MOMENTS.get(moment, "inside"), "by": by}
