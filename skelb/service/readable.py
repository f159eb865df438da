"""Lists of what is stored, in which a record that cannot be read hides no other."""

import logging
from collections.abc import Callable, Iterable
from typing import TypeVar

from pydantic import ValidationError

from skelb.core.errors import SkelbError
from skelb.service.mistakes import one_line

_log = logging.getLogger(__name__)
T = TypeVar("T")


def read_each(stored: Iterable[tuple[int, str]], read: Callable[[int], T], left_out: list[str] | None) -> list[T]:
    """What `read` gives for each number of `stored`, which also says what the record is called.

    One that cannot be read is told in the log, and to `left_out` as a sentence. Asked for by its own name, it says the
    same.
    """
    found = []
    for number, name in stored:
        try:
            found.append(read(number))
        except (SkelbError, ValueError, TypeError, LookupError) as exc:  # of whatever a changed file may hold
            why = one_line(exc) if isinstance(exc, ValidationError) else " ".join(str(exc).split())
            said = f"{name} cannot be read and is left out of lists: {why[:200]}"
            _log.warning("%s", said)
            if left_out is not None:
                left_out.append(said)
    return found
