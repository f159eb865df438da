"""A strategy as one readable Python file that makes the same trades."""

from skelb.core.export.python.writer import Instrument, python_of

__all__ = ["Instrument", "python_of"]
