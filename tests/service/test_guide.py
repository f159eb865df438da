"""The guide's pages, and the words that people look for them by."""

import re

import pytest

from skelb.core.language import check
from skelb.core.language.reading.show_statements import COLORS
from skelb.service.guide import entries, found, other_words


def test_other_words_lead_to_pages_that_are_there():
    found = other_words()
    assert found.keys() <= entries().keys()
    for words in found.values():
        assert all(re.fullmatch(r"[a-z][a-z -]*", word) for word in words) and len(set(words)) == len(words)


def test_links_lead_to_pages_that_are_there():
    pages = entries()
    links = [(name, link) for name, page in pages.items() for link in re.findall(r"\]\(([^)]+)\)", page.text)]
    assert len(links) > 5
    assert [link for link in links if link[1].removeprefix("/guide?page=") not in pages] == []


@pytest.mark.parametrize(
    ("words", "page"),
    [
        ("capital", "page/words"), ("trailing stop", "form/trail"), ("session", "form/window"), ("long only", "form/enter"),
        ("take profit", "form/target"), ("fees", "page/words"), ("overnight", "page/words"), ("pyramiding", "page/words"),
        ("margin call", "page/words"), ("crossover", "form/crosses"), ("optimize", "howto/choose-inputs-honestly"),
        ("monte carlo", "howto/doubt-a-run"), ("csv", "howto/describe-a-market"), ("variable", "form/carry"),
        ("skelb walk", "command/walk"), ("account of the data folder", "command/account"),
        ("notification", "form/alert"), ("no trades", "howto/why-so-few-trades"), ("convert", "howto/from-indicator-to-strategy"),
    ],
)  # fmt: skip
def test_words_that_people_use_find_their_page(words, page):
    assert page in [item.id for item in found(words)][:12]


def test_a_search_goes_through_titles_first_and_through_every_page():
    assert next(item.id for item in found("crest")) == "function/crest"
    assert "page/engine" in [item.id for item in found("ROUNDED to the tick")]
    assert found("tick zzqx") == []
    assert found("  ") == list(entries().values())


def test_the_page_of_words_draws_in_every_form():
    text = entries()["page/words"].text
    script = re.search(r"```skelb\n(.*?)```", text, re.DOTALL)[1]
    assert check(script).is_sound
    for form in ("as points", "as pillars", "as stairs", "as wash", "pointer", "ring", "knot", "pennon", "level", "tint",
                 "strength 20%", "when close > open else", "named", "alert"):  # fmt: skip
        assert form in script
    assert "color blue" in script and {"blue", "green", "red"} <= set(COLORS)
