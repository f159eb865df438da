"""Inputs that once broke something, or would: every one gets an answer. To keep one, put it into `hostile`."""

import json
from dataclasses import asdict
from pathlib import Path

import pytest

from skelb.core.errors import SkelbError
from skelb.core.language import check
from skelb.core.language.tools import format_source
from skelb.service.application import Application
from skelb.service.importing.bars_csv import read_bars_csv
from tests.conftest import DEMO_SETTING, dataset
from tests.core.test_any_text import documents_of, every_tool

HOSTILE = Path(__file__).parent / "hostile"
TEXTS = sorted((HOSTILE / "texts").glob("*"))
BARS = sorted((HOSTILE / "bars").glob("*"))


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_any_text_gets_answers_everywhere(path):
    text = path.read_bytes().decode()
    checked = check(text, DEMO_SETTING)
    every_tool(text, checked, *range(len(text) + 1))
    laid = format_source(text)
    assert format_source(laid) == laid
    if checked.is_sound:
        for document in documents_of(checked, dataset()):
            json.dumps(document, allow_nan=False, default=asdict)


@pytest.fixture(scope="module")
def library(tmp_path_factory):
    application = Application(tmp_path_factory.mktemp("home"))
    yield application.library
    application.close()


@pytest.mark.parametrize("path", BARS, ids=lambda path: path.stem)
def test_any_file_is_stored_true_or_refused_in_a_sentence(path, library):
    try:
        file = read_bars_csv(path)
    except SkelbError as refused:
        assert str(refused) and "\n" not in str(refused)
        return
    assert all(row.line >= 1 and row.reason for row in file.refused)
    symbol = path.stem.upper()
    library.save_market(symbol, "", {}, [file.bars])
    stored = library.market(symbol)
    kept = library.bars(stored.bars[0])
    assert kept.time.tolist() == file.bars.time.tolist() and kept.close.tolist() == file.bars.close.tolist()
    assert symbol in [market.symbol for market in library.markets()]


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_any_text_is_kept_to_the_letter_or_refused_in_a_sentence(path, library):
    text = path.read_bytes().decode()
    try:
        saved = library.save_script(text)
    except SkelbError as refused:
        assert "title" in str(refused)
        return
    assert library.script(saved.title).newest.text == text
