"""The first sheet of a spreadsheet as CSV text."""

import csv
import io
import zipfile
from collections.abc import Iterable, Sequence
from datetime import date, datetime, time
from pathlib import Path

from python_calamine import CalamineError, CalamineWorkbook

from skelb.core.errors import BarsError

ENDINGS = (".xlsx", ".xlsm", ".ods")
_INSIDE = {"xl/workbook.xml", "content.xml"}  # of an Office Open XML or an OpenDocument package
_MOST_UNPACKED = 512 * 1024 * 1024
_FEWEST_CELLS = 4  # of a row of bars, or of their names: what stands above has fewer


def is_spreadsheet(packed: zipfile.ZipFile) -> bool:
    """Whether a zip is a spreadsheet's package."""
    return not _INSIDE.isdisjoint(packed.namelist())


def sheet_text(data: bytes, path: Path) -> tuple[bytes, str]:
    """The rows of the first sheet as CSV, from the first that can be of bars; and what was read.

    Raises BarsError when it cannot be read, unpacks to more than 512 MB or has no such row.
    """
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        if sum(item.file_size for item in packed.infolist()) > _MOST_UNPACKED:
            raise BarsError(
                f"{path.name} unpacks to more than {_MOST_UNPACKED / 2**20:,.0f} MB: save the sheet as CSV, or its"
                " years apart"
            )
    try:
        with CalamineWorkbook.from_filelike(io.BytesIO(data)) as book:
            if not book.sheet_names:
                raise BarsError(f"{path.name} has no sheet")
            name, *others = book.sheet_names
            text = _as_csv(book.get_sheet_by_name(name).iter_rows())
    except CalamineError as exc:
        raise BarsError(f"{path.name} cannot be read as a spreadsheet: {str(exc).splitlines()[0]}") from exc
    if not text:
        raise BarsError(f"the sheet “{name}” of {path.name} has no row with {_FEWEST_CELLS} cells and more")
    beside = f", the first of {len(others) + 1}" if others else ""
    return text, f"the sheet “{name}”{beside}"


def _as_csv(rows: Iterable[Sequence[object]]) -> bytes:
    sink = io.StringIO()
    writer = csv.writer(sink, lineterminator="\n")
    has_begun = False
    for row in rows:
        has_begun = has_begun or sum(cell != "" for cell in row) >= _FEWEST_CELLS
        if has_begun:
            writer.writerow([_written(cell) for cell in row])
    return sink.getvalue().encode()


def _written(cell: object) -> object:
    if isinstance(cell, datetime):
        return cell.isoformat(" ", "seconds")
    return cell.isoformat() if isinstance(cell, date | time) else cell
