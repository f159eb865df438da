"""Files on their way in: what their names say, what they are to what is stored, and how they come to it."""

from dataclasses import replace
from pathlib import Path
from threading import Event

import numpy as np
import pytest

from skelb.core.bars import Joining
from skelb.core.errors import NotFoundError, SettingsError
from skelb.service.importing import imports as module
from skelb.service.importing import watched as watched_module
from skelb.service.importing.watched import WatchedFolder
from skelb.service.names import symbol_of
from skelb.service.quality import Quality
from tests.conftest import wave_bars, write_csv

WHOLE = wave_bars(4000)


def data(tmp_path, bars):
    return write_csv(tmp_path / "sent.csv", bars).read_bytes()


@pytest.mark.parametrize(
    ("name", "known", "symbol"),
    [
        ("kelp.csv", (), "KELP"),
        ("KELP_15m.csv", (), "KELP"),
        ("Kelp 60min 2023-2024.csv.gz", (), "KELP"),
        ("KELP-M15-20230102-20241230.parquet", (), "KELP"),
        ("lamp daily.txt", (), "LAMP"),
        ("osc-vel_5m.csv", (), "OSC_VEL"),
        ("osc-vel_5m.csv", ("KELP", "OSC/VEL"), "OSC/VEL"),
        ("OSCVEL60.csv", ("OSC/VEL",), "OSCVEL60"),
        ("some/folder/Quay12 bars from 20240101.csv", (), "QUAY12"),
        ("15m.csv", (), ""),
        ("2024-01-02.csv", (), "01_02"),
        ("x" * 40 + ".csv", (), "X" * 20),
        ("möwe[1].csv", (), "MÖWE_1"),
    ],
)
def test_a_name_says_which_market(name, known, symbol):
    assert symbol_of(name, known) == symbol


def test_a_file_is_compared_and_comes_instead_added_or_correcting(application, tmp_path):
    library, imports = application.library, application.imports
    library.save_market("WAVE", "", None, [WHOLE.take(slice(0, 3000))])
    close = np.where(np.arange(4000) == 2500, WHOLE.low, WHOLE.close)
    newer = replace(WHOLE, close=close).take(slice(2400, 4000))

    def brought(how):
        library.save_market("WAVE", "", None, [WHOLE.take(slice(0, 3000))])
        token = imports.read("WAVE.csv", data(tmp_path, newer), "UTC").token
        assert imports.compare(token, "WAVE") == Joining(1000, 599, 1)
        assert imports.compare(token, "OTHER") is None
        imports.store(token, "WAVE", "", None, how)
        with pytest.raises(NotFoundError, match="no longer waiting"):
            imports.compare(token, "WAVE")
        return library.bars(library.market("WAVE").shortest)

    assert len(brought("instead")) == 1600
    added = brought("add")
    assert (len(added), added.close[2500]) == (4000, WHOLE.close[2500])
    corrected = brought("correct")
    assert (len(corrected), corrected.close[2500]) == (4000, WHOLE.low[2500])


def test_what_is_left_out_stays_so_when_bars_are_added(application, tmp_path):
    library, imports = application.library, application.imports
    library.save_market("WAVE", "", None, [WHOLE.take(slice(0, 3000))])
    Quality(library).leave_out("WAVE", None, int(WHOLE.time[10]), int(WHOLE.time[12]))
    token = imports.read("WAVE.csv", data(tmp_path, WHOLE.take(slice(2900, 3100))), "UTC").token
    stored = imports.store(token, "WAVE", "", None, "add").shortest
    assert (stored.row_count, stored.left_out) == (3097, 3)


def test_a_refused_file_still_waits_and_too_many_push_out_the_oldest(application, tmp_path, monkeypatch):
    imports = application.imports
    few = data(tmp_path, WHOLE.take(slice(0, 30)))
    token = imports.read("a.csv", few, "UTC").token
    with pytest.raises(SettingsError, match="a symbol has"):
        imports.store(token, "A,B", "", None)
    monkeypatch.setattr(module, "MOST_WAITING", 3)
    tokens = [imports.read(f"{number}.csv", few, "UTC").token for number in range(3)]
    with pytest.raises(NotFoundError):
        imports.store(token, "A", "", None)
    assert imports.store(tokens[0], "A", "", None).shortest.row_count == 30
    assert len(list(Path(imports._folder.name).iterdir())) == 2  # nothing is left of what is stored or pushed out


@pytest.fixture
def folder(tmp_path):
    found = tmp_path / "watched"
    found.mkdir()
    return found


def test_a_watched_folder_brings_in_what_comes_and_what_changes(application, folder):
    watched = WatchedFolder(application.library, application.imports, folder)
    told = []
    forget = application.library.watch(told.append)
    path = write_csv(folder / "Gannet_15m.csv", WHOLE.take(slice(0, 1000)))
    assert watched.look() == []  # it may still be written
    assert watched.look() == ["Gannet_15m.csv: 1,000 bars of 15m new in GANNET"]
    assert told == ["markets"]
    stored = application.library.market("GANNET")
    assert (stored.settings.tick, stored.shortest.version) == (0.25, 1)
    assert watched.look() == watched.look() == []

    close = np.where(np.arange(1200) == 900, WHOLE.low[:1200], WHOLE.close[:1200])
    write_csv(path, replace(WHOLE.take(slice(0, 1200)), close=close))
    watched.look()
    assert watched.look() == ["Gannet_15m.csv: 200 bars of 15m new in GANNET, 1 corrected"]
    bars = application.library.bars(application.library.market("GANNET").shortest)
    assert (len(bars), bars.close[900]) == (1200, WHOLE.low[900])

    # Begun again it finds nothing new, and makes no version of it.
    again = WatchedFolder(application.library, application.imports, folder)
    assert again.look() == again.look() == []
    assert application.library.market("GANNET").shortest.version == 2
    assert list(Path(application.imports._folder.name).iterdir()) == []
    forget()


def test_what_cannot_be_brought_in_is_told_once_and_holds_up_nothing(application, folder):
    (folder / "broken.csv").write_text("a,b\n1,2\n")
    (folder / "inside").mkdir()
    write_csv(folder / "inside" / "15m.csv", WHOLE.take(slice(0, 30)))
    write_csv(folder / "Tern.csv", WHOLE.take(slice(0, 30)))
    (folder / "notes.md").write_text("nothing to see")
    watched = WatchedFolder(application.library, application.imports, folder)
    watched.look()
    sentences = watched.look()
    assert len(sentences) == 3
    assert any(item.startswith("broken.csv was not brought in: ") and "no column" in item for item in sentences)
    assert any(item.startswith("15m.csv was not brought in: its name says no market") for item in sentences)
    assert watched.look() == []
    assert application.library.market("TERN").shortest.row_count == 30
    with pytest.raises(SettingsError, match="is no folder to watch"):
        WatchedFolder(application.library, application.imports, folder / "nowhere")


def test_a_folder_of_too_many_files_is_told_and_watched_no_more(application, folder, monkeypatch):
    monkeypatch.setattr(watched_module, "MOST_FILES", 2)
    monkeypatch.setattr(watched_module, "SECONDS_BETWEEN", 0.0)
    for number in range(3):
        (folder / f"{number}.csv").write_text("")
    told = []
    WatchedFolder(application.library, application.imports, folder).watch(told.append, Event())
    assert len(told) == 1 and "holds 3 files of bars, at most 2" in told[0]
