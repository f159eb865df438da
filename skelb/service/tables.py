"""Tables as files to take along."""

from collections.abc import Sequence
from io import BytesIO
from typing import Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv
import pyarrow.parquet

from skelb.core.bars import PRICES, Bars
from skelb.core.engine import Outcome
from skelb.core.export import trade_rows
from skelb.core.figures import Record, basket_order, joined, record_together

# With decimal commas, for places where a spreadsheet reads 1.5 as a date, values are apart by semicolons.
Form = Literal["csv", "csv-comma", "parquet"]
Of = Literal["trades", "equity"]


def written(table: pa.Table, form: Form) -> bytes:
    """A table as the bytes of a file; in CSV no text that a spreadsheet takes for a formula."""
    sink = BytesIO()
    if form == "parquet":
        pyarrow.parquet.write_table(table, sink)
        return sink.getvalue()
    has_commas = form == "csv-comma"
    columns = {name: _plain(table[name], has_commas) for name in table.column_names}
    options = pyarrow.csv.WriteOptions(delimiter=";" if has_commas else ",", quoting_style="needed")
    pyarrow.csv.write_csv(pa.table(columns), sink, options)
    return sink.getvalue()


def _plain(column: pa.ChunkedArray, has_commas: bool) -> pa.ChunkedArray:
    if pa.types.is_string(column.type):
        return pc.replace_substring_regex(column, pattern=r"^([=+\-@\t\r])", replacement=r"'\1")
    if has_commas and pa.types.is_floating(column.type):
        return pc.replace_substring(pc.cast(column, pa.string()), pattern=".", replacement=",")
    return column


def bars_table(bars: Bars) -> pa.Table:
    """Bars as a table that can be imported again: when each opens, UTC, or its date; prices, volume, own columns."""
    time = pa.array(bars.time, pa.timestamp("s", tz=None if bars.dated else "UTC"))
    prices = {name: getattr(bars, name) for name in PRICES}
    return pa.table({"time": time.cast(pa.date32()) if bars.dated else time, **prices, **bars.columns})


_MOMENTS = ("entry_time", "exit_time")
_TRADES: dict[str, pa.DataType] = {
    "number": pa.int64(), "market": pa.string(), "side": pa.string(),
    "entry_time": pa.timestamp("s", tz="UTC"), "entry_price": pa.float64(), "entry_rule": pa.string(),
    "exit_time": pa.timestamp("s", tz="UTC"), "exit_price": pa.float64(), "units": pa.float64(),
    "exit_reason": pa.string(),
    **dict.fromkeys(("gross", "commission", "spread_cost", "slippage_cost", "financing", "net", "net_percent", "r",
                     "best", "worst", "best_r", "worst_r"), pa.float64()),
    "bars_held": pa.int64(),
    **dict.fromkeys(("initial_stop", "initial_target", "equity_after"), pa.float64()),
}  # fmt: skip


def trades_table(outcomes: Sequence[Outcome]) -> pa.Table:
    """The trades of a run in order of exit, with the names of the JSON; times UTC."""
    rows = [trade_rows(outcome) for outcome in outcomes]
    order = basket_order(outcomes)
    ordered = [rows[market][row] | {"number": number} for number, (market, row) in enumerate(order, 1)]
    columns = {}
    for name, kind in _TRADES.items():
        values = pa.array([row[name] for row in ordered], pa.string() if name in _MOMENTS else kind)
        columns[name] = values.cast(kind)
    return pa.table(columns)


def equity_table(record: Record) -> pa.Table:
    """Equity at the close of every bar, or of a basket's moments, and what holding instead would be worth."""
    unknown = np.full(record.equity.size, np.nan)
    worth = record.holding / record.held_from if record.held_from > 0 else unknown
    return pa.table(
        {
            "time": pa.array(record.closes, pa.timestamp("s", tz="UTC")),
            "equity": record.equity,
            "holding": pa.array(record.capital * worth, from_pandas=True),
        }
    )


def run_table(outcomes: Sequence[Outcome], of: Of) -> pa.Table:
    """A run's table of trades or of equity."""
    return trades_table(outcomes) if of == "trades" else equity_table(record_together(outcomes))


def legs_table(legs: Sequence[Sequence[Outcome]], of: Of) -> pa.Table:
    """The same of runs end to end: one row of numbers through all trades, one course of equity."""
    if of == "equity":
        return equity_table(joined([record_together(outcomes) for outcomes in legs]))
    found = pa.concat_tables([trades_table(outcomes) for outcomes in legs])
    return found.set_column(0, "number", pa.array(range(1, len(found) + 1), pa.int64()))
