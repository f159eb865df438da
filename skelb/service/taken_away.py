"""A run's strategy as Python that runs elsewhere."""

from skelb.core.export.python import Instrument, python_of
from skelb.service.library import Library
from skelb.service.prepared import Prepared


def python_for(prepared: Prepared, library: Library) -> str:
    """The strategy as one Python file for its market and account, on all bars that the file is given.

    Raises SettingsError on a basket, and where it cannot be written yet, naming the lines.
    """
    alone = prepared.alone()
    on = Instrument(alone.dataset.market, alone.account, other=lambda symbol: library.market(symbol).market)
    return python_of(alone.checked, alone.choices.inputs, on, alone.choices.sides)
