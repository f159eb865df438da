"""What is wrong with given values is said in our own words: what, where, how to mend it."""

import pytest
from pydantic import ValidationError

from skelb.service.mistakes import one_line
from skelb.service.setup import Setup
from skelb.service.trials.orders import TrialSettings

WHOLE = {"text": "x", "market": "M", "timeframe": "1h", "account": "A"}


@pytest.mark.parametrize(("given", "said"), [
    ({"from_date": "abc"}, "from_date: `abc` is no day: write it as 2024-01-31"),
    ({"to_date": "2024-13-01"}, "to_date: `2024-13-01` is no day: write it as 2024-01-31"),
    ({"to_date": []}, "to_date: `[]` is no day: write it as 2024-01-31"),
    ({"costs": -1}, "costs: `-1` is too low: at least 0"),
    ({"costs": 1e9}, "costs: `1000000000` is too high: at most 100"),
    ({"costs": "much"}, "costs: `much` is no number"),
    ({"sides": "up"}, "sides: `up` is not one of 'both', 'long' or 'short'"),
    ({"inverted": "maybe"}, "inverted: `maybe` is neither true nor false"),
    ({"market": 7}, "market: `7` is no text"),
    ({"market": "m" * 65}, "market: it is too long: at most 64 characters"),
    ({"markt": "M"}, "markt: there is nothing of that name here: take it away, or see how it is written"),
    ({"text": None}, "text: `None` is no text"),
    ({"sides": "long " * 40}, "sides: `" + ("long " * 40)[:60] + "…` is not one of 'both', 'long' or 'short'"),
])  # fmt: skip
def test_a_value_that_cannot_be_is_told_with_what_would_do(given, said):
    with pytest.raises(ValidationError) as raised:
        Setup.model_validate({**WHOLE, **given})
    assert one_line(raised.value) == said


def test_what_is_missing_and_numbers_that_are_not_whole_are_told():
    with pytest.raises(ValidationError) as raised:
        Setup.model_validate({"text": "x"})
    assert one_line(raised.value) == "market: it is needed and not there"
    with pytest.raises(ValidationError) as raised:
        TrialSettings(min_trades=1.5)
    assert one_line(raised.value) == "min_trades: `1.5` is no whole number"
