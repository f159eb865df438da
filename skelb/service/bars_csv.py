"""Reading bars from CSV files as people have them: columns, times and decimals recognised, bad rows refused."""

import codecs
import io
import re
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv

from skelb.core.bars import Bars, Floats, Ints, Timeframe, commonest_step, find_faults, is_zone, timeframe_of_step
from skelb.core.bars.calendar import to_utc
from skelb.core.errors import BarsError, SettingsError

MOST_ROWS = 5_000_000
MOST_BYTES = 1024 * 1024 * 1024
REFUSED_SHOWN = 200
_PIECE = 1 << 20
_EARLIEST, _LATEST = -2_208_988_800, 7_258_118_400
"""The seconds since 1970 of 1 January 1900 and of 1 January 2200: what is outside is a slip, not a bar."""

_ALIASES = {
    "time": ("time", "datetime", "date_time", "date time", "timestamp", "date", "day", "zeit", "datum"),
    "clock": ("clock", "hour", "time of day", "uhrzeit"),
    "open": ("open", "o", "first"),
    "high": ("high", "h", "max"),
    "low": ("low", "l", "min"),
    "close": ("close", "c", "last", "price", "settle"),
    "volume": ("volume", "vol", "v", "quantity"),
}
_DELIMITERS = {"\t": "tabs", ";": "semicolons", "|": "upright strokes", " ": "spaces"}
_PRICES = ("open", "high", "low", "close")
_OFFSET = r"^(?P<moment>.*?)\s*(?P<offset>Z|[+-]\d{2}:?\d{2})$"
_TIME_FORMATS = (
    "%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%d",
    "%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M", "%d.%m.%Y",
    "%Y/%m/%d %H:%M:%S", "%Y/%m/%d %H:%M", "%Y/%m/%d",
    "%d/%m/%Y %H:%M:%S", "%d/%m/%Y %H:%M", "%d/%m/%Y",
    "%m/%d/%Y %H:%M:%S", "%m/%d/%Y %H:%M", "%m/%d/%Y",
    "%Y%m%d %H%M%S", "%Y%m%d %H:%M:%S", "%Y%m%d",
)  # fmt: skip
_NUMBER = r"^\s*[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?\s*$"


@dataclass(frozen=True)
class RefusedRow:
    """A row that did not become a bar: its line in the file, why, and what it says."""

    line: int
    reason: str
    text: str


@dataclass(frozen=True, eq=False)
class BarsFile:
    """What was read of a file. `refused` shows the first rows, `refused_count` counts all; `notes` say what was
    recognised."""

    bars: Bars
    refused: list[RefusedRow]
    refused_count: int
    reasons: dict[str, int]
    notes: list[str]
    columns: dict[str, str]


@dataclass
class _Rows:
    """Text columns on their way to bars, with the file line of each row."""

    names: list[str]
    table: dict[str, pa.ChunkedArray]
    lines: Ints
    refused: list[RefusedRow] = field(default_factory=list)
    reasons: dict[str, int] = field(default_factory=dict)
    count: int = 0

    def refuse(self, which: np.ndarray, reason: str) -> None:
        """Note rows (by position) as refused for one reason."""
        if which.size == 0:
            return
        self.reasons[reason] = self.reasons.get(reason, 0) + int(which.size)
        self.count += int(which.size)
        for row in which[: max(0, REFUSED_SHOWN - len(self.refused))]:
            text = ",".join(str(self.table[name][int(row)].as_py() or "") for name in self.names[:7])
            self.refused.append(RefusedRow(int(self.lines[row]), reason, text[:120]))


def read_bars_csv(path: Path, zone: str = "UTC") -> BarsFile:
    """The bars of a CSV file; times without an offset are taken in `zone`.

    Rows that cannot be bars are refused one by one and reported; unsorted rows are sorted. Raises BarsError when
    the file cannot be read, lacks a column, or holds no bar.
    """
    if not is_zone(zone):
        raise BarsError(f"`{zone}` is not a time zone; they are named Area/City, such as Europe/Berlin, or UTC")
    data, notes = _load(path)
    delimiter, decimal = _dialect(data)
    if delimiter != ",":
        notes.append(f"columns separated by {_DELIMITERS.get(delimiter, delimiter)}")
    if decimal == ",":
        notes.append("decimal commas")
    rows = _read_rows(data, delimiter, path)
    del data  # the columns hold it all now; a large file should not stand in memory twice
    roles = _recognise(rows.names, path)
    time, time_ok = _times(rows, roles, zone, notes, path)
    numbers = {}
    fine = time_ok
    rows.refuse(np.flatnonzero(~time_ok), "the time cannot be read, or is none from 1900 to 2199")
    for role in (*_PRICES, "volume"):
        name = roles.get(role)
        values = np.zeros(time.size) if name is None else _numbers(rows.table[name], decimal)
        numbers[role] = values
        bad = fine & np.isnan(values)
        rows.refuse(np.flatnonzero(bad), f"the {role} is not a number")
        fine = fine & ~bad
    if "volume" not in roles:
        notes.append("no volume column: volume is 0")
    candidates = np.flatnonzero(fine)
    for fault in find_faults(time[fine], *(numbers[name][fine] for name in (*_PRICES, "volume"))):
        rows.refuse(candidates[fault.rows], fault.reason)
        fine[candidates[fault.rows]] = False
    return _to_bars(rows, roles, time, numbers, fine, decimal, notes, path)


def _to_bars(
    rows: _Rows, roles: dict[str, str], time: Ints, numbers: dict[str, Floats], fine: np.ndarray, decimal: str,
    notes: list[str], path: Path,
) -> BarsFile:  # fmt: skip
    kept = np.flatnonzero(fine)
    if kept.size == 0:
        why = ", ".join(f"{count:,} rows: {reason}" for reason, count in rows.reasons.items())
        raise BarsError(f"{path.name} holds no bar{': ' + why if why else ''}")
    order = np.argsort(time[kept], kind="stable")
    if (np.diff(order) < 0).any():
        notes.append("rows were not in time order; they are now")
    kept = kept[order]
    times = time[kept]
    try:
        timeframe = timeframe_of_step(commonest_step(times)) if kept.size > 1 else Timeframe(1440)
    except SettingsError as exc:
        raise BarsError(f"{path.name}: {exc}") from exc
    dated = not timeframe.is_intraday
    if dated:
        times = times // 86_400 * 86_400
        if (np.diff(times) <= 0).any():
            raise BarsError(f"{path.name}: two rows belong to one date, though most rows are a day apart")
    used = set(roles.values())
    extra = {name: _numbers(rows.table[name], decimal)[kept] for name in rows.names if name not in used}
    extra = {name: values for name, values in extra.items() if not np.isnan(values).all()}
    columns = {name: numbers[name][kept] for name in (*_PRICES, "volume")}
    bars = Bars(timeframe, times, **columns, columns=extra, dated=dated)
    rows.refused.sort(key=lambda row: row.line)
    return BarsFile(bars, rows.refused, rows.count, rows.reasons, notes, roles)


def _load(path: Path) -> tuple[bytes, list[str]]:
    try:
        size = path.stat().st_size
        if size > MOST_BYTES:
            raise BarsError(f"{path.name} has {size / 2**20:,.0f} MB; at most {MOST_BYTES / 2**20:,.0f}")
        data = path.read_bytes()
    except OSError as exc:
        raise BarsError(f"{path} cannot be read: {exc.strerror}") from exc
    if not data.strip():
        raise BarsError(f"{path.name} is empty")
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return data.decode("utf-16").encode(), ["UTF-16 text"]
        except UnicodeDecodeError as exc:
            raise BarsError(
                f"{path.name} begins as UTF-16 text and is none from byte {exc.start:,} on: is it whole?"
            ) from exc
    if data.startswith(b"\xef\xbb\xbf"):
        data = data[3:]
    if b"\0" in data[:10_000]:
        raise BarsError(f"{path.name} is not a text file")
    return (data, []) if _is_utf8(data) else (data.decode("latin-1").encode(), ["Latin-1 text"])


def _is_utf8(data: bytes) -> bool:
    """Whether all of it is; looked at in pieces, so that a large file does not stand in memory as text."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        for start in range(0, len(data), _PIECE):
            decoder.decode(data[start : start + _PIECE])
        decoder.decode(b"", final=True)
    except UnicodeDecodeError:
        return False
    return True


def _dialect(data: bytes) -> tuple[str, str]:
    """The delimiter and the decimal sign, judged by the first lines."""
    lines = data[:65_536].decode("utf-8", "replace").splitlines()[:50]
    header = lines[0] if lines else ""
    delimiter = max((";", "\t", ","), key=lambda sign: header.count(sign))
    if delimiter == ",":
        return ",", "."
    body = [cell for line in lines[1:] for cell in line.split(delimiter)]
    commas = sum(bool(re.fullmatch(r'\s*"?-?\d+,\d+"?\s*', cell)) for cell in body)
    points = sum(bool(re.fullmatch(r'\s*"?-?\d+\.\d+"?\s*', cell)) for cell in body)
    return delimiter, "," if commas > points else "."


def _read_rows(data: bytes, delimiter: str, path: Path) -> _Rows:
    header = data.split(b"\n", 1)[0].decode("utf-8", "replace").strip("\r")
    names = [name.strip().strip('"') for name in header.split(delimiter)]
    unique = [
        name if name and names.index(name) == i else f"{name or 'column'} {i + 1}" for i, name in enumerate(names)
    ]
    odd: list[tuple[int, str]] = []

    def on_odd_row(row: csv.InvalidRow) -> str:
        odd.append((row.number, row.text))
        return "skip"

    try:
        table = csv.read_csv(
            io.BytesIO(data),
            csv.ReadOptions(column_names=unique, skip_rows=1, use_threads=False, block_size=1 << 24),
            csv.ParseOptions(delimiter=delimiter, invalid_row_handler=on_odd_row, ignore_empty_lines=False),
            csv.ConvertOptions(column_types={name: pa.string() for name in unique}, strings_can_be_null=True),
        )
    except pa.ArrowInvalid as exc:
        raise BarsError(f"{path.name} is not a readable CSV file: {str(exc).splitlines()[0]}") from exc
    if table.num_rows > MOST_ROWS:
        raise BarsError(f"{path.name} has {table.num_rows:,} rows; at most {MOST_ROWS:,}")
    lines = np.arange(2, table.num_rows + len(odd) + 2)
    skipped = np.array([number for number, _ in odd], np.int64)
    lines = lines[~np.isin(lines, skipped)][: table.num_rows]
    if table.column(0).null_count:
        filled = np.logical_or.reduce([np.asarray(column.is_valid()) for column in table.columns])
        table, lines = table.filter(pa.array(filled)), lines[filled]  # blank lines are no rows
    rows = _Rows(unique, {name: table[name] for name in unique}, lines)
    for number, text in odd:
        if text.strip():
            reason = f"it has another number of columns than the header ({len(unique)})"
            rows.reasons[reason] = rows.reasons.get(reason, 0) + 1
            rows.count += 1
            if len(rows.refused) < REFUSED_SHOWN:
                rows.refused.append(RefusedRow(number, reason, text[:120]))
    return rows


def _recognise(names: list[str], path: Path) -> dict[str, str]:
    """Which column plays which role."""
    roles: dict[str, str] = {}
    plain = {re.sub(r"[<>\[\]()]", "", name).strip().lower(): name for name in names}
    if "date" in plain and "time" in plain:
        roles["time"], roles["clock"] = plain["date"], plain["time"]
    for role, aliases in _ALIASES.items():
        for alias in aliases:
            if role not in roles and alias in plain and plain[alias] not in roles.values():
                roles[role] = plain[alias]
    missing = [role for role in ("time", *_PRICES) if role not in roles]
    if missing:
        raise BarsError(
            f"{path.name} has no column for {', '.join(missing)}; its columns are: {', '.join(names)[:200]}"
        )
    return roles


def _numbers(column: pa.ChunkedArray, decimal: str) -> Floats:
    """The column as numbers, NaN where a cell is empty or no number."""
    text = column
    if decimal == ",":
        text = pc.replace_substring(text, ",", ".")
    try:
        return _as_floats(pc.cast(text, pa.float64()))
    except pa.ArrowInvalid:
        fine = pc.match_substring_regex(text, _NUMBER)
        trimmed = pc.utf8_trim_whitespace(text)
        return _as_floats(pc.cast(pc.if_else(fine, trimmed, pa.scalar(None, pa.string())), pa.float64()))


def _as_floats(column: pa.ChunkedArray) -> Floats:
    values = pc.fill_null(column, float("nan")).combine_chunks().to_numpy(zero_copy_only=False)
    if np.isinf(values).any():  # `inf` and 1e400 are no numbers of a bar
        values = np.where(np.isinf(values), np.nan, values)
    return np.asarray(values, np.float64)


def _times(rows: _Rows, roles: dict[str, str], zone: str, notes: list[str], path: Path) -> tuple[Ints, np.ndarray]:
    """Open times in seconds UTC and whether each could be read."""
    text = rows.table[roles["time"]]
    if "clock" in roles:
        text = pc.binary_join_element_wise(text, rows.table[roles["clock"]], " ")
    sample = next((cell.as_py() for cell in text[:1000] if cell.as_py()), "")
    if len(text) == 0:
        return np.zeros(0, np.int64), np.zeros(0, np.bool_)
    if re.fullmatch(r"\d{9,10}|\d{12,13}", sample or ""):
        scale = 1000 if len(sample) >= 12 else 1
        moment = _numbers(text, ".") // scale
        fine = (moment >= _EARLIEST) & (moment < _LATEST)
        notes.append("times are seconds since 1970" if scale == 1 else "times are milliseconds since 1970")
        return np.where(fine, moment, 0).astype(np.int64), fine
    offsets: Ints | None = None
    if re.match(_OFFSET, sample) and ":" in sample:
        parts = pc.extract_regex(text, _OFFSET)
        offsets = _offset_seconds(pc.struct_field(parts, "offset"))
        text = pc.if_else(pc.is_valid(parts), pc.struct_field(parts, "moment"), text)
    text = pc.replace_substring_regex(pc.replace_substring(pc.utf8_trim_whitespace(text), "T", " "), r"\.\d+$", "")
    found = _best_format(text)
    if found is None:
        raise BarsError(f"{path.name}: times such as `{sample[:40]}` are not recognised; write 2024-01-02T10:15:00Z")
    name, parsed = found
    fine = np.asarray(parsed.is_valid().combine_chunks().to_numpy(zero_copy_only=False))
    seconds = (
        pc.fill_null(parsed, pa.scalar(0, pa.timestamp("s")))
        .combine_chunks()
        .cast(pa.int64())
        .to_numpy(zero_copy_only=False)
    )
    local = np.asarray(seconds, np.int64)
    fine = fine & (local >= _EARLIEST) & (local < _LATEST)
    local = np.where(fine, local, 0)  # a zone's offsets are looked for on every day between the first and the last
    if name != _TIME_FORMATS[0]:
        notes.append(f"times written as {_readable(name)}")
    if "%H" not in name:
        return local, fine  # dates belong to their written date
    if offsets is not None:
        daily = commonest_step(np.sort(local[fine])) >= 23 * 3600
        return (local if daily else local - offsets), fine
    if zone != "UTC":
        notes.append(f"times taken in {zone}")
        return to_utc(local, zone), fine
    return local, fine


def _offset_seconds(column: pa.ChunkedArray) -> Ints:
    """Seconds that each `Z` or `+02:00` is ahead of UTC; there are few distinct ones."""
    encoded = pc.dictionary_encode(column).combine_chunks()
    table = []
    for item in encoded.dictionary.to_pylist():
        digits = re.sub(r"\D", "", item or "")
        sign = -1 if (item or "").startswith("-") else 1
        table.append(sign * (int(digits[:2]) * 3600 + int(digits[2:4]) * 60) if len(digits) >= 4 else 0)
    indices = pc.fill_null(encoded.indices, 0).to_numpy(zero_copy_only=False).astype(np.int64)
    offsets: Ints = np.asarray(table or [0], np.int64)[indices]
    return offsets


def _best_format(text: pa.ChunkedArray) -> tuple[str, pa.ChunkedArray] | None:
    """The format that reads most of a sample, and the whole column read with it."""
    sample = text.take(pa.array(np.unique(np.linspace(0, len(text) - 1, min(len(text), 2000)).astype(np.int64))))
    best, count = None, 0
    for name in _TIME_FORMATS:
        read = pc.count(pc.strptime(sample, name, "s", error_is_null=True)).as_py()
        if read > count:
            best, count = name, read
    if best is None:
        return None
    return best, pc.strptime(text, best, "s", error_is_null=True)


def _readable(name: str) -> str:
    for sign, word in (("%Y", "YYYY"), ("%m", "MM"), ("%d", "DD"), ("%H", "hh"), ("%M", "mm"), ("%S", "ss")):
        name = name.replace(sign, word)
    return name
