"""Reading bars from CSV files as people have them: columns, times and decimals recognised, bad rows refused."""

import codecs
import io
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv

from skelb.core.bars import Bars, Floats, Ints, Timeframe, commonest_step, find_faults, is_zone, timeframe_of_step
from skelb.core.bars.calendar import to_utc
from skelb.core.errors import BarsError, SettingsError
from skelb.service.importing.files import MOST_ROWS, text_of

REFUSED_SHOWN = 200
_PIECE = 1 << 20
_HEAD, _HEAD_ROWS = 1 << 16, 6
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
_OFFSET = r"^(?P<moment>.*?)\s*(?P<offset>Z|[+-]\d{2}(?::?\d{2})?)$"
_TIME_FORMATS = (
    "%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%d",
    "%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M", "%d.%m.%Y",
    "%Y/%m/%d %H:%M:%S", "%Y/%m/%d %H:%M", "%Y/%m/%d",
    "%d/%m/%Y %H:%M:%S", "%d/%m/%Y %H:%M", "%d/%m/%Y",
    "%m/%d/%Y %H:%M:%S", "%m/%d/%Y %H:%M", "%m/%d/%Y",
    "%Y%m%d %H%M%S", "%Y%m%d %H:%M:%S", "%Y%m%d %H:%M", "%Y%m%d%H%M%S", "%Y%m%d%H%M", "%Y%m%d",
    "%b %d %Y %H:%M:%S", "%b %d %Y %H:%M", "%b %d %Y", "%d %b %Y %H:%M:%S", "%d %b %Y %H:%M", "%d %b %Y",
)  # fmt: skip
_SHORT = {"K": 3, "M": 6, "B": 9}
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
    """Text columns on their way to bars, with the file line of each row, and how many lines are headers."""

    names: list[str]
    table: dict[str, pa.ChunkedArray]
    lines: Ints
    headers: int
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


def read_bars_csv(path: Path, zone: str = "UTC", columns: Mapping[str, str] | None = None) -> BarsFile:
    """The bars of a file; times without an offset are taken in `zone`, `columns` says which column has which role.

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
    if rows.headers > 1:
        notes.append("a second row of headers under the first, passed over: take the other out if its names are better")
    del data  # the columns hold it all now; a large file should not stand in memory twice
    _take_mids(rows, decimal, notes)
    roles = _recognise(rows.names, path, columns or {})
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


def columns_by_role(items: Iterable[str], what: str) -> dict[str, str]:
    """Columns by role, each written as close=Last, or volume= for none. Raises SettingsError when one is not."""
    found = {}
    for item in items:
        role, sign, name = item.partition("=")
        if not sign:
            raise SettingsError(f"{what} takes ROLE=COLUMN, such as time=Date, not `{item}`")
        found[role.strip().lower()] = name.strip()
    return found


@dataclass(frozen=True, slots=True)
class FileColumns:
    """The columns of a file by name, its first rows as they are written, and which column is taken for what."""

    names: list[str]
    rows: list[list[str]]
    roles: dict[str, str]


def read_columns(path: Path) -> FileColumns:
    """What the columns of a file are, whether or not bars can be read of it. Raises BarsError when it is no table."""
    data, _ = _load(path)
    head = data[:_HEAD] if len(data) <= _HEAD else data[:_HEAD].rpartition(b"\n")[0]
    delimiter, decimal = _dialect(head)
    rows = _read_rows(head, delimiter, path)
    _take_mids(rows, decimal, [])
    shown = range(min(_HEAD_ROWS, rows.lines.size))
    cells = [[str(rows.table[name][row].as_py() or "") for name in rows.names] for row in shown]
    return FileColumns(rows.names, cells, _roles(rows.names, path, {}))


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
    used = set(roles.values()) | {"column 1"}  # a first column without a name counts rows
    extra = {name: _numbers(rows.table[name], decimal)[kept] for name in rows.names if name not in used}
    extra = {name: values for name, values in extra.items() if not np.isnan(values).all()}
    opens, highs, lows, closes, volumes = (numbers[name][kept] for name in (*_PRICES, "volume"))
    bars = Bars(timeframe, times, opens, highs, lows, closes, volumes, columns=extra, dated=dated)
    rows.refused.sort(key=lambda row: row.line)
    return BarsFile(bars, rows.refused, rows.count, rows.reasons, notes, roles)


def _load(path: Path) -> tuple[bytes, list[str]]:
    data, notes = text_of(path)
    if not data.strip():
        raise BarsError(f"{path.name} is empty")
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        try:
            return data.decode("utf-16").encode(), [*notes, "UTF-16 text"]
        except UnicodeDecodeError as exc:
            raise BarsError(
                f"{path.name} begins as UTF-16 text and is none from byte {exc.start:,} on: is it whole?"
            ) from exc
    if data.startswith(b"\xef\xbb\xbf"):
        data = data[3:]
    if b"\0" in data[:10_000]:
        raise BarsError(f"{path.name} is not a text file")
    return (data, notes) if _is_utf8(data) else (data.decode("latin-1").encode(), [*notes, "Latin-1 text"])


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
    names[0] = names[0].lstrip("# ")  # as numerical tools mark a header
    has_header = not _is_row(names)
    headers = 1 + _has_second_header(data, delimiter) if has_header else 0
    if not has_header:
        names = _guessed(names)
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
            csv.ReadOptions(column_names=unique, skip_rows=headers, use_threads=False, block_size=1 << 24),
            csv.ParseOptions(delimiter=delimiter, invalid_row_handler=on_odd_row, ignore_empty_lines=False),
            csv.ConvertOptions(column_types={name: pa.string() for name in unique}, strings_can_be_null=True),
        )
    except pa.ArrowInvalid as exc:
        raise BarsError(f"{path.name} is not a readable CSV file: {str(exc).splitlines()[0]}") from exc
    if table.num_rows > MOST_ROWS:
        raise BarsError(f"{path.name} has {table.num_rows:,} rows; at most {MOST_ROWS:,}")
    first = headers + 1
    lines = np.arange(first, table.num_rows + len(odd) + first)
    skipped = np.array([number for number, _ in odd], np.int64)
    lines = lines[~np.isin(lines, skipped)][: table.num_rows]
    if table.column(0).null_count:
        filled = np.logical_or.reduce([np.asarray(column.is_valid()) for column in table.columns])
        table, lines = table.filter(pa.array(filled)), lines[filled]  # blank lines are no rows
    rows = _Rows(unique, {name: table[name] for name in unique}, lines, headers)
    for number, text in odd:
        if text.strip():
            reason = f"it has another number of columns than the header ({len(unique)})"
            rows.reasons[reason] = rows.reasons.get(reason, 0) + 1
            rows.count += 1
            if len(rows.refused) < REFUSED_SHOWN:
                rows.refused.append(RefusedRow(number, reason, text[:120]))
    return rows


def _take_mids(rows: _Rows, decimal: str, notes: list[str]) -> None:
    """Where prices come as bids and asks, their middles and the spread at the close stand in their place."""
    plain = {re.sub(r"[^a-z]", "", name.lower()): name for name in rows.names}
    sides = {
        price: [plain.get(f"{side}{price}") or plain.get(f"{price}{side}") for side in ("bid", "ask")]
        for price in _PRICES
    }
    if any(None in pair for pair in sides.values()) or any(price in plain for price in _PRICES):
        return
    for price, (bid, ask) in sides.items():
        low, high = (_numbers(rows.table[str(name)], decimal) for name in (bid, ask))
        rows.table[price] = _as_text((low + high) / 2.0)
        if price == "close":
            rows.table["spread"] = _as_text(high - low)
    gone = {str(name) for pair in sides.values() for name in pair}
    rows.names = [*(name for name in rows.names if name not in gone | {"spread"}), *_PRICES, "spread"]
    notes.append("prices are the middles of bid and ask, the spread is that of the close")


def _as_text(values: Floats) -> pa.ChunkedArray:
    """Numbers as a column of a file has them; unknown ones empty."""
    return pa.chunked_array([pc.cast(pa.array(np.round(values, 10), from_pandas=True), pa.string())])


def _is_row(cells: list[str]) -> bool:
    """Whether a file's first line is bars already: numbers but for a date and a clock at its beginning."""
    numbers = sum(bool(re.fullmatch(_NUMBER, cell)) for cell in cells)
    return len(cells) >= 5 and numbers >= len(cells) - 2 and any(sign.isdigit() for sign in cells[0])


def _has_second_header(data: bytes, delimiter: str) -> bool:
    """Whether the second line has words and no number at all, and the third is bars."""
    lines = data[:65_536].decode("utf-8", "replace").splitlines()[1:3]
    rows = [[cell.strip().strip('"') for cell in line.split(delimiter)] for line in lines]
    if len(rows) < 2 or not any(rows[0]) or any(re.fullmatch(_NUMBER, cell) for cell in rows[0]):
        return False
    return not any(sign.isdigit() for sign in rows[0][0]) and sum(bool(re.fullmatch(_NUMBER, c)) for c in rows[1]) >= 4


def _guessed(cells: list[str]) -> list[str]:
    """Names for the columns of a file without a header, in the order that such files have."""
    clock = ["clock"] if re.fullmatch(r"\d{1,2}:\d{2}(:\d{2})?|\d{6}|\d{4}", cells[1]) and ":" not in cells[0] else []
    known = ["time", *clock, "open", "high", "low", "close", "volume"]
    return [*known[: len(cells)], *(f"column {place + 1}" for place in range(len(known), len(cells)))]


def _recognise(names: list[str], path: Path, given: Mapping[str, str]) -> dict[str, str]:
    """Which column plays which role. Raises BarsError when bars lack one."""
    roles = _roles(names, path, given)
    missing = [role for role in ("time", *_PRICES) if role not in roles]
    if missing:
        raise BarsError(
            f"{path.name} has no column for {', '.join(missing)}; its columns are: {', '.join(names)[:200]}"
        )
    return roles


def _roles(names: list[str], path: Path, given: Mapping[str, str]) -> dict[str, str]:
    """Which column plays which role, as it is given (none, by an empty name) or by its name; as far as can be told."""
    for role, name in given.items():
        if role not in _ALIASES:
            raise BarsError(f"`{role}` is no role of a column; they are: {', '.join(_ALIASES)}")
        if name and name not in names:
            raise BarsError(f"{path.name} has no column `{name}`; its columns are: {', '.join(names)[:200]}")
    roles = dict(given)
    names = [name for name in names if name not in roles.values()]  # what is given is nothing else besides
    plain = {re.sub(r"[<>\[\]()]", "", name).strip().lower(): name for name in names}
    if "date" in plain and "time" in plain and not given.keys() & {"time", "clock"}:
        roles["time"], roles["clock"] = plain["date"], plain["time"]
    for role, aliases in _ALIASES.items():
        for alias in aliases:
            if role not in roles and alias in plain and plain[alias] not in roles.values():
                roles[role] = plain[alias]
    return {role: name for role, name in roles.items() if name}


def _numbers(column: pa.ChunkedArray, decimal: str) -> Floats:
    """The column as numbers, NaN where a cell is empty or no number."""
    text = column
    if decimal == ",":
        text = pc.replace_substring(text, ",", ".")
    try:
        return _as_floats(pc.cast(text, pa.float64()))
    except pa.ArrowInvalid:
        trimmed = pc.utf8_trim_whitespace(text)
        if decimal == ".":  # 1,469.00: the commas stand between thousands
            grouped = pc.match_substring_regex(trimmed, r"^[+-]?\d{1,3}(,\d{3})+(\.\d*)?$")
            trimmed = pc.if_else(grouped, pc.replace_substring(trimmed, ",", ""), trimmed)
        for sign, power in _SHORT.items():  # 12.3K
            short = pc.match_substring_regex(trimmed, rf"^\d+(\.\d+)?{sign}$", ignore_case=True)
            trimmed = pc.if_else(short, pc.replace_substring_regex(trimmed, r"[A-Za-z]$", f"e{power}"), trimmed)
        fine = pc.match_substring_regex(trimmed, _NUMBER)
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
    if unit := _epoch_unit(sample):
        scale, name = unit
        moment = _numbers(text, ".") // scale
        fine = (moment >= _EARLIEST) & (moment < _LATEST)
        notes.append(f"times are {name} since 1970")
        return np.where(fine, moment, 0).astype(np.int64), fine
    offsets: Ints | None = None
    if re.match(_OFFSET, sample) and ":" in sample:
        parts = pc.extract_regex(text, _OFFSET)
        offsets = _offset_seconds(pc.struct_field(parts, "offset"))
        text = pc.if_else(pc.is_valid(parts), pc.struct_field(parts, "moment"), text)
    text = pc.replace_substring_regex(pc.utf8_trim_whitespace(text), r"^(\d{4}-\d{2}-\d{2})T", r"\1 ")
    text = pc.replace_substring_regex(text, r"\.\d+$", "")
    if re.search(r"[A-Za-z]{3}", sample):  # a month by its name: Jan 02, 2024 and 2-Jan-2024
        text = pc.replace_substring_regex(text, r"([A-Za-z]{3})[a-z]*\.?", r"\1")
        text = pc.replace_substring_regex(text, r"[,\s-]+", " ")
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


_STAMP = r"(19|20)\d\d(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])([01]\d|2[0-3])[0-5]\d([0-5]\d)?"  # 202401021530
_EPOCHS = ((1, "seconds"), (10**3, "milliseconds"), (10**6, "microseconds"), (10**9, "nanoseconds"))


def _epoch_unit(sample: str) -> tuple[int, str] | None:
    """What a number counts since 1970, by its size; None for what is no such number, or a date or moment
    such as 20240102 and 202401021530."""
    if re.fullmatch(_STAMP, sample.strip()):
        return None
    if not re.fullmatch(r"\d{9,19}(\.\d*)?|\d(\.\d+)?[eE]\+?\d{1,2}", sample.strip()):
        return None
    return next(((scale, name) for scale, name in _EPOCHS if 1e8 <= float(sample) / scale < _LATEST), None)


def _offset_seconds(column: pa.ChunkedArray) -> Ints:
    """Seconds that each `Z` or `+02:00` is ahead of UTC; there are few distinct ones."""
    encoded = pc.dictionary_encode(column).combine_chunks()
    table = []
    for item in encoded.dictionary.to_pylist():
        digits = re.sub(r"\D", "", item or "")
        sign = -1 if (item or "").startswith("-") else 1
        table.append(sign * (int(digits[:2]) * 3600 + int(digits[2:4] or 0) * 60) if digits else 0)
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


_PARTS = {"%Y": "YYYY", "%m": "MM", "%d": "DD", "%H": "hh", "%M": "mm", "%S": "ss", "%b": "Jan"}


def _readable(name: str) -> str:
    return re.sub("%.", lambda found: _PARTS[found[0]], name)
