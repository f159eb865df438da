"""What is written about the program is what the program does."""

import json
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from typer.main import get_command

from scripts.reference import PAGES
from skelb.cli import app
from skelb.core.bars import Market, Timeframe
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, WORDS
from skelb.core.engine import Account, run
from skelb.core.language import check
from skelb.core.plan import input_values, make_dataset, make_plan
from tests.conftest import DEMO_SETTING, wave_bars

ROOT = Path(__file__).parent.parent


@pytest.mark.parametrize("name", PAGES)
def test_reference_pages_are_those_of_the_program(name):
    assert (ROOT / "docs" / name).read_text() == PAGES[name]()


@pytest.mark.parametrize("page", ["docs/guide/language.md"])
def test_scripts_in_the_guide_check_clean(page):
    [script] = re.findall(r"```\n(title.*?)```", (ROOT / page).read_text(), re.DOTALL)
    errors = [item for item in check(script).diagnostics if item.severity == "error"]
    assert errors == []


def test_commands_in_the_readme_exist():
    written = set(re.findall(r"skelb (\w+)", (ROOT / "README.md").read_text())) - {"serve"}
    assert written <= set(get_command(app).commands)


def test_every_picture_is_shown_and_every_link_leads_somewhere():
    text = (ROOT / "README.md").read_text()
    for target in re.findall(r"\]\(([^)#]+)\)", text):
        assert (ROOT / target).exists(), target
    pictures = {path.name for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert pictures and pictures == set(re.findall(r"screenshots/([\w-]+\.png)", text))


def test_a_name_has_one_meaning():
    assert not set(POSITION_NAMES) & (set(FUNCTIONS) | set(BUILT_INS))
    assert not WORDS & (set(FUNCTIONS) | set(BUILT_INS) | set(POSITION_NAMES))


def test_lock_files_name_no_hosts():
    lock = json.loads((ROOT / "frontend" / "package-lock.json").read_text())
    assert all("resolved" not in package for package in lock["packages"].values())
    assert "://" not in (ROOT / "requirements" / "dev.txt").read_text()


HOW_TOS = sorted((ROOT / "docs" / "guide" / "howto").glob("*.md"))


@pytest.mark.parametrize("page", HOW_TOS, ids=lambda page: page.stem)
def test_how_to_scripts_run(page):
    [script] = re.findall(r"```skelb\n(.*?)```", page.read_text(), re.DOTALL)
    checked = check(script, DEMO_SETTING)
    assert [item.message for item in checked.diagnostics if item.severity != "note"] == []
    minutes = 60 if "on 1d" in script else 15
    bars = replace(wave_bars(3000, minutes=minutes), columns={"barometer": np.zeros(3000)})
    others = {"QUAY12": make_dataset(wave_bars(3000, seed=4, minutes=minutes), Market("QUAY12"), Timeframe(1440))}
    data = make_dataset(
        bars,
        Market("TEST", tick=0.25),
        others=lambda symbol, timeframe: (
            others[symbol]
            if timeframe.minutes == 1440
            else make_dataset(wave_bars(3000, seed=4, minutes=minutes), Market("QUAY12"))
        ),
    )
    outcome = run(make_plan(checked, data, input_values(checked, {})), Account())
    assert len(outcome.trades) > 0 or not checked.has_entries


def test_every_how_to_that_is_promised_is_there():
    assert len(HOW_TOS) == 26
