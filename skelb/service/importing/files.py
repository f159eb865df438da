"""A file of bars as text, whatever it came in: plain, gz, zip, a table of Parquet, Arrow or Feather, a spreadsheet."""

import gzip
import io
import zipfile
from pathlib import Path
from typing import IO

import pyarrow as pa
import pyarrow.parquet
from pyarrow import csv, feather

from skelb.core.errors import BarsError
from skelb.service.importing.sheets import ENDINGS as SHEETS
from skelb.service.importing.sheets import is_spreadsheet, sheet_text
from skelb.service.zips import BROKEN

MOST_ROWS = 5_000_000
MOST_BYTES = 1024 * 1024 * 1024
_TEXTS = (".csv", ".txt", ".tsv")
ENDINGS = (*_TEXTS, ".gz", ".zip", ".parquet", ".feather", ".arrow", *SHEETS)
_PIECE = 1 << 20


def text_of(path: Path) -> tuple[bytes, list[str]]:
    """The bytes of a file's CSV text, and notes on what it came in.

    Raises BarsError when it cannot be read, is too large packed or unpacked, is not whole, or holds no text.
    """
    try:
        size = path.stat().st_size
        if size > MOST_BYTES:
            raise BarsError(f"{path.name} has {size / 2**20:,.0f} MB; at most {MOST_BYTES / 2**20:,.0f}")
        data = path.read_bytes()
    except OSError as exc:
        raise BarsError(f"{path} cannot be read: {exc.strerror}") from exc
    try:
        if data.startswith(b"\x1f\x8b"):
            with gzip.open(io.BytesIO(data)) as packed:
                return _bounded(packed, path), ["unpacked from gz"]
        if data.startswith(b"PK\x03\x04"):
            return _from_zip(data, path)
        if data.startswith(b"PAR1"):
            return _from_table(pa.parquet.read_table(io.BytesIO(data)), path), ["a Parquet table"]
        if data.startswith((b"ARROW1", b"FEA1")):
            return _from_table(feather.read_table(io.BytesIO(data)), path), ["an Arrow table"]
    except (*BROKEN, pa.ArrowInvalid) as exc:
        raise BarsError(f"{path.name} cannot be unpacked: is it whole? ({str(exc).splitlines()[0]})") from exc
    return data, []


def _from_zip(data: bytes, path: Path) -> tuple[bytes, list[str]]:
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        if is_spreadsheet(packed):
            rows, note = sheet_text(data, path)
            return rows, [note]
        texts = [item for item in packed.infolist() if item.filename.lower().endswith(_TEXTS)]
        if len(texts) != 1:
            listed = ", ".join(item.filename for item in packed.infolist()[:5])
            raise BarsError(
                f"{path.name} holds {len(texts)} CSV files ({listed}): unpack it and import them one by one"
            )
        if texts[0].flag_bits & 1:
            raise BarsError(f"{path.name} is locked with a password: unpack it first")
        with packed.open(texts[0]) as text:
            return _bounded(text, path), [f"{texts[0].filename}, unpacked from zip"]


def _bounded(packed: IO[bytes] | gzip.GzipFile, path: Path) -> bytes:
    """All of a packed text, unless it grows beyond what is read at once."""
    found = bytearray()
    while piece := packed.read(_PIECE):
        found += piece
        if len(found) > MOST_BYTES:
            raise BarsError(f"{path.name} unpacks to more than {MOST_BYTES / 2**20:,.0f} MB, the most that is read")
    return bytes(found)


def _from_table(table: pa.Table, path: Path) -> bytes:
    """A table's columns as CSV text; moments in ISO 8601, what is not a plain value left out."""
    if table.num_rows > MOST_ROWS:
        raise BarsError(f"{path.name} has {table.num_rows:,} rows; at most {MOST_ROWS:,}")
    columns = {}
    for name, column in zip(table.column_names, table.columns, strict=True):
        kind = column.type
        if pa.types.is_timestamp(kind):
            column = column.cast(pa.timestamp("s", tz=kind.tz), safe=False)
            column = column.cast(pa.timestamp("s", tz="UTC")) if kind.tz else column
            column = pa.compute.strftime(column, "%Y-%m-%dT%H:%M:%S" + ("Z" if kind.tz else ""))
        if not (pa.types.is_nested(kind) or pa.types.is_binary(kind)):
            columns[name] = column
    sink = io.BytesIO()
    csv.write_csv(pa.table(columns), sink)
    return sink.getvalue()
