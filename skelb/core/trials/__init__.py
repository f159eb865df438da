"""Many runs made on purpose."""

from skelb.core.trials.challenge import Challenged, End, Rules, challenge
from skelb.core.trials.deflation import Deflated, deflated
from skelb.core.trials.grid import Axis, default_axis, grid, grid_size, read_axis
from skelb.core.trials.resampling import BANDS, KINDS, Kind, Measures, Resampled, resample
from skelb.core.trials.study import Study, study_of
from skelb.core.trials.surface import Landmarks, landmarks, neighbourhood
from skelb.core.trials.sweep import Cell, Sweep, check_objective, run_cells

__all__ = [
    "BANDS",
    "KINDS",
    "Axis",
    "Cell",
    "Challenged",
    "Deflated",
    "End",
    "Kind",
    "Landmarks",
    "Measures",
    "Resampled",
    "Rules",
    "Study",
    "Sweep",
    "challenge",
    "check_objective",
    "default_axis",
    "deflated",
    "grid",
    "grid_size",
    "landmarks",
    "neighbourhood",
    "read_axis",
    "resample",
    "run_cells",
    "study_of",
]
