"""Memory: keeping freed arrays at hand, and what is loaded for good out of garbage collection.

A series of a million bars is 8 MB. The C library takes such pieces from the system and gives them back each time,
and the system clears every page anew: that costs as much as computing an average.
"""

import ctypes
import gc
import sys

_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD = -1, -3
_KEPT_BYTES = 256 * 1024 * 1024
_LARGEST_BYTES = 32 * 1024 * 1024  # the most that the C library allows


def keep_freed_memory() -> None:
    """Let arrays up to 32 MB come from memory that was freed before; up to 256 MB of it are kept."""
    if sys.platform != "linux":
        return
    try:
        mallopt = ctypes.CDLL(None).mallopt
    except (OSError, AttributeError):
        return  # another C library: it has its own ways
    mallopt(_M_MMAP_THRESHOLD, _LARGEST_BYTES)
    mallopt(_M_TRIM_THRESHOLD, _KEPT_BYTES)


def keep_loaded_objects() -> None:
    """Take what is loaded by now out of garbage collection, and collect seldom: it stays for good, and looking
    through it takes 50 ms."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000, 20, 20)  # a check makes thousands of small parts, none of them garbage
