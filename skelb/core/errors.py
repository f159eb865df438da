"""Errors a caller can answer.

    SkelbError
    |-- SettingsError      a market, account or run setting cannot be used
    |-- BarsError          bars cannot be read or used
    |-- FeedError          a feed says what cannot be understood
    |   `-- FeedAwayError  it is not there
    |-- ScriptError        a script has errors and therefore cannot be run
    |-- NotFoundError      a named thing is not there
    `-- ConflictError      a named thing is there already, or is busy

A mistake in a user's script is data (`Diagnostic`), not an exception; `ScriptError` is raised only when
a caller tries to run such a script.
"""

__all__ = [
    "BarsError",
    "ConflictError",
    "FeedAwayError",
    "FeedError",
    "NotFoundError",
    "PackError",
    "ScriptError",
    "SettingsError",
    "SkelbError",
]


class SkelbError(Exception):
    """Something went wrong that a user can be told about in one sentence."""


class SettingsError(SkelbError):
    """A setting cannot be used; the message names it and says what is allowed."""


class BarsError(SkelbError):
    """Bars cannot be read or used; the message says where and why."""


class FeedError(SkelbError):
    """A feed cannot be followed, or a line of it cannot be read; the message says why."""


class FeedAwayError(FeedError):
    """A feed is not where it was said to be; it is sought again."""


class ScriptError(SkelbError):
    """A script with errors was asked to run."""


class PackError(SkelbError):
    """A file is no pack of a run, or one that cannot be opened."""


class NotFoundError(SkelbError):
    """A named script, market, account or trial does not exist."""


class ConflictError(SkelbError):
    """The name is taken, or the thing is busy with something else."""
