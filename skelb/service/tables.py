"""Tables as files to take along."""

from io import BytesIO
from typing import Literal

import pyarrow as pa
import pyarrow.csv
import pyarrow.parquet

from skelb.core.bars import PRICES, Bars

Form = Literal["csv", "parquet"]


def written(table: pa.Table, form: Form) -> bytes:
    """A table as the bytes of a file."""
    sink = BytesIO()
    if form == "csv":
        pyarrow.csv.write_csv(table, sink)
    else:
        pyarrow.parquet.write_table(table, sink)
    return sink.getvalue()


def bars_table(bars: Bars) -> pa.Table:
    """Bars as a table that can be imported again: when each opens, UTC, or its date; prices, volume, own columns."""
    time = pa.array(bars.time, pa.timestamp("s", tz=None if bars.dated else "UTC"))
    prices = {name: getattr(bars, name) for name in PRICES}
    return pa.table({"time": time.cast(pa.date32()) if bars.dated else time, **prices, **bars.columns})
