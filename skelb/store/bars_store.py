"""Bars as compressed column chunks."""

import hashlib
import zlib

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from skelb.core.bars import Bars, Timeframe
from skelb.store.database import StoreError
from skelb.store.models import BarsChunk, BarsRecord, MarketRecord

CHUNK_ROWS = 50_000
_PRICES = ("open", "high", "low", "close", "volume")


def save_bars(session: Session, market: MarketRecord, bars: Bars) -> BarsRecord:
    """Store `bars` as the newest version of the market's timeframe; older versions stay, so that old runs can be
    repeated."""
    last = session.scalar(
        select(func.max(BarsRecord.version)).where(
            BarsRecord.market_id == market.id, BarsRecord.timeframe_minutes == bars.timeframe.minutes
        )
    )
    columns = {"time": bars.time, **{name: getattr(bars, name) for name in _PRICES}}
    columns |= {f"+{name}": values for name, values in bars.columns.items()}
    record = BarsRecord(
        market_id=market.id,
        timeframe_minutes=bars.timeframe.minutes,
        version=(last or 0) + 1,
        row_count=len(bars),
        first_time=int(bars.time[0]),
        last_time=int(bars.time[-1]),
        dated=bars.dated,
        checksum=_checksum(columns),
    )
    session.add(record)
    session.flush()
    for name, values in columns.items():
        for number, start in enumerate(range(0, len(bars), CHUNK_ROWS)):
            data = zlib.compress(np.ascontiguousarray(values[start : start + CHUNK_ROWS]).tobytes(), 1)
            session.add(BarsChunk(bars_id=record.id, column_name=name, number=number, data=data))
    session.flush()
    return record


def load_bars(session: Session, record: BarsRecord) -> Bars:
    """The bars of a record. Raises StoreError when they are not what was stored."""
    rows = session.execute(
        select(BarsChunk.column_name, BarsChunk.data)
        .where(BarsChunk.bars_id == record.id)
        .order_by(BarsChunk.column_name, BarsChunk.number)
    )
    pieces: dict[str, list[np.ndarray]] = {}
    for name, data in rows:
        kind = np.int64 if name == "time" else np.float64
        pieces.setdefault(name, []).append(np.frombuffer(zlib.decompress(data), kind))
    columns = {name: np.concatenate(parts) for name, parts in pieces.items()}
    if set(columns) < {"time", *_PRICES} or _checksum(columns) != record.checksum:
        raise StoreError("stored bars are damaged: import this market again")
    extra = {name[1:]: values for name, values in columns.items() if name.startswith("+")}
    prices = {name: columns[name] for name in _PRICES}
    timeframe = Timeframe(record.timeframe_minutes)
    return Bars(timeframe, columns["time"], **prices, columns=extra, dated=record.dated)


def _checksum(columns: dict[str, np.ndarray]) -> str:
    digest = hashlib.blake2b(digest_size=16)
    for name in sorted(columns):
        digest.update(name.encode())
        digest.update(np.ascontiguousarray(columns[name]).data)
    return digest.hexdigest()
