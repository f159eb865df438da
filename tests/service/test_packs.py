"""Packs: a run in one file comes to the same where nothing is stored; whatever is changed in it is found."""

import io
import json
import zipfile
from pathlib import Path

import pytest

from skelb.core.errors import PackError, SkelbError
from skelb.demo import DEMO_SCRIPTS
from skelb.service.packs import pack, verify
from skelb.service.report import descriptions
from skelb.service.setup import Setup
from tests.conftest import wave_bars
from tests.service.conftest import SETUP

TOGETHER = """title "Reads all there is"
use "Sway" as other
input far = 6
calm = (close > sma(close, far)) from "SEA" on 1h
fair = (close > 0) from "SEA"
tall = (close > sma(close, 3)) on 4h
enter long when other.up and calm and fair and tall
enter short when close crosses below sma(close, 5) and column("depth") > 0
exit after 9 bars
stop 2 * atr(5)
target 2 R
size 3 units
"""


@pytest.fixture
def library(application):
    library = application.library
    waves = wave_bars(4000)
    deep = {"depth": waves.close}
    library.save_market("WAVE", "", {"tick": 0.25, "currency_rate": "RATE", "spread": 0.5, "financing_long": 4.0}, [
        type(waves)(waves.timeframe, waves.time, waves.open, waves.high, waves.low, waves.close, waves.volume, deep)
    ])  # fmt: skip
    library.save_market("SEA", "", {"tick": 0.25}, [wave_bars(4000, seed=9)])
    library.save_market("RATE", "", {"tick": 0.25}, [wave_bars(4000, seed=4)])
    library.save_script('title "Sway"\nup = close crosses above sma(close, 5)\n')
    library.save_account(
        "Own", {"capital": 90_000, "commission_percent": 0.01, "slippage_ticks": 1, "same_bar": "detail"}
    )
    return library


def packed(application, **changed):
    setup = Setup(text=TOGETHER, market="WAVE", timeframe="30m", account="Own").model_copy(update=changed)
    prepared = setup.prepared(application.library, application.datasets).sound()
    return pack(prepared, descriptions(setup, application.library))


def changed(data, name, change):
    """The pack with one of its files changed."""
    sink = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as before, zipfile.ZipFile(sink, "w") as after:
        for item in before.namelist():
            content = before.read(item)
            if item == name:
                content = change(content)
            if content is not None:
                after.writestr(item, content)
    return sink.getvalue()


RUNS = {
    "all it reads": {},
    "costs": {"costs": 2.5, "sides": "long"},
    "inputs": {"inputs": {"far": 9}, "inverted": True},
    "a basket": {"basket": ("WAVE", "SEA"), "text": SETUP.text, "dearest": 90.0},
    "on days": {"text": SETUP.text, "market": "SEA", "timeframe": "1d"},
}


@pytest.mark.parametrize("name", RUNS)
def test_a_pack_comes_to_the_same_where_nothing_is_stored(application, library, name):
    data = packed(application, **RUNS[name])
    found = verify(data)
    assert found.equal and found.differences == [] and found.sentence.startswith("The same to the last cent")
    assert found.report.figures["all"]["trades"] > 3
    assert data == packed(application, **RUNS[name]), "the same run is the same file"


def cent(content):
    rows = json.loads(content)
    rows[1]["net"] = round(rows[1]["net"] + 0.01, 6)
    return json.dumps(rows).encode()


def head(**told):
    return lambda content: json.dumps({**json.loads(content), **told}).encode()


def test_a_changed_cent_and_whatever_else_is_found(application, library):
    data = packed(application)
    told = verify(changed(data, "trades.json", cent))
    assert not told.equal and told.sentence.startswith("Not the same: trade 2 net is ")
    assert told.differences[-1] == "trades.json is not what was packed"
    shorter = verify(changed(data, "trades.json", lambda content: json.dumps(json.loads(content)[:-1]).encode()))
    assert "trades were packed" in shorter.sentence
    script = verify(changed(data, "script.skelb", lambda content: content.replace(b"far = 6", b"far = 7")))
    assert not script.equal and "script.skelb is not what was packed" in script.differences
    other = verify(
        changed(data, "account.json", lambda content: content.replace(b'"slippage_ticks": 1', b'"slippage_ticks": 2'))
    )
    assert not other.equal and other.differences[0].startswith("trade 1 ")
    figures = json.loads(zipfile.ZipFile(io.BytesIO(data)).read("pack.json"))["figures"]
    figures["long"]["trades"] += 1
    assert "figure long trades is" in verify(changed(data, "pack.json", head(figures=figures))).sentence


@pytest.mark.parametrize(
    ("name", "change", "why"),
    [
        ("pack.json", lambda _: None, "no pack.json"),
        ("script.skelb", lambda _: None, "there is no 'script.skelb' in it"),
        ("bars/1.parquet", lambda _: None, "bars/1.parquet"),
        ("bars/1.parquet", lambda content: content[:2000], "cannot be read"),
        ("pack.json", lambda content: content[:-40], "cannot be read"),
        ("pack.json", head(pack=2), "form 2"),
        ("pack.json", head(markets=[]), "names no market"),
        ("pack.json", head(others=[]), "are not in it"),
        ("pack.json", lambda _: b"[]", "cannot be read"),
        ("account.json", lambda _: b'{"capital": "much"}', "cannot be run"),
        ("script.skelb", lambda _: b"enter", "cannot be run"),
        ("trades.json", lambda _: b"{", "cannot be read"),
    ],
)
def test_what_is_no_pack_says_why(application, library, name, change, why):
    with pytest.raises(PackError, match=why):
        verify(changed(packed(application), name, change))


@pytest.mark.parametrize("data", [b"", b"PK", b"\x00" * 500, Path(__file__).read_bytes()])
def test_any_other_file_is_refused(data):
    with pytest.raises(SkelbError, match="no pack"):
        verify(data)


def test_a_pack_cut_anywhere_is_refused(application, library):
    data = packed(application, text=SETUP.text, market="SEA", timeframe="1d")
    for cut in range(0, len(data) - 1, max(1, len(data) // 12)):
        with pytest.raises(PackError):
            verify(data[:cut])


def test_a_pack_damaged_within_is_refused(application, library):
    data = packed(application, text=SETUP.text, market="SEA", timeframe="1d")
    for name in zipfile.ZipFile(io.BytesIO(data)).namelist():
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            place = archive.getinfo(name)
        begin = place.header_offset + 30 + len(name)
        damaged = bytearray(data)
        for at in range(begin, begin + min(40, place.compress_size)):
            damaged[at] ^= 0xFF
        with pytest.raises(PackError, match="it is no pack, or was cut off"):
            verify(bytes(damaged))


def test_what_unpacks_without_end_is_refused():
    sink = io.BytesIO()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as archive:
        for number in range(2_100):
            archive.writestr(f"{number}", b"")
    with pytest.raises(PackError, match="more than a pack"):
        verify(sink.getvalue())


def test_demo_scripts_that_use_others_are_whole(application, library):
    text = next(demo.text for demo in DEMO_SCRIPTS if demo.title == "Glass and swell")
    library.save_script(next(demo.text for demo in DEMO_SCRIPTS if demo.title == "Harbour swell"))
    library.save_market("QUAY12", "", {"tick": 0.25}, [wave_bars(4000, seed=2)])
    assert verify(packed(application, text=text, market="SEA", timeframe="15m")).equal
