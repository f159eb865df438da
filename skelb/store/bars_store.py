"""Bars as compressed column chunks."""

import hashlib
import zlib

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from skelb.core.bars import PRICES, Bars, Ints, Timeframe
from skelb.store.database import StoreError
from skelb.store.models import BarsChunk, BarsRecord, MarketRecord

CHUNK_ROWS = 50_000


def save_bars(session: Session, market: MarketRecord, bars: Bars) -> BarsRecord:
    """Store `bars` as the newest version of the market's timeframe; older versions stay, so that old runs can be
    repeated. What was left out stays so, unless it has other prices now."""
    before = session.scalar(
        select(BarsRecord)
        .where(BarsRecord.market_id == market.id, BarsRecord.timeframe_minutes == bars.timeframe.minutes)
        .order_by(BarsRecord.version.desc())
        .limit(1)
    )
    columns = {"time": bars.time, **{name: getattr(bars, name) for name in PRICES}}
    columns |= {f"+{name}": values for name, values in bars.columns.items()}
    record = BarsRecord(
        market_id=market.id,
        timeframe_minutes=bars.timeframe.minutes,
        version=before.version + 1 if before else 1,
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
    same = _still_left_out(session, before, bars) if before and before.left_out else np.zeros(0, np.int64)
    return leave_out(session, record, same) if 0 < same.size < len(bars) else record


def _still_left_out(session: Session, before: BarsRecord, bars: Bars) -> Ints:
    was = load_whole(session, before)
    times = np.frombuffer(before.left_out, np.int64)
    times = times[np.isin(times, bars.time)]
    old, new = np.searchsorted(was.time, times), np.searchsorted(bars.time, times)
    is_same = [getattr(was, name)[old] == getattr(bars, name)[new] for name in PRICES[:4]]
    return times[np.all(is_same, axis=0)]


def leave_out(session: Session, record: BarsRecord, times: Ints) -> BarsRecord:
    """A newer version of the same bars, of which those that open at these times, and no others, are not used."""
    newer = BarsRecord(
        market_id=record.market_id,
        timeframe_minutes=record.timeframe_minutes,
        version=record.version + 1,
        row_count=record.row_count + len(record.left_out) // 8 - times.size,
        first_time=record.first_time,
        last_time=record.last_time,
        dated=record.dated,
        checksum=record.checksum,
        base_id=record.base_id or record.id,
        left_out=np.unique(times).astype(np.int64).tobytes(),
    )
    session.add(newer)
    session.flush()
    return newer


def load_bars(session: Session, record: BarsRecord) -> Bars:
    """The bars of a record that are used. Raises StoreError when they are not what was stored."""
    whole = load_whole(session, record)
    return whole.without(np.frombuffer(record.left_out, np.int64)) if record.left_out else whole


def load_times(session: Session, record: BarsRecord) -> Ints:
    """When the bars of a record open, those that are left out among them."""
    query = select(BarsChunk.data).where(
        BarsChunk.bars_id == (record.base_id or record.id), BarsChunk.column_name == "time"
    )
    pieces = session.scalars(query.order_by(BarsChunk.number))
    return np.concatenate([np.frombuffer(zlib.decompress(data), np.int64) for data in pieces])


def load_whole(session: Session, record: BarsRecord) -> Bars:
    """The bars of a record, those that are left out among them. Raises StoreError when they are not what was stored."""
    rows = session.execute(
        select(BarsChunk.column_name, BarsChunk.data)
        .where(BarsChunk.bars_id == (record.base_id or record.id))
        .order_by(BarsChunk.column_name, BarsChunk.number)
    )
    pieces: dict[str, list[np.ndarray]] = {}
    for name, data in rows:
        kind = np.int64 if name == "time" else np.float64
        pieces.setdefault(name, []).append(np.frombuffer(zlib.decompress(data), kind))
    columns = {name: np.concatenate(parts) for name, parts in pieces.items()}
    if set(columns) < {"time", *PRICES} or _checksum(columns) != record.checksum:
        raise StoreError("stored bars are damaged: import this market again")
    extra = {name[1:]: values for name, values in columns.items() if name.startswith("+")}
    prices = {name: columns[name] for name in PRICES}
    timeframe = Timeframe(record.timeframe_minutes)
    return Bars(timeframe, columns["time"], **prices, columns=extra, dated=record.dated)


def _checksum(columns: dict[str, np.ndarray]) -> str:
    digest = hashlib.blake2b(digest_size=16)
    for name in sorted(columns):
        digest.update(name.encode())
        digest.update(np.ascontiguousarray(columns[name]).data)
    return digest.hexdigest()
