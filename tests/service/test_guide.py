"""The guide's pages, and the words that people look for them by."""

import re

import pytest

from skelb.core.language import check
from skelb.core.language.reading.show_statements import COLORS
from skelb.service.guide import entries, other_words


def found_by(words):
    """The pages whose row of the guide holds every word, as the page searches."""
    rows = {page.id: f"{page.title} {page.group} {page.summary} {page.also}".lower() for page in entries().values()}
    return [name for name, row in rows.items() if all(word in row for word in words.lower().split())]


def test_other_words_lead_to_pages_that_are_there():
    found = other_words()
    assert found.keys() <= entries().keys()
    for words in found.values():
        assert all(re.fullmatch(r"[a-z][a-z -]*", word) for word in words) and len(set(words)) == len(words)


@pytest.mark.parametrize(
    ("words", "page"),
    [
        ("capital", "page/words"), ("trailing stop", "form/trail"), ("session", "form/window"), ("long only", "form/enter"),
        ("take profit", "form/target"), ("fees", "page/words"), ("overnight", "page/words"), ("pyramiding", "page/words"),
        ("margin call", "page/words"), ("crossover", "form/crosses"), ("optimize", "howto/choose-inputs-honestly"),
        ("monte carlo", "howto/doubt-a-run"), ("csv", "howto/describe-a-market"), ("variable", "form/carry"),
        ("notification", "form/alert"), ("no trades", "howto/why-so-few-trades"), ("convert", "howto/from-indicator-to-strategy"),
    ],
)  # fmt: skip
def test_words_that_people_use_find_their_page(words, page):
    assert page in found_by(words)


def test_the_page_of_words_draws_in_every_form():
    text = entries()["page/words"].text
    script = re.search(r"```skelb\n(.*?)```", text, re.DOTALL)[1]
    assert check(script).is_sound
    for form in ("as points", "as pillars", "as stairs", "as wash", "pointer", "ring", "knot", "pennon", "level", "tint",
                 "strength 20%", "when close > open else", "named", "alert"):  # fmt: skip
        assert form in script
    assert "color blue" in script and {"blue", "green", "red"} <= set(COLORS)
