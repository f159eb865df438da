"""Where the bars of a practice come from: stored bars replayed, made ones, a file that grows, an address with the
protocol."""

import time
from collections.abc import Iterator, Sequence
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from threading import Event
from typing import Annotated, Literal
from urllib.parse import urlsplit
from zoneinfo import ZoneInfo

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from websockets.exceptions import WebSocketException
from websockets.sync.client import connect

from skelb.core.errors import FeedAwayError, FeedError, SettingsError
from skelb.core.feeds import BarSaid, Clock, Hello, Offered, Word, read_word, written
from skelb.core.feeds.words import LONGEST_LINE
from skelb.core.plan import Dataset, make_dataset
from skelb.core.trials import bars_onward

BREATH_S = 0.1  # between two looks whether the feed is still wanted
_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 0.5, 30.0
_NUMBERS = ("open", "high", "low", "close", "volume")
_MOST_BYTES = 1 << 20  # of a file at once
_MOST_PIECES = 60  # forming states of one bar
Lost = Literal["lost", "back"]
Said = Word | Lost | FeedError | None


class _Choice(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Replay(_Choice):
    """Stored bars from a day on, so many times as quick as they came; 0 is as quick as can be."""

    kind: Literal["replay"] = "replay"
    pace: float = Field(default=60.0, ge=0, le=1e6)


class MadeBars(_Choice):
    """Made bars that go on where the stored ones end, as quick as a replay; the same for the same seed."""

    kind: Literal["made"] = "made"
    pace: float = Field(default=60.0, ge=0, le=1e6)
    seed: int = Field(default=1, ge=0, le=1_000_000)


class GrowingFile(_Choice):
    """A file in the server's reach that grows line by line: words of the protocol, or rows of a CSV of bars."""

    kind: Literal["file"] = "file"
    path: str = Field(max_length=1_000)


class Address(_Choice):
    """An address that speaks the protocol over a WebSocket."""

    kind: Literal["address"] = "address"
    url: str = Field(max_length=500)


FeedChoice = Annotated[Replay | MadeBars | GrowingFile | Address, Field(discriminator="kind")]


def words_of(choice: FeedChoice) -> str:
    """A feed in a sentence."""
    match choice:
        case Replay():
            return "a replay of stored bars"
        case MadeBars():
            return "made bars that go on where the stored ones end"
        case GrowingFile():
            return f"the file {Path(choice.path).name}"
        case Address():
            return f"the feed at {choice.url}"


def check_feed(choice: FeedChoice) -> None:
    """Raises SettingsError where a feed cannot be followed for what it is."""
    if isinstance(choice, GrowingFile) and not Path(choice.path).is_file():
        raise SettingsError(f"there is no file {choice.path} to follow: name one that is there, it may be empty")
    if isinstance(choice, Address):
        parts = urlsplit(choice.url)
        if parts.scheme not in ("ws", "wss") or not parts.hostname:
            raise SettingsError(f"a feed's address begins with ws:// or wss://, not `{choice.url}`")


def replayed(datasets: Sequence[Dataset], after: int, pace: float, until: Event) -> Iterator[Said]:
    """Stored bars of markets that open after a moment, each as it forms of its finer bars and then closed, moment by
    moment; the end ends it.

    Hours in which there is no bar are passed over.
    """
    timeframe = datasets[0].bars.timeframe
    symbols = [dataset.market.symbol for dataset in datasets]
    yield Hello(f"replay of {', '.join(symbols)}", tuple(Offered(symbol, timeframe) for symbol in symbols))
    opened = np.unique(np.concatenate([dataset.bars.time for dataset in datasets]))
    rest_s = timeframe.seconds / pace if pace > 0 else 0.0
    for moment in opened[np.searchsorted(opened, after, side="right") :].tolist():
        places = [(dataset, int(np.searchsorted(dataset.bars.time, moment))) for dataset in datasets]
        here = [(one, at) for one, at in places if at < len(one.bars) and one.bars.time[at] == moment]
        if rest_s > 0:
            yield from _forming(here, rest_s, until)
        if until.is_set():
            return
        for dataset, at in here:
            yield _said(dataset, at)
        yield Clock(moment + timeframe.seconds)


def made(datasets: Sequence[Dataset], seed: int, after: int, pace: float, until: Event) -> Iterator[Said]:
    """Made bars after the stored ones (`bars_onward`), as a replay says them."""
    return replayed(onward(datasets, seed), after, pace, until)


def onward(datasets: Sequence[Dataset], seed: int) -> list[Dataset]:
    """Made bars after the stored ones, of each market by a seed of its own. Raises SettingsError where none can be."""
    return [make_dataset(bars_onward(one, seed + place), one.market) for place, one in enumerate(datasets)]


def _forming(here: Sequence[tuple[Dataset, int]], rest_s: float, until: Event) -> Iterator[Said]:
    """Bars of one moment as they stand after some of their finer bars, over the time that they take."""
    pieces = []
    for dataset, at in here:
        prices, ends = dataset.pieces
        own = prices[:, int(ends[at - 1]) if at else 0 : int(ends[at])]
        if own.shape[1]:
            pieces.append((dataset, at, own))
    most = max((own.shape[1] for _, _, own in pieces), default=0)
    shown = np.unique(np.linspace(1, most, min(most, _MOST_PIECES)).astype(np.int64)).tolist() if most else []
    for part in shown:
        for dataset, at, own in pieces:
            yield _standing(dataset, at, own[:, : max(1, own.shape[1] * part // most)])
        if part < most:  # at its end only when they have closed
            dataset, at, _ = pieces[0]
            yield Clock(int(dataset.bars.time[at]) + dataset.bars.timeframe.seconds * part // most)
        yield from _rest(rest_s / len(shown), until)
        if until.is_set():
            return


def _standing(dataset: Dataset, at: int, so_far: np.ndarray) -> BarSaid:
    first, high, low, last = float(so_far[0, 0]), so_far[1].max(), so_far[2].min(), so_far[3, -1]
    opened, symbol = int(dataset.bars.time[at]), dataset.market.symbol
    return BarSaid(symbol, dataset.bars.timeframe, opened, first, float(high), float(low), float(last), 0.0, False)


def _rest(seconds: float, until: Event) -> Iterator[None]:
    """Wait, with a breath now and then."""
    end = time.monotonic() + seconds
    while not until.wait(min(BREATH_S, max(0.0, end - time.monotonic()))) and time.monotonic() < end:
        yield None


def _said(dataset: Dataset, at: int) -> BarSaid:
    bars = dataset.bars
    first, high, low, last, volume = (
        float(row[at]) for row in (bars.open, bars.high, bars.low, bars.close, bars.volume)
    )
    return BarSaid(
        dataset.market.symbol, bars.timeframe, int(bars.time[at]), first, high, low, last, volume, is_closed=True
    )


def growing(path: Path, datasets: Sequence[Dataset], until: Event) -> Iterator[Said]:
    """The lines of a file from its beginning on, and then as they come. A file that became shorter is read anew."""
    rows = _Rows(datasets)
    at, kept = 0, b""
    while not until.is_set():
        try:
            if path.stat().st_size < at:
                at, kept, rows = 0, b"", _Rows(datasets)
            with path.open("rb") as file:
                file.seek(at)
                fresh = file.read(_MOST_BYTES)
        except OSError as exc:
            yield FeedAwayError(f"{path.name} cannot be read: {exc.strerror}")
            yield from _rest(1.0, until)
            continue
        at += len(fresh)
        *lines, kept = (kept + fresh).split(b"\n")  # a line is read once it is whole
        if len(kept) > LONGEST_LINE:
            raise FeedError(f"a line of {path.name} has more than {LONGEST_LINE:,} characters")
        for line in lines:
            text = line.decode("utf-8", "replace").strip().lstrip("\ufeff")
            if text:
                yield _read(text) if text.startswith("{") else rows.read(text)
        if not fresh:
            yield None
            until.wait(BREATH_S)


class _Rows:
    """Rows of a CSV as closed bars: a head that names the columns, or time, open, high, low, close and volume, with
    the market first where there are several."""

    def __init__(self, datasets: Sequence[Dataset]) -> None:
        self._timeframe = datasets[0].bars.timeframe
        self._zones = {dataset.market.symbol: ZoneInfo(dataset.market.zone) for dataset in datasets}
        self._needed = ["market"] * (len(datasets) > 1) + ["time", *_NUMBERS[:4]]
        self._columns = [*self._needed, _NUMBERS[4]]

    def read(self, text: str) -> Said:
        """A row; None for the head."""
        cells = [cell.strip() for cell in text.split(",")]
        names = [cell.lower() for cell in cells]
        if "close" in names or (self._columns[0] == "time" and not cells[0][:1].isdigit()):
            self._columns = names
            missing = [name for name in self._needed if name not in names]
            return FeedError(f"the head of the file names no {missing[0]}") if missing else None
        named = dict(zip(self._columns, cells, strict=False))
        symbol = named.get("market", next(iter(self._zones)))
        if symbol and symbol not in self._zones:
            return None  # another market's
        if missing := [name for name in self._needed if not named.get(name)]:
            return FeedError(f"a row has no {missing[0]}: `{text[:60]}`")
        try:
            first, high, low, last = (_number(named[name]) for name in _NUMBERS[:4])
            opened, volume = _moment(named["time"], self._zones[symbol]), _number(named.get("volume") or "0")
        except (ValueError, OverflowError) as exc:
            return FeedError(f"a row cannot be read, {exc}: `{text[:60]}`")
        told = BarSaid(symbol, self._timeframe, opened, first, high, low, last, volume, is_closed=True)
        return _read(written(told))


def _number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise ValueError(f"`{text[:30]}` is no number") from None


def _moment(text: str, zone: ZoneInfo) -> int:
    if text.isdigit():
        return int(text)
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise ValueError(f"`{text[:30]}` is no time such as 2024-03-27T10:00:00Z") from None
    return int((found if found.tzinfo else found.replace(tzinfo=zone)).timestamp())


def _read(line: str) -> Said:
    try:
        return read_word(line)
    except FeedError as exc:
        return exc


def addressed(url: str, until: Event) -> Iterator[Said]:
    """What an address says; where it is lost it is sought again, after longer and longer pauses."""
    pause = _FIRST_PAUSE_S
    was_there = is_lost = False
    while not until.is_set():
        try:
            with connect(url, open_timeout=5, close_timeout=1, max_size=LONGEST_LINE * 4, proxy=None) as socket:
                if is_lost:
                    yield "back"
                was_there, is_lost, pause = True, False, _FIRST_PAUSE_S
                while not until.is_set():
                    with suppress(TimeoutError):
                        message = socket.recv(timeout=BREATH_S)
                        text = message if isinstance(message, str) else message.decode("utf-8", "replace")
                        for line in filter(None, text.split("\n")):
                            yield _read(line)
                        continue
                    yield None
        except (OSError, WebSocketException, TimeoutError) as exc:
            # Lost once, however often it is sought in vain.
            yield "lost" if was_there and not is_lost else FeedAwayError(f"{url} is not there: {exc}")
            is_lost = was_there
            yield from _rest(pause, until)
            pause = min(_LONGEST_PAUSE_S, pause * 2)
