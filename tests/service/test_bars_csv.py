"""Files of bars as people have them: recognised, or refused row by row."""

import gzip
import io
import zipfile

import numpy as np
import pyarrow as pa
import pyarrow.parquet
import pytest
from pyarrow import feather

from skelb.core.errors import BarsError, SettingsError
from skelb.service.importing.bars_csv import columns_by_role, read_bars_csv, read_columns
from tests.conftest import wave_bars, write_csv

HEADER = "time,open,high,low,close,volume\n"
GOOD = "2024-01-02T10:00:00Z,1,2,0.5,1.5,10\n2024-01-02T10:15:00Z,1,2,0.5,1.5,10\n2024-01-02T10:30:00Z,1,2,0.5,1.5,10\n"
TEN = 1_704_189_600


def zipped(files):
    sink = io.BytesIO()
    with zipfile.ZipFile(sink, "w") as made:
        for name, text in files.items():
            made.writestr(name, text, zipfile.ZIP_DEFLATED)
    return sink.getvalue()


def tabled(form):
    """The same bars as a table with moments of a zone, as tools write it."""
    moments = pa.array([(TEN + k * 900) * 1000 for k in range(3)], pa.timestamp("ms", tz="Europe/Helsinki"))
    prices = {"open": [1.0] * 3, "high": [2.0] * 3, "low": [0.5] * 3, "close": [1.5] * 3, "volume": [10] * 3}
    table, sink = pa.table({"time": moments, **prices}), io.BytesIO()
    (pa.parquet.write_table if form == "parquet" else feather.write_feather)(table, sink)
    return sink.getvalue()


def read(tmp_path, text, **options):
    path = tmp_path / "bars.csv"
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return read_bars_csv(path, **options)


@pytest.mark.parametrize(
    "text",
    [
        pytest.param(HEADER + GOOD, id="the contract"),
        pytest.param("\ufeff" + HEADER + GOOD.replace("\n", "\r\n"), id="byte order mark and CRLF"),
        pytest.param("Date;Time;Open;High;Low;Close;Vol\n" + "".join(f"02.01.2024;10:{m};1,0;2,0;0,5;1,5;10\n" for m in ("00", "15", "30")), id="semicolons, decimal commas, two time columns"),
        pytest.param("<DATE>\t<TIME>\t<OPEN>\t<HIGH>\t<LOW>\t<CLOSE>\t<VOL>\n" + "".join(f"20240102\t10:{m}:00\t1\t2\t0.5\t1.5\t10\n" for m in ("00", "15", "30")), id="tabs and brackets"),
        pytest.param("timestamp,o,h,l,c,v\n" + "".join(f"{TEN + k * 900},1,2,0.5,1.5,10\n" for k in range(3)), id="seconds since 1970"),
        pytest.param("timestamp,o,h,l,c,v\n" + "".join(f"{(TEN + k * 900) * 1000},1,2,0.5,1.5,10\n" for k in range(3)), id="milliseconds since 1970"),
        pytest.param(HEADER + GOOD.replace("T10:", "T12:").replace("Z", "+02:00"), id="offsets"),
        pytest.param(HEADER + "".join(reversed(GOOD.splitlines(True))), id="latest first"),
        pytest.param((HEADER + GOOD).encode("utf-16"), id="UTF-16"),
        pytest.param(HEADER + GOOD + "\n\n", id="blank lines at the end"),
        pytest.param(GOOD, id="no header"),
        pytest.param("".join(f"2024.01.02,10:{m},1,2,0.5,1.5,10\n" for m in ("00", "15", "30")).replace("2024.01.02", "20240102"), id="no header, date and clock apart"),
        pytest.param("# time,open,high,low,close,volume\n" + GOOD, id="a marked header"),
        pytest.param("," + HEADER + "".join(f"{k},{line}\n" for k, line in enumerate(GOOD.splitlines())), id="an index column without a name"),
        pytest.param("timestamp,o,h,l,c,v\n" + "".join(f"{(TEN + k * 900) * 10**6},1,2,0.5,1.5,10\n" for k in range(3)), id="microseconds since 1970"),
        pytest.param("timestamp,o,h,l,c,v\n" + "".join(f"{(TEN + k * 900) * 10**9},1,2,0.5,1.5,10\n" for k in range(3)), id="nanoseconds since 1970"),
        pytest.param("timestamp,o,h,l,c,v\n" + "".join(f"{TEN + k * 900}.0,1,2,0.5,1.5,10\n" for k in range(3)), id="seconds with a point"),
        pytest.param("timestamp,o,h,l,c,v\n" + "".join(f"{(TEN + k * 900) / 1e9:.9f}e+09,1,2,0.5,1.5,10\n" for k in range(3)), id="seconds with a power of ten"),
        pytest.param(HEADER + GOOD.replace("Z", "+00"), id="short offsets"),
        pytest.param(HEADER + "".join(f'"Jan 02, 2024 10:{m}",1,2,0.5,1.5,10\n' for m in ("00", "15", "30")), id="a month by its name"),
        pytest.param(HEADER + "".join(f"2-Jan-2024 10:{m}:00,1,2,0.5,1.5,10\n" for m in ("00", "15", "30")), id="a month by its name, hyphens"),
        pytest.param(HEADER + "".join(f"2 January 2024 10:{m},1,2,0.5,1.5,0.01K\n" for m in ("00", "15", "30")), id="a whole month, thousands short"),
        pytest.param("time,bid_open,bid_high,bid_low,bid_close,ask_open,ask_high,ask_low,ask_close,volume\n" + "".join(f"2024-01-02T10:{m}:00Z,0.9,1.9,0.4,1.4,1.1,2.1,0.6,1.6,10\n" for m in ("00", "15", "30")), id="bids and asks"),
        pytest.param(HEADER + "".join(f"2024010210{m},1,2,0.5,1.5,10\n" for m in ("00", "15", "30")), id="a stamp to the minute"),
        pytest.param("".join(f"2024010210{m}00,1,2,0.5,1.5,10\n" for m in ("00", "15", "30")), id="a stamp to the second, no header"),
        pytest.param(gzip.compress((HEADER + GOOD).encode(), mtime=0), id="gz"),
        pytest.param(zipped({"bars.csv": HEADER + GOOD, "read me.md": "words"}), id="zip"),
        pytest.param(tabled("parquet"), id="parquet"),
        pytest.param(tabled("feather"), id="feather"),
    ],
)  # fmt: skip
def test_many_forms_are_the_same_bars(tmp_path, text):
    file = read(tmp_path, text)
    assert file.bars.time.tolist() == [TEN, TEN + 900, TEN + 1800]
    assert (str(file.bars.timeframe), file.refused_count) == ("15m", 0)
    assert (
        file.bars.close.tolist() == [1.5] * 3
        and file.bars.low.tolist() == [0.5] * 3
        and file.bars.volume.tolist() == [10] * 3
    )


def test_rows_that_are_no_bars_are_refused_with_their_lines(tmp_path):
    bad = (
        "2024-01-02T10:45:00Z,1,x,0.5,1.5,10\n"  # line 5
        "2024-01-02T11:00:00Z,1,0.2,0.5,0.3,10\n"
        "2024-01-02T10:15:00Z,1,2,0.5,1.5,10\n"
        "2024-01-02T11:15:00Z,3,2,0.5,1.5,10\n"
        "not a time,1,2,0.5,1.5,10\n"
        "1,2\n"
        "2024-01-02T11:30:00Z,nan,2,0.5,1.5,10\n"
        "2024-01-02T11:45:00Z,1,2,0.5,1.5,-10\n"
        "2024-01-02T12:00:00Z,1,2,0.5,1.5,10\n"
    )
    file = read(tmp_path, HEADER + GOOD + bad)
    assert [(row.line, row.reason.split(" ")[1]) for row in file.refused] == [
        (5, "high"), (6, "high"), (7, "time"), (8, "open"), (9, "time"), (10, "has"), (11, "open"), (12, "volume"),
    ]  # fmt: skip
    assert file.refused_count == 8 and len(file.bars) == 4


@pytest.mark.parametrize("second", [",KELP,KELP,KELP,KELP,", "utc,crowns,crowns,crowns,crowns,lots"])
def test_a_second_row_of_headers_is_passed_over_and_said(tmp_path, second):
    file = read(tmp_path, f"{HEADER}{second}\n{GOOD}2024-01-02T10:45:00Z,1,2,1.6,1.5,10\n")
    assert file.refused_count == 1 and file.refused[0].line == 6 and len(file.bars) == 3
    assert any("second row of headers" in note for note in file.notes)
    once = read(tmp_path, HEADER + GOOD.replace("1,2,0.5,1.5,10", ",,,,", 1))
    assert once.refused_count == 1 and not any("second row" in note for note in once.notes)


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "is empty"), (HEADER, "holds no bar"), ("time,open,high\n1,2,3\n", "no column for low, close"),
        ("a\n1\n", "no column for time"), (HEADER + "yesterday,1,2,1,2,3\n", "not recognised"),
        (HEADER + "2024-01-02T10:00:00Z,x,2,1,2,3\n", "open is not a number"), (b"\x00\x01" * 100, "not a text file"),
        (HEADER + GOOD.replace("10:15:00", "10:00:20").replace("10:30:00", "10:00:40"), "whole number of minutes"),
    ],
)  # fmt: skip
def test_files_without_bars_say_why(tmp_path, text, why):
    with pytest.raises(BarsError, match=why):
        read(tmp_path, text)
    with pytest.raises(BarsError, match="cannot be read"):
        read_bars_csv(tmp_path / "missing.csv")


@pytest.mark.parametrize(
    ("row", "reason"),
    [
        ("9999-12-30T10:45:00Z,1,2,0.5,1.5,10", "1900 to 2199"),
        ("0001-01-01T10:45:00Z,1,2,0.5,1.5,10", "1900 to 2199"),
        ("2024-01-02T10:45:00Z,1,2e308,0.5,1.5,10", "high is not a number"),
        ("2024-01-02T10:45:00Z,1,inf,0.5,1.5,10", "high is not a number"),
        ("2024-01-02T10:45:00Z,1,2,0.5,1.5,inf", "volume is not a number"),
        ("2024-01-02T10:45:00Z,1,1e300,0.5,1.5,10", "beyond 1,000,000,000,000"),
    ],
)
@pytest.mark.parametrize("zone", ["UTC", "Europe/Berlin"])
def test_what_no_chart_can_hold_is_refused_with_its_line(tmp_path, row, reason, zone):
    file = read(tmp_path, HEADER + GOOD + row + "\n", zone=zone)
    assert len(file.bars) == 3 and [item.line for item in file.refused] == [5]
    assert reason in file.refused[0].reason


@pytest.mark.parametrize("moment", [9_999_999_999_999, 10**25])
def test_seconds_beyond_all_years_are_refused(tmp_path, moment):
    rows = "".join(f"{TEN + k * 900},1,2,0.5,1.5,10\n" for k in range(3))
    file = read(tmp_path, f"time,o,h,l,c,v\n{rows}{moment},1,2,0.5,1.5,10\n")
    assert len(file.bars) == 3 and "1900 to 2199" in file.refused[0].reason


def test_further_columns_keep_no_infinite_values(tmp_path):
    text = "".join(
        f"{line},{value}\n" for line, value in zip((HEADER + GOOD).split(), ("ref", "1", "inf", "3"), strict=True)
    )
    assert np.isnan(read(tmp_path, text).bars.columns["ref"]).tolist() == [False, True, False]


def test_one_odd_letter_anywhere_makes_it_latin_text(tmp_path):
    lines = "".join(f"{TEN + k * 60},1,2,0.5,1.5,10,x\n" for k in range(3000))
    text = "time,o,h,l,c,v,words\n" + lines + f"{TEN + 3000 * 60},1,2,0.5,1.5,10,caf\xe9\n"
    assert len(text) > 65_536
    file = read(tmp_path, text.encode("latin-1"))
    assert len(file.bars) == 3001 and "Latin-1 text" in file.notes


def test_a_text_cut_in_the_middle_and_a_zone_that_is_none_say_so(tmp_path):
    with pytest.raises(BarsError, match="is it whole"):
        read(tmp_path, (HEADER + GOOD).encode("utf-16")[:-1])
    for zone in ("nope", "../UTC", "Europe", "a\0b", ""):
        with pytest.raises(BarsError, match="not a time zone"):
            read(tmp_path, HEADER + GOOD, zone=zone)


def test_times_without_offset_are_in_the_zone_asked_for(tmp_path):
    file = read(tmp_path, HEADER + GOOD.replace("Z", ""), zone="Europe/Berlin")
    assert file.bars.time[0] == TEN - 3600


def test_dates_stay_the_dates_that_were_written(tmp_path):
    rows = "".join(f"2024-01-0{day}T00:00:00+02:00,1,2,0.5,1.5,10\n" for day in (2, 3, 4))
    file = read(tmp_path, HEADER + rows)
    assert str(file.bars.timeframe) == "1d" and file.bars.dated
    assert file.bars.time.astype("datetime64[s]").astype("datetime64[D]").astype(str).tolist() == [
        "2024-01-02",
        "2024-01-03",
        "2024-01-04",
    ]


def test_further_columns_come_along(tmp_path):
    file = read(
        tmp_path,
        HEADER.replace("\n", ",ref,words\n") + "".join(f"{line},{k},x\n" for k, line in enumerate(GOOD.splitlines())),
    )
    assert {name: values.tolist() for name, values in file.bars.columns.items()} == {"ref": [0, 1, 2]}


def test_two_million_rows(tmp_path):
    size = 2_000_000
    stamps = np.datetime_as_string(np.datetime64("2001-01-01T00:00:00") + np.arange(size) * 60)
    body = "\n".join(f"{stamp}Z,100.25,101,99.5,100,7" for stamp in stamps)
    file = read(tmp_path, HEADER + body.replace("Z,100.25", "Z,oops", 1))
    assert len(file.bars) == size - 1 and file.refused_count == 1 and file.refused[0].line == 2


def test_thousands_are_grouped_and_short(tmp_path):
    text = "time,open,high,low,close,volume\n" + "".join(
        f'2024-01-0{day},"1,469.00","1,470.50",999.5,"1,000",{volume}\n'
        for day, volume in ((2, "12.3K"), (3, "1.5m"), (4, "2B"))
    )
    bars = read(tmp_path, text).bars
    assert (
        bars.open.tolist() == [1469.0] * 3
        and bars.high.tolist() == [1470.5] * 3
        and bars.close.tolist() == [1000.0] * 3
    )
    assert bars.volume.tolist() == [12_300.0, 1_500_000.0, 2e9]


def test_the_spread_of_bids_and_asks_is_a_column(tmp_path):
    head = "time," + ",".join(
        f"{price}_{side}" for side in ("bid", "ask") for price in ("open", "high", "low", "close")
    )
    file = read(tmp_path, head + "\n" + "".join(f"2024-01-0{day},1,2,0.5,1.5,1.1,2.1,0.6,1.75\n" for day in (2, 3, 4)))
    assert file.bars.columns["spread"].tolist() == [0.25] * 3 and list(file.bars.columns) == ["spread"]
    assert file.bars.close.tolist() == [1.625] * 3 and any("bid and ask" in note for note in file.notes)


@pytest.mark.parametrize(
    ("data", "why"),
    [
        (gzip.compress((HEADER + GOOD).encode(), mtime=0)[:40], "is it whole"),
        (zipped({"a.csv": HEADER + GOOD, "b.csv": HEADER + GOOD}), "holds 2 CSV files"),
        (zipped({"a.md": "words"}), "holds 0 CSV files"),
        (zipped({"a.csv": HEADER + GOOD})[:60], "is it whole"),
        (tabled("parquet")[:-20], "is it whole"),
        (tabled("feather")[:60], "is it whole"),
        (b"PK\x03\x04" + b"x" * 50, "is it whole"),
    ],
    # An archive holds the moment it was made: as a name it would differ from one worker to the other.
    ids=["half a gzip", "two in a zip", "none in a zip", "half a zip", "half a parquet", "half a feather", "no zip"],
)  # fmt: skip
def test_what_cannot_be_unpacked_says_so(tmp_path, data, why):
    with pytest.raises(BarsError, match=why):
        read(tmp_path, data)


def test_what_unpacks_without_end_is_refused(tmp_path, monkeypatch):
    monkeypatch.setattr("skelb.service.importing.files.MOST_BYTES", 3 << 20)
    for packed in (gzip.compress(b"0" * (8 << 20)), zipped({"a.csv": "0" * (8 << 20)})):
        if len(packed) < 3 << 20:
            with pytest.raises(BarsError, match="unpacks to more than"):
                read(tmp_path, packed)


def test_columns_are_named_where_their_names_do_not_say_it(tmp_path):
    text = "When,Beginning,Top,Bottom,Last,Settled\n" + "".join(f"2024-01-0{day},1,2,0.5,9,1.5\n" for day in (2, 3, 4))
    given = {"time": "When", "open": "Beginning", "high": "Top", "low": "Bottom", "close": "Settled"}
    file = read(tmp_path, text, columns=given)
    assert file.bars.close.tolist() == [1.5] * 3 and file.bars.columns["Last"].tolist() == [9.0] * 3
    with pytest.raises(BarsError, match="no column `Nowhere`"):
        read(tmp_path, text, columns={**given, "open": "Nowhere"})
    with pytest.raises(BarsError, match="`opening` is no role"):
        read(tmp_path, text, columns={"opening": "Beginning"})


ODD = "Wann,Von,Oben,Unten,Bis,Stück,First\n" + "".join(
    f"2024-01-{day:02},{10 + day},{12 + day},{9 + day},{11 + day},{day * 5},{day}\n" for day in range(1, 29)
)


def test_columns_are_told_and_given_for_a_file_that_cannot_be_read_by_itself(tmp_path):
    path = tmp_path / "odd.csv"
    path.write_text(ODD)
    found = read_columns(path)
    assert found.names == ["Wann", "Von", "Oben", "Unten", "Bis", "Stück", "First"]
    assert found.rows[0] == ["2024-01-01", "11", "13", "10", "12", "5", "1"] and len(found.rows) == 6
    assert found.roles == {"open": "First"}  # what it is taken for, until somebody says otherwise
    with pytest.raises(BarsError, match="no column for time, high, low, close"):
        read_bars_csv(path)
    given = columns_by_role(["time=Wann", "open=Von", "high=Oben", "low=Unten", "close=Bis"], "role")
    read = read_bars_csv(path, columns=given | {"volume": "Stück"})
    assert read.bars.open[0] == 11 and read.bars.volume[0] == 5 and list(read.bars.columns) == ["First"]
    assert read.columns["open"] == "Von"


def test_a_role_may_be_said_to_be_nobodys(tmp_path):
    path = write_csv(tmp_path / "plain.csv", wave_bars(30))
    assert read_bars_csv(path).bars.volume.any()
    without = read_bars_csv(path, columns=columns_by_role(["volume="], "role"))
    assert not without.bars.volume.any() and "volume" in without.bars.columns
    with pytest.raises(SettingsError, match="takes ROLE=COLUMN"):
        columns_by_role(["volume"], "--columns")


def test_columns_of_any_file_that_holds_a_table_are_told(tmp_path):
    long = tmp_path / "long.csv"
    long.write_text("time,open,high,low,close\n" + "2024-01-01 00:00,1,2,1,2\n" * 20_000)
    assert read_columns(long).names == ["time", "open", "high", "low", "close"]
    packed = tmp_path / "odd.csv.gz"
    packed.write_bytes(gzip.compress(ODD.encode()))
    assert read_columns(packed).names[0] == "Wann"
    (tmp_path / "none.csv").write_bytes(b"\0\1\2")
    with pytest.raises(BarsError, match="not a text file"):
        read_columns(tmp_path / "none.csv")
