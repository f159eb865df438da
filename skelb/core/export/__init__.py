"""Results as plain values for files and other programs."""

from skelb.core.export.charted import Charted
from skelb.core.export.conversion import conversion_chart, conversion_document, conversion_names
from skelb.core.export.documents import (
    Document,
    backtest_document,
    basket_document,
    explanation_document,
    finding_rows,
    plain_number,
    series_document,
    signals_document,
    time_text,
    trade_rows,
)
from skelb.core.export.lens import lens_document
from skelb.core.export.preview import preview_document
from skelb.core.export.scene import (
    Scene,
    evenly,
    overview_document,
    plain_values,
    scene_document,
    scene_of,
    spread,
    window_document,
)
from skelb.core.language.documented import diagnostics_document

__all__ = [
    "Charted",
    "Document",
    "Scene",
    "backtest_document",
    "basket_document",
    "conversion_chart",
    "conversion_document",
    "conversion_names",
    "diagnostics_document",
    "evenly",
    "explanation_document",
    "finding_rows",
    "lens_document",
    "overview_document",
    "plain_number",
    "plain_values",
    "preview_document",
    "scene_document",
    "scene_of",
    "series_document",
    "signals_document",
    "spread",
    "time_text",
    "trade_rows",
    "window_document",
]
