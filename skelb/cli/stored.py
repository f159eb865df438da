"""The data folder, for commands that look at what is kept and change it; what runs a script needs less."""

from collections.abc import Iterator
from contextlib import contextmanager

from skelb.service.application import Application
from skelb.service.folder import data_folder


@contextmanager
def stored_here() -> Iterator[Application]:
    """What is kept in the data folder, to look at and to change."""
    found = Application(data_folder())
    try:
        yield found
    finally:
        found.close()
