"""Laws over generated texts: every tool answers, and what checks clean runs, on however few and whatever bars."""

import json
import random
from dataclasses import asdict

import pytest

from skelb.core.engine import Account
from skelb.core.errors import SkelbError
from skelb.core.explain import Explainer, sieves_of
from skelb.core.export import backtest_document, explanation_document, legend_of, scene_of, series_document
from skelb.core.language import check
from skelb.core.language.assist import (
    Surroundings,
    completions,
    definition_of,
    explain_word,
    outline,
    signature_at,
    uses_of,
    word_sorts,
)
from skelb.core.language.tools import (
    format_source,
    inline_used,
    mirrored_rules,
    name_places,
    read_back,
    sheet_of,
    what_is_wrong,
)
from skelb.core.plan import Expressions, input_values
from skelb.service.backtest import Choices, backtest
from tests.conftest import DEMO_SETTING, dataset
from tests.core.test_readings import is_expression
from tests.generated import SHAPES, bars_of, seeds, text_of

pytestmark = pytest.mark.law


def test_every_tool_answers_for_any_text():
    sound = 0
    for seed in seeds(400):
        text = text_of(seed)
        checked = check(text, DEMO_SETTING)
        sound += checked.is_sound
        every_tool(text, checked, seed % (len(text) + 1))
    assert sound > 40  # else the texts say little


def test_the_layout_of_any_text_is_final_and_changes_nothing_it_means():
    for seed in seeds(3_000):
        text = text_of(seed)
        laid = format_source(text)
        assert format_source(laid) == laid, f"text {seed}"
        assert "".join(laid.split()) == "".join(text.split()), f"text {seed}"


def test_what_checks_clean_runs_on_any_bars():
    ran = 0
    for seed in seeds(500):
        checked = check(text_of(seed), DEMO_SETTING)
        if not checked.is_sound:
            continue
        dice = random.Random(seed)
        for size in (1, 2, 20, 200):
            shape = dice.choice(SHAPES)
            bars = dataset(bars_of(shape, size), tick=1e-10 if shape == "tiny" else 0.25)
            try:
                for document in documents_of(checked, bars):
                    json.dumps(document, allow_nan=False, default=asdict)
                ran += 1
            except SkelbError as refused:  # with words, such as a market that is not there
                assert str(refused), seed
            except Exception as exc:
                exc.add_note(f"text {seed} on {size} bars ({shape})")
                raise
    assert ran > 150


def every_tool(text, checked, *places):
    """Ask every tool about a text, those that ask about a place at each of these."""
    read_back(checked)
    sheet_of(checked)
    mirrored_rules(checked, "long")
    mirrored_rules(checked, "short")
    outline(text)
    word_sorts(text, checked)
    name_places(text)
    what_is_wrong(text, checked.diagnostics)
    for at in places:
        completions(text, at, checked, Surroundings())
        explain_word(text, at, checked)
        definition_of(text, at, checked)
        uses_of(text, at)
        signature_at(text, at)
    try:
        inline_used(text, DEMO_SETTING.scripts)
    except SkelbError as refused:
        assert str(refused)


def documents_of(checked, bars):
    """What is told of a script on these bars: its lines, or a run with its bars explained."""
    if not checked.has_entries:
        yield series_document(checked, Expressions(checked, input_values(checked, {}), bars), bars)
        return
    result = backtest(checked, bars, Account(), Choices({}))
    yield backtest_document(result.outcome, result.figures, result.findings, with_equity=True)
    yield legend_of(scene_of(checked, result.outcome.plan.expressions, bars))
    sieves_of(checked, result.outcome)
    explainer = Explainer(checked, result.outcome.plan, Account())
    for bar in {result.outcome.first, result.outcome.last}:
        yield explanation_document(explainer.explain(bar), result.outcome)
        for mark in explainer.readings(bar)[1].marks:
            assert is_expression(checked.source[mark.start : mark.end])
