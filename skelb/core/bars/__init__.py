"""Bars, markets, timeframes, sessions."""

from skelb.core.bars.bars import PRICES, Bars, Bools, Floats, Ints
from skelb.core.bars.calendar import Calendar, gathered, next_opening, opening_clock, resample, session_bars
from skelb.core.bars.guesses import Guess, decimal_tick, guess_market
from skelb.core.bars.joining import Joining, compare_bars, join_bars
from skelb.core.bars.market import WEEKDAYS, Commission, Market, is_zone, parse_days
from skelb.core.bars.oddities import Oddity, OddPlace, find_oddities, odd_times, trading_days_of
from skelb.core.bars.quality import Fault, commonest_step, find_faults
from skelb.core.bars.timeframes import WEEK_MINUTES, Timeframe, timeframe_of_step

__all__ = [
    "PRICES",
    "WEEKDAYS",
    "WEEK_MINUTES",
    "Bars",
    "Bools",
    "Calendar",
    "Commission",
    "Fault",
    "Floats",
    "Guess",
    "Ints",
    "Joining",
    "Market",
    "OddPlace",
    "Oddity",
    "Timeframe",
    "commonest_step",
    "compare_bars",
    "decimal_tick",
    "find_faults",
    "find_oddities",
    "gathered",
    "guess_market",
    "is_zone",
    "join_bars",
    "next_opening",
    "odd_times",
    "opening_clock",
    "parse_days",
    "resample",
    "session_bars",
    "timeframe_of_step",
    "trading_days_of",
]
