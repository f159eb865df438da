# mypy: disable-error-code="no-untyped-def"
"""Conditions over several bars: steps in order, and several things in any order."""

import numpy as np
from numpy.typing import NDArray

from skelb.core.bars import Bools, Floats
from skelb.core.catalogue.conditions import Conditions
from skelb.core.catalogue.entry import NONE_TRIED
from skelb.core.compiled import njit


def in_sequence(
    a: Conditions, b: Conditions, unless: Conditions | None, within: int | None, tried: Bools = NONE_TRIED
) -> Conditions:
    """Yes where `b` is yes, `a` was yes on an earlier bar (the latest counts), at most `within` bars before, and
    `unless` on no bar after that one up to this; then `a` must come again (on the completing bar counts).

    Shape (n,); never unknown: an unknown counts as no. Of `tried` see `Frame`, here and below.
    """
    stop = np.zeros(1, np.int8) if unless is None else unless
    return _in_sequence(a, b, stop, int(unless is not None), within or 0, tried, np.empty(a.size, np.int8))


def all_of(
    parts: NDArray[np.int8], unless: Conditions | None, within: int | None, tried: Bools = NONE_TRIED
) -> Conditions:
    """Yes where the last of several conditions comes true, each having been yes on this bar or one of the `within`
    before, and `unless` not since the earliest of them; then all must be completed anew.

    `parts` has shape (conditions, n). Never unknown: an unknown counts as no.
    """
    stop = np.zeros(1, np.int8) if unless is None else unless
    return _all_of(parts, stop, int(unless is not None), within or 0, tried, np.empty(parts.shape[1], np.int8))


def awaited(a: Conditions, b: Conditions, unless: Conditions | None, within: int | None) -> Conditions:
    """Yes while a step of a sequence waits for `b`: `a` was yes, and `b` may still complete it on the next bar.

    Arguments and shape as for `in_sequence`; never unknown.
    """
    stop = np.zeros(1, np.int8) if unless is None else unless
    return _awaited(a, b, stop, int(unless is not None), within or 0, np.empty(a.size, np.int8))


def share_seen(parts: NDArray[np.int8], unless: Conditions | None, within: int | None) -> Floats:
    """The share (0 to 1) of the conditions of an `all of` that still count after each bar, shape (n,)."""
    stop = np.zeros(1, np.int8) if unless is None else unless
    return _share_seen(parts, stop, int(unless is not None), within or 0, np.empty(parts.shape[1]))


@njit(cache=True, nogil=True)
def _in_sequence(a, b, unless, has_unless, within, tried, out):
    tries = tried.size > 1
    armed = -1
    bar = 0
    for i in range(out.size):
        before = armed
        out[i] = 0
        if has_unless and unless[i] == 2:
            armed = -1
        if armed >= 0 and b[i] == 2 and (within == 0 or bar - armed <= within):
            out[i] = 2
            armed = -1
        if a[i] == 2:
            armed = bar
        if tries and tried[i]:
            armed = before
        else:
            bar += 1
    return out


@njit(cache=True, nogil=True)
def _all_of(parts, unless, has_unless, within, tried, out):
    tries = tried.size > 1
    count = parts.shape[0]
    last = np.full(count, -1)
    before = last.copy()
    bar = 0
    for i in range(out.size):
        before[:] = last
        out[i] = 0
        if has_unless and unless[i] == 2:
            last[:] = -1
        fresh = False
        for k in range(count):
            if parts[k, i] == 2:
                last[k] = bar
                fresh = True
        earliest = last.min()
        if fresh and earliest >= 0 and (within == 0 or bar - earliest <= within):
            out[i] = 2
            last[:] = -1
        if tries and tried[i]:
            last[:] = before
        else:
            bar += 1
    return out


@njit(cache=True, nogil=True)
def _awaited(a, b, unless, has_unless, within, out):
    armed = -1
    for i in range(out.size):
        if has_unless and unless[i] == 2:
            armed = -1
        if armed >= 0 and b[i] == 2 and (within == 0 or i - armed <= within):
            armed = -1
        if a[i] == 2:
            armed = i
        out[i] = 2 if armed >= 0 and (within == 0 or i + 1 - armed <= within) else 0
    return out


@njit(cache=True, nogil=True)
def _share_seen(parts, unless, has_unless, within, out):
    count = parts.shape[0]
    last = np.full(count, -1)
    for i in range(out.size):
        if has_unless and unless[i] == 2:
            last[:] = -1
        for k in range(count):
            if parts[k, i] == 2:
                last[k] = i
        held = 0
        for k in range(count):
            if last[k] >= 0 and (within == 0 or i - last[k] <= within):
                held += 1
        out[i] = held / count
        if held == count:
            last[:] = -1
    return out
