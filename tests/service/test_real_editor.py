"""A real editor, Debian's, speaks with `skelb lsp`: what it shows, and what it does to the text when asked."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

EDITOR = shutil.which("nvim")
pytestmark = pytest.mark.skipif(EDITOR is None, reason="this editor is not on the machine: `make test` installs it")

OTHER = 'title "Other"\nswell = sma(close, 9)\nflood = close > swell\n'
# A sign outside the first plane before what is asked about: a place counted in another unit would be beside it.
TEXT = 'title "Main"\nuse "Other" as other\nquick = ema(close, 9)\nnote "🦀🦀é" # 🦀\nup = quick > other.swell\nenter long when up and other.flood named "🦀é" size othr.swell units\n'
PROGRAM = Path(__file__).with_name("real_editor.lua")


@pytest.fixture(scope="module")
def said(tmp_path_factory):
    """What the editor had to say after its session."""
    folder = tmp_path_factory.mktemp("texts")
    (folder / "other.skelb").write_text(OTHER)
    (folder / "main.skelb").write_text(TEXT)
    command = [EDITOR, "--clean", "--headless", "-c", f"luafile {PROGRAM}", str(folder / "main.skelb")]
    done = subprocess.run(command, cwd=folder, capture_output=True, text=True, timeout=300,
                          env={"PATH": "/usr/bin:/bin", "HOME": str(folder), "SKELB_HOME": str(folder / "home"), "PYTHON": sys.executable})  # fmt: skip
    assert (folder / "said.json").exists(), done.stdout + done.stderr
    return json.loads((folder / "said.json").read_text()), (folder / "main.skelb").read_text()


def test_a_mistake_is_underlined_where_it_stands_and_gone_when_it_is_mended(said):
    found, _ = said
    [mistake] = found["first"]
    assert "othr" in mistake["message"]
    assert (mistake["line"], mistake["text"]) == (5, "othr")
    assert found["mended"] == []


def test_the_word_under_the_cursor_is_explained_completed_and_found_in_its_file(said):
    found, _ = said
    assert "ema(" in found["hover"]
    assert "flood" in found["proposed"] and "swell" in found["proposed"]
    assert found["definition"]["file"].endswith("other.skelb") and found["definition"]["line"] == 2


def test_renaming_and_layout_change_the_text_as_asked(said):
    _, text = said
    assert text == TEXT.replace("othr", "other").replace("quick", "fast").replace(
        'note "🦀🦀é" # 🦀', 'note "🦀🦀é"  # 🦀'
    )
