"""Many runs made on purpose."""

from skelb.core.trials.grid import Axis, default_axis, grid, grid_size, read_axis
from skelb.core.trials.study import Study, study_of
from skelb.core.trials.surface import Landmarks, landmarks, neighbourhood
from skelb.core.trials.sweep import Cell, Sweep, check_objective, run_cells

__all__ = [
    "Axis",
    "Cell",
    "Landmarks",
    "Study",
    "Sweep",
    "check_objective",
    "default_axis",
    "grid",
    "grid_size",
    "landmarks",
    "neighbourhood",
    "read_axis",
    "run_cells",
    "study_of",
]
