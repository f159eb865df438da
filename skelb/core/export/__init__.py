"""Results as plain values for files and other programs."""

from skelb.core.export.documents import (
    Document,
    backtest_document,
    conversion_document,
    diagnostics_document,
    finding_rows,
    plain_number,
    series_document,
    time_text,
    trade_rows,
)
from skelb.core.export.scene import Scene, overview_document, scene_document, scene_of, window_document

__all__ = [
    "Document",
    "Scene",
    "backtest_document",
    "conversion_document",
    "diagnostics_document",
    "finding_rows",
    "overview_document",
    "plain_number",
    "scene_document",
    "scene_of",
    "series_document",
    "time_text",
    "trade_rows",
    "window_document",
]
