"""Results as plain values for files and other programs."""

from skelb.core.export.alerts import AlertRow, alert_rows, count_alerts
from skelb.core.export.charted import Charted
from skelb.core.export.conversion import Conversion, ConversionChart, conversion_chart, conversion_names, conversion_of
from skelb.core.export.documents import (
    Document,
    TimedFinding,
    backtest_document,
    basket_document,
    explanation_document,
    plain_number,
    series_document,
    signal_sentences,
    time_text,
    timed_findings,
    trade_rows,
)
from skelb.core.export.lens import Lens, lens_of
from skelb.core.export.preview import Preview, preview_of
from skelb.core.export.scene import (
    ChartWindow,
    Column,
    Legend,
    Overview,
    Scene,
    evenly,
    legend_of,
    overview_of,
    plain_values,
    scene_of,
    spread,
    window_of,
)
from skelb.core.language.documented import diagnostics_document

__all__ = [
    "AlertRow",
    "ChartWindow",
    "Charted",
    "Column",
    "Conversion",
    "ConversionChart",
    "Document",
    "Legend",
    "Lens",
    "Overview",
    "Preview",
    "Scene",
    "TimedFinding",
    "alert_rows",
    "backtest_document",
    "basket_document",
    "conversion_chart",
    "conversion_names",
    "conversion_of",
    "count_alerts",
    "diagnostics_document",
    "evenly",
    "explanation_document",
    "legend_of",
    "lens_of",
    "overview_of",
    "plain_number",
    "plain_values",
    "preview_of",
    "scene_of",
    "series_document",
    "signal_sentences",
    "spread",
    "time_text",
    "timed_findings",
    "trade_rows",
    "window_of",
]
