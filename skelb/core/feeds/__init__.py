"""Feeds: what a source of bars says line by line, and what is taken of it."""

from skelb.core.feeds.gathering import Gathering
from skelb.core.feeds.intake import Intake, Kind, Taken
from skelb.core.feeds.words import PROTOCOL, BarSaid, Clock, Gap, Hello, Offered, Word, read_word, written

__all__ = [
    "PROTOCOL",
    "BarSaid",
    "Clock",
    "Gap",
    "Gathering",
    "Hello",
    "Intake",
    "Kind",
    "Offered",
    "Taken",
    "Word",
    "read_word",
    "written",
]
