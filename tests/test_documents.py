"""What is written about the program is what the program does."""

import json
import re
from pathlib import Path

import pytest

from scripts.reference import PAGES
from skelb.cli import app
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, WORDS
from skelb.core.language import check

ROOT = Path(__file__).parent.parent


@pytest.mark.parametrize("name", PAGES)
def test_reference_pages_are_those_of_the_program(name):
    assert (ROOT / "docs" / "guide" / name).read_text() == PAGES[name]()


@pytest.mark.parametrize("page", ["docs/guide/language.md"])
def test_scripts_in_the_guide_check_clean(page):
    [script] = re.findall(r"```\n(title.*?)```", (ROOT / page).read_text(), re.DOTALL)
    errors = [item for item in check(script).diagnostics if item.severity == "error"]
    assert errors == []


def test_commands_in_the_readme_exist():
    written = set(re.findall(r"skelb (\w+)", (ROOT / "README.md").read_text())) - {"serve"}
    known = {command.name or command.callback.__name__ for command in app.registered_commands}
    assert written <= known


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
