"""Many runs made on purpose."""

from skelb.core.trials.challenge import Challenged, End, Rules, challenge
from skelb.core.trials.deflation import Deflated, deflated
from skelb.core.trials.designs import DESIGNS, DesignKind, design
from skelb.core.trials.grid import MOST_RUNS, PLACE_AXES, Axis, Point, default_axis, grid_size, point_at, read_axis
from skelb.core.trials.resampling import BANDS, KINDS, Kind, Measures, Resampled, counted, resample
from skelb.core.trials.results import Results, figure_row, figures_from
from skelb.core.trials.search import CHOICE, READY_CONDITIONS, Search, search_script
from skelb.core.trials.shipment import Shipment, packed, run_shipped
from skelb.core.trials.spans import (
    Span,
    Window,
    read_split,
    trading_days,
    windows_by_count,
    windows_by_length,
)
from skelb.core.trials.study import CalendarRow, Group, Study, calendar_of, study_of
from skelb.core.trials.surface import (
    Fold,
    Landmarks,
    around,
    front,
    landmarks,
    neighbourhood,
    places_of,
    rank_correlation,
    view_of,
)
from skelb.core.trials.sweep import Cell, Sweep, Task, check_objective, run_cells, run_tasks
from skelb.core.trials.walk import Leg, Stitched, efficiency, stitched

__all__ = [
    "BANDS",
    "CHOICE",
    "DESIGNS",
    "KINDS",
    "MOST_RUNS",
    "PLACE_AXES",
    "READY_CONDITIONS",
    "Axis",
    "CalendarRow",
    "Cell",
    "Challenged",
    "Deflated",
    "DesignKind",
    "End",
    "Fold",
    "Group",
    "Kind",
    "Landmarks",
    "Leg",
    "Measures",
    "Point",
    "Resampled",
    "Results",
    "Rules",
    "Search",
    "Shipment",
    "Span",
    "Stitched",
    "Study",
    "Sweep",
    "Task",
    "Window",
    "around",
    "calendar_of",
    "challenge",
    "check_objective",
    "counted",
    "default_axis",
    "deflated",
    "design",
    "efficiency",
    "figure_row",
    "figures_from",
    "front",
    "grid_size",
    "landmarks",
    "neighbourhood",
    "packed",
    "places_of",
    "point_at",
    "rank_correlation",
    "read_axis",
    "read_split",
    "resample",
    "run_cells",
    "run_shipped",
    "run_tasks",
    "search_script",
    "stitched",
    "study_of",
    "trading_days",
    "view_of",
    "windows_by_count",
    "windows_by_length",
]
