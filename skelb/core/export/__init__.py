"""Results as plain values for files and other programs."""

from skelb.core.export.documents import (
    backtest_document,
    diagnostics_document,
    plain_number,
    series_document,
    time_text,
    trade_rows,
)

__all__ = [
    "backtest_document",
    "diagnostics_document",
    "plain_number",
    "series_document",
    "time_text",
    "trade_rows",
]
