"""What is written about the program is what the program does."""

import json
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from scripts.reference import PAGES
from skelb.cli import COMMANDS
from skelb.core.bars import Market, Timeframe
from skelb.core.catalogue import BUILT_INS, FUNCTIONS, POSITION_NAMES, WORDS
from skelb.core.engine import Account, run
from skelb.core.language import check
from skelb.core.language.assist import word_sorts
from skelb.core.plan import input_values, make_dataset, make_plan
from skelb.demo import DEMO_SCRIPTS
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
    written = set(re.findall(r"skelb ([a-z]+)", (ROOT / "README.md").read_text()))
    assert len(written) > 8 and written <= set(COMMANDS)


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
    assert len(HOW_TOS) == 33


SCOPES = {
    "keyword": ("keyword.",), "function": ("support.function",), "number": ("constant.numeric",), "string": ("string.",),
    "comment": ("comment.",), "property": ("variable.other.property",),
}  # fmt: skip


def by_sight(text):
    """The scope of every place of a text, as an editor finds it: the first match, the earliest rule."""
    patterns = json.loads((ROOT / "editors" / "skelb.tmLanguage.json").read_text())["patterns"]
    rules = [(item["name"], re.compile(item["match"])) for item in patterns]
    found, begin = {}, 0
    for line in text.split("\n"):
        at = 0
        while at < len(line):
            matches = [
                (match.start(), name, match) for name, rule in rules if (match := rule.search(line, at)) and match[0]
            ]
            if not matches:
                break
            _, name, match = min(matches, key=lambda item: item[0])
            found |= dict.fromkeys(range(begin + match.start(), begin + match.end()), name)
            at = match.end()
        begin += len(line) + 1
    return found


@pytest.mark.parametrize("script", DEMO_SCRIPTS, ids=lambda item: item.title)
def test_the_grammar_for_other_editors_colours_words_as_the_language_means_them(script):
    sight, compared, differ = by_sight(script.text), 0, []
    for (start, end), sort in word_sorts(script.text, check(script.text, DEMO_SETTING)):
        called = script.text[end : end + 1] == "(" and script.text[start:end] in FUNCTIONS
        if sort in SCOPES and (sort != "function" or called):  # by sight a name alone may be anything
            compared += 1
            if not sight.get(start, "").startswith(SCOPES[sort]):
                differ.append((script.text[start:end], sort, sight.get(start)))
    assert compared > 10 and differ == []
