"""Bars made ready to run on: session bars of one market and timeframe, their calendar and memo."""

from dataclasses import dataclass, field

from skelb.core.bars import Bars, Calendar, Market, Timeframe, resample, session_bars
from skelb.core.catalogue import Frame
from skelb.core.errors import BarsError, SettingsError
from skelb.core.plan.memo import Memo


@dataclass(frozen=True, eq=False)
class Dataset:
    """One market's session bars on one timeframe; `left_out` bars lay outside the session."""

    market: Market
    bars: Bars
    calendar: Calendar
    left_out: int = 0
    data_version: int = 0
    memo: Memo = field(default_factory=Memo)

    @property
    def frame(self) -> Frame:
        """What the catalogue computes from."""
        return Frame(self.bars, self.calendar, self.market)

    def __len__(self) -> int:
        return len(self.bars)


def make_dataset(stored: Bars, market: Market, timeframe: Timeframe | None = None, data_version: int = 0) -> Dataset:
    """The dataset of stored bars on `timeframe` (the bars' own when None).

    Raises SettingsError when the timeframe cannot be built from the stored one, BarsError when no bar lies in
    the session.
    """
    wanted = timeframe or stored.timeframe
    if wanted < stored.timeframe:
        raise SettingsError(f"the bars of {market.symbol} are {stored.timeframe}: {wanted} is finer than that")
    if wanted.is_intraday and wanted.minutes % stored.timeframe.minutes:
        raise SettingsError(f"{wanted} bars cannot be built from {stored.timeframe} bars: it is not a multiple")
    bars, calendar, left_out = session_bars(stored, market)
    if len(bars) == 0:
        raise BarsError(f"{market.symbol} has no bar inside its session {market.session} on {market.days}")
    if wanted != stored.timeframe:
        bars = resample(bars, calendar, market, wanted)
        bars, calendar, _ = session_bars(bars, market)
    return Dataset(market, bars, calendar, left_out, data_version)
