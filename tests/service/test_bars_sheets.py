"""Bars in spreadsheets, written here by hand as the open standards have them."""

import zipfile
from datetime import UTC, datetime

import numpy as np
import pytest

from skelb.core.errors import BarsError
from skelb.service.importing import sheets
from skelb.service.importing.bars_csv import read_bars_csv
from tests.conftest import wave_bars

BARS = wave_bars(60)
COLUMNS = ("open", "high", "low", "close", "volume")
HEAD = ["Date", "Open", "High", "Low", "Close", "Volume"]


def rows_of(bars):
    for at, moment in enumerate(bars.time):
        yield [
            datetime.fromtimestamp(int(moment), UTC).replace(tzinfo=None),
            *(getattr(bars, name)[at] for name in COLUMNS),
        ]


def xlsx(path, rows, names=("Sheet1",)):
    """An Office Open XML workbook: numbers, texts in place, and dates as days since 1899-12-30 in style 1."""

    def cell(value):
        if isinstance(value, datetime):
            return f'<c s="1"><v>{(value - datetime(1899, 12, 30)).total_seconds() / 86_400!r}</v></c>'
        return f'<c t="inlineStr"><is><t>{value}</t></is></c>' if isinstance(value, str) else f"<c><v>{value!r}</v></c>"

    main = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
    rel = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    pack = "http://schemas.openxmlformats.org/package/2006"
    body = "".join(f"<row>{''.join(cell(value) for value in row)}</row>" for row in rows)
    sheets = "".join(f'<sheet name="{name}" sheetId="{at}" r:id="rId{at}"/>' for at, name in enumerate(names, 1))
    links = "".join(
        f'<Relationship Id="rId{at}" Type="{rel}/worksheet" Target="worksheets/sheet{at}.xml"/>'
        for at in range(1, len(names) + 1)
    )
    files = {
        "[Content_Types].xml": f'<Types xmlns="{pack}/content-types"><Default Extension="xml" ContentType="application/xml"/></Types>',
        "_rels/.rels": f'<Relationships xmlns="{pack}/relationships"><Relationship Id="rId1" Type="{rel}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'<workbook {main} xmlns:r="{rel}"><sheets>{sheets}</sheets></workbook>',
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{pack}/relationships">{links}<Relationship Id="rId99" Type="{rel}/styles" Target="styles.xml"/></Relationships>',
        "xl/styles.xml": f'<styleSheet {main}><cellXfs><xf numFmtId="0"/><xf numFmtId="22"/></cellXfs></styleSheet>',
        **{
            f"xl/worksheets/sheet{at}.xml": f"<worksheet {main}><sheetData>{body if at == 1 else ''}</sheetData></worksheet>"
            for at in range(1, len(names) + 1)
        },
    }
    return packed(path, files)


def ods(path, rows):
    """An OpenDocument spreadsheet."""

    def cell(value):
        if isinstance(value, datetime):
            return f'<table:table-cell office:value-type="date" office:date-value="{value.isoformat()}"/>'
        if isinstance(value, str):
            return f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>'
        return f'<table:table-cell office:value-type="float" office:value="{value!r}"/>'

    space = "urn:oasis:names:tc:opendocument:xmlns"
    spaces = " ".join(f'xmlns:{name}="{space}:{name}:1.0"' for name in ("office", "table", "text"))
    body = "".join(f"<table:table-row>{''.join(cell(value) for value in row)}</table:table-row>" for row in rows)
    content = f'<office:document-content {spaces}><office:body><office:spreadsheet><table:table table:name="Bars">{body}</table:table></office:spreadsheet></office:body></office:document-content>'
    return packed(path, {"mimetype": "application/vnd.oasis.opendocument.spreadsheet", "content.xml": content,
                         "META-INF/manifest.xml": f'<manifest:manifest xmlns:manifest="{space}:manifest:1.0"/>'})  # fmt: skip


def packed(path, files):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        for name, text in files.items():
            package.writestr(name, text)
    return path


def plain(rows):
    return [[value if isinstance(value, str | datetime) else float(value) for value in row] for row in rows]


def assert_same(found):
    np.testing.assert_array_equal(found.time, BARS.time)
    for name in COLUMNS:
        np.testing.assert_array_equal(getattr(found, name), getattr(BARS, name))


@pytest.mark.parametrize("write", [xlsx, ods])
def test_the_first_sheet_holds_the_bars(tmp_path, write):
    name = "bars.xlsx" if write is xlsx else "bars.ods"
    above = [["Prices of a quarter of an hour"], [], HEAD]
    found = read_bars_csv(write(tmp_path / name, [*above, *plain(rows_of(BARS))]))
    assert_same(found.bars)
    assert found.refused_count == 0 and any("the sheet" in note for note in found.notes)


def test_of_several_sheets_the_first_is_read_and_said(tmp_path):
    found = read_bars_csv(xlsx(tmp_path / "two.xlsx", [HEAD, *plain(rows_of(BARS))], ("First", "Second")))
    assert_same(found.bars)
    assert "the sheet “First”, the first of 2" in found.notes


def test_a_bad_row_is_refused_by_its_line_and_a_date_alone_is_a_day(tmp_path):
    rows = plain(rows_of(BARS))
    rows[3][2] = "n/a"
    assert read_bars_csv(xlsx(tmp_path / "bad.xlsx", [HEAD, *rows])).reasons == {"the high is not a number": 1}
    days = [[datetime(2024, 1, 1 + at), *row[1:]] for at, row in enumerate(plain(rows_of(BARS))[:25])]
    assert read_bars_csv(ods(tmp_path / "days.ods", [HEAD, *days])).bars.dated


def test_what_is_no_sheet_of_bars_is_told(tmp_path, monkeypatch):
    with pytest.raises(BarsError, match="has no row with 4 cells"):
        read_bars_csv(xlsx(tmp_path / "few.xlsx", [["a", "b"], ["c", "d"]]))
    with pytest.raises(BarsError, match="has no column for"):
        read_bars_csv(xlsx(tmp_path / "other.xlsx", [["a", "b", "c", "d"], ["1", "2", "3", "4"]]))
    with pytest.raises(BarsError, match="cannot be read as a spreadsheet"):
        read_bars_csv(packed(tmp_path / "broken.xlsx", {"xl/workbook.xml": "<not", "[Content_Types].xml": "<"}))
    whole = xlsx(tmp_path / "whole.xlsx", [HEAD, *plain(rows_of(BARS))])
    monkeypatch.setattr(sheets, "_MOST_UNPACKED", 1_000)
    with pytest.raises(BarsError, match="unpacks to more than"):
        read_bars_csv(whole)
