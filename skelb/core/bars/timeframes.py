"""Timeframes: whole minutes or hours up to a day, one day, one week."""

import re
from dataclasses import dataclass

from skelb.core.errors import SettingsError

DAY_MINUTES = 1440
WEEK_MINUTES = 7 * DAY_MINUTES

_TEXT = re.compile(r"([1-9]\d{0,5})\s*([mhdw])")
_UNIT_MINUTES = {"m": 1, "h": 60, "d": DAY_MINUTES, "w": WEEK_MINUTES}


@dataclass(frozen=True, order=True)
class Timeframe:
    """The length of one bar in minutes; a day is 1440 and a week 10080."""

    minutes: int

    @classmethod
    def parse(cls, text: str) -> "Timeframe":
        """The timeframe written as `5m`, `90m`, `4h`, `1d` or `1w`.

        Raises SettingsError when the text is none of these.

        >>> Timeframe.parse("4h").minutes
        240
        """
        found = _TEXT.fullmatch(text.strip())
        if found:
            minutes = int(found[1]) * _UNIT_MINUTES[found[2]]
            whole = found[2] in "mh" and minutes <= DAY_MINUTES
            if whole or minutes in (DAY_MINUTES, WEEK_MINUTES):
                return cls(minutes)
        raise SettingsError(
            f"`{text}` is not a timeframe: write whole minutes or hours up to a day (5m, 90m, 4h), 1d or 1w"
        )

    @property
    def is_intraday(self) -> bool:
        """Whether a trading day holds several such bars."""
        return self.minutes < DAY_MINUTES

    @property
    def seconds(self) -> int:
        """The length of one bar in seconds."""
        return self.minutes * 60

    def __str__(self) -> str:
        if self.minutes == WEEK_MINUTES:
            return "1w"
        if self.minutes == DAY_MINUTES:
            return "1d"
        if self.minutes % 60 == 0:
            return f"{self.minutes // 60}h"
        return f"{self.minutes}m"


def timeframe_of_step(step_s: int) -> Timeframe:
    """The timeframe of bars whose commonest step is `step_s` seconds; 23 to 25 hours is a day.

    Raises SettingsError when the step is not a whole number of minutes, or lies between a day and a week.
    """
    if 23 * 3600 <= step_s <= 25 * 3600:
        return Timeframe(DAY_MINUTES)
    if abs(step_s - WEEK_MINUTES * 60) <= 3600:
        return Timeframe(WEEK_MINUTES)
    if step_s <= 0 or step_s % 60 or step_s > DAY_MINUTES * 60:
        raise SettingsError(
            f"the commonest step between bars is {step_s} seconds: it must be a whole number of minutes up to"
            " an hourly or daily bar, or a week"
        )
    return Timeframe(step_s // 60)
