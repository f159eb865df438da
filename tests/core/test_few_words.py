"""Forms that say much in few words: ranges of words, singular units, inputs with a list, switches, taken names."""

import numpy as np
import pytest

from skelb.core.bars import WEEKDAYS
from skelb.core.catalogue import MONTHS
from skelb.core.engine import Account, run
from skelb.core.errors import SettingsError
from skelb.core.language import SavedScript, Setting, check
from skelb.core.language.same import without_places
from skelb.core.language.tools import format_source, written
from skelb.core.plan import Expressions, input_values, make_plan
from skelb.core.trials import read_axis
from skelb.core.trials.grid import default_axis
from tests.conftest import dataset, wave_bars

DATA = dataset(wave_bars(4_000, minutes=240))  # two years of four-hour bars
DAY = DATA.calendar.day.astype("datetime64[D]")
MONTH = DAY.astype("datetime64[M]").astype(int) % 12
WEEKDAY = DATA.calendar.weekday


def value_of(expression, text="", **inputs):
    checked = check(f"{text}\nx = {expression}\n")
    assert checked.is_sound, checked.diagnostics
    expressions = Expressions(checked, input_values(checked, inputs), DATA)
    return expressions.whole(checked.definitions["x"].value)


@pytest.mark.parametrize(
    ("expression", "wanted"),
    [
        ("month in may..sep", (MONTH >= 4) & (MONTH <= 8)),
        ("month in nov..feb", (MONTH >= 10) | (MONTH <= 1)),
        ("month not in may..may", MONTH != 4),
        ("weekday in fri..mon", np.isin(WEEKDAY, [4, 5, 6, 0])),
        ("weekday in tue..thu", np.isin(WEEKDAY, [1, 2, 3])),
        ("prior(month, 6) is may", np.concatenate(([False] * 6, MONTH[:-6] == 4))),
        ("weekday is prior(weekday)", np.concatenate(([False], WEEKDAY[1:] == WEEKDAY[:-1]))),
        ("month is not prior(month)", np.concatenate(([False], MONTH[1:] != MONTH[:-1]))),
        ("first_of_week", np.concatenate(([True], DATA.calendar.week[1:] != DATA.calendar.week[:-1]))),
        ("first_of_month", np.concatenate(([True], MONTH[1:] != MONTH[:-1]))),
    ],
)
def test_words_as_ranges_and_beside_words(expression, wanted):
    assert ((value_of(expression) == 2) == wanted).all()


def test_ranges_of_words_are_written_as_ranges():
    for text in ("month in may..sep", "weekday in fri..mon", "month not in dec..jan", "weekday in (mon, wed, thu)"):
        checked = check(f"x = {text}")
        again = written(checked.definitions["x"].value)
        assert again == text.replace("dec..jan", "(dec, jan)")
        assert without_places(check(f"x = {again}").definitions["x"]) == without_places(checked.definitions["x"])


def test_trading_days_are_counted_in_their_month():
    found = value_of("trading_day_of_month")
    plain, seen = [], {}
    for day in DAY:
        days = seen.setdefault(day.astype("datetime64[M]"), [])
        if day not in days:
            days.append(day)
        plain.append(len(days))
    assert found.tolist() == plain
    assert (found[value_of("first_of_month") == 2] == 1).all()


def test_a_month_by_its_number_is_answered_by_how_to_write_it():
    for wrong, right in (("month >= 5", "month in may..dec"), ("6 > month", "month in jan..may"), ("month == 2", "month is feb"),
                         ("month != 12", "month is not dec"), ("month > 11", "month is dec")):  # fmt: skip
        found = check(f"enter long when {wrong}").diagnostics[0]
        assert found.mend.text == right
        assert check(f"enter long when {right}").is_sound
    for wrong in ("month > 12", "month < 1", "month == 2.5", "month >= close", "weekday >= 3"):
        found = check(f"enter long when {wrong}").diagnostics[0]
        assert found.code == "S0203" and found.mend is None


@pytest.mark.parametrize(
    ("one", "many"),
    [("exit after 1 day", "exit after 1 days"), ("exit after 1 bar", "exit after 1 bars"),
     ("limit 1 entry per day", "limit 1 entries per day"), ("limit 1 loss per day", "limit 1 losses per day"),
     ("size 1 unit", "size 1 units"), ("size 9% of equity max 1 unit", "size 9% of equity max 1 units"),
     ("pause 1 bar after stop", "pause 1 bars after stop")],
)  # fmt: skip
def test_units_are_singular_or_plural(one, many):
    entry = "enter long when close > open then close > open no later than 1 bar at limit low for 1 bar\nexit when close < low\n"
    trades = []
    for rule in (one, many):
        checked = check(entry + rule)
        assert checked.is_sound, checked.diagnostics
        assert rule in format_source(checked.source)
        trades.append(run(make_plan(checked, DATA, {}), Account()).trades.rows.tolist())
    assert repr(trades[0]) == repr(trades[1]) and trades[0]


INPUTS = """
input frame = 8h one of 4h, 8h, 24h
input other = "KELP" one of "KELP", "LAMP"
input from_ = 9:30 one of 09:00, 9:30
input n = 5 one of 5, 10.0, 20
"""


def test_inputs_choose_among_timeframes_markets_times_and_numbers():
    checked = check(f"{INPUTS}x = sma(close, n) on frame\ny = close from other\nenter long when time > from_ and x > y")
    assert checked.is_sound, checked.diagnostics
    assert input_values(checked, {"frame": "1d", "n": "10", "from_": "09:00"})["from_"] == 540.0
    assert [default_axis(name, checked).values for name in checked.inputs] == [
        ("4h", "8h", "1d"), ("KELP", "LAMP"), (540.0, 570.0), (5.0, 10.0, 20.0),
    ]  # fmt: skip
    assert read_axis("n=5,20", checked).values == (5.0, 20.0)
    for name, wrong in (("frame", "2h"), ("other", "FERY"), ("from_", "10:00"), ("n", "7")):
        with pytest.raises(SettingsError, match=f"`{name}` takes one of .*, not `{wrong}`"):
            input_values(checked, {name: wrong})


@pytest.mark.parametrize(
    "line",
    [
        "input f = 2h one of 4h, 8h",
        'input m = "FERY" one of "KELP"',
        "input t = 09:00 one of 10:00",
        "input n = 1 one of 2, 3",
    ],
)
def test_a_default_is_among_its_options(line):
    assert [
        item.code for item in check(f"{line}\nenter long when close > open").diagnostics if item.severity == "error"
    ] == ["S0209"]


@pytest.mark.parametrize(
    "line", ["input f = 4h one of 4h, 5x", "input n = 1 one of 2, a", "input t = 09:00 one of 25:00"]
)
def test_options_are_of_the_inputs_kind(line):
    assert not check(f"{line}\nenter long when close > open").is_sound


def test_switches_are_on_or_off():
    text = "input gate = on"
    for given in (True, False):
        yes = value_of("close > open and gate is on", text, gate=given)
        no = value_of("gate is not on or close > open", text, gate=given)
        assert ((yes == 2) == ((DATA.bars.close > DATA.bars.open) & given)).all()
        assert ((no == 2) == ((DATA.bars.close > DATA.bars.open) | (not given))).all()
    rules = "enter long when close > open only if gate is off\nenter short when close < open only if gate is on"
    checked = check(f"{text}\n{rules}")
    for given, side in ((True, -1), (False, 1)):
        found = run(make_plan(checked, DATA, input_values(checked, {"gate": given})), Account())
        assert set(found.trades.side.tolist()) == {side}


def test_what_is_on_is_a_switch_or_a_word():
    words = "input kind = a one of a, on\nenter long when close > open only if kind is on"
    for given, count in (("a", 0), ("on", 1)):
        checked = check(words)
        found = run(make_plan(checked, DATA, input_values(checked, {"kind": given})), Account())
        assert bool(len(found.trades)) == bool(count)
    for wrong in ("enter long when (close > open) is on", "enter long when (open_profit > 1) is on",
                  "input k = sma one of sma, ema\ninput m = sma one of sma, ema\nenter long when k == m",
                  "input k = sma one of sma, ema\nenter long when k == k"):  # fmt: skip
        assert not check(wrong).is_sound, wrong


def test_ranges_and_sets_of_what_is_known_of_the_position():
    rules = "enter long when close > open\nexit when {}\nsize 1 units"
    held = {}
    for name, when in (("range", "bars_held in 3..5"), ("signs", "3 <= bars_held <= 5"), ("set", "bars_held in (3, 9)"),
                       ("none", "bars_held not in 0..2"), ("word", "position is long and bars_held in 3..5")):  # fmt: skip
        checked = check(rules.format(when))
        assert checked.is_sound, checked.diagnostics
        held[name] = run(make_plan(checked, DATA, {}), Account()).trades.rows.tolist()
    assert len({repr(rows) for rows in held.values()}) == 1
    assert len(held["range"]) > 100


def test_a_definition_may_take_the_name_of_a_function_that_needs_arguments():
    checked = check("dip = close < open\nlowest = low\nx = dip(low, since: dip)\ny = lowest(lowest, 3)")
    assert checked.is_sound, checked.diagnostics
    expressions = Expressions(checked, {}, DATA)
    x, y = (expressions.whole(checked.definitions[name].value) for name in "xy")
    np.testing.assert_array_equal(x, value_of("dip(low, since: close < open)"))
    np.testing.assert_array_equal(y, value_of("lowest(low, 3)"))
    for taken in ("spread = 1", "vwap = close", "position = 1", "crosses = 2"):
        assert check(taken).diagnostics[0].code in ("S0112", "S0102")


def test_average_takes_every_average():
    for kind in ("sma", "ema", "wma", "wilder", "hma", "dema", "tema", "kama", "vwma"):
        np.testing.assert_array_equal(value_of(f"average(close, 9, {kind})"), value_of(f"{kind}(close, 9)"))


@pytest.mark.parametrize(
    ("line", "code", "mended"),
    [
        ("stop 2 * atr(14) + 5 ticks", "S0117", None),
        ("target close - open R", "S0117", None),
        ("stop lowest(low, 5)", "S0216", "stop at lowest(low, 5)"),
        ("target prior_day.high", "S0216", "target at prior_day.high"),
        ("trail bollinger(close, 20, 2).lower", "S0216", "trail at bollinger(close, 20, 2).lower"),
        ("stop level", "S0216", "stop at level"),
        ("stop top", "S0216", "stop at top"),
        ("trail eased(close)", "S0216", "trail at eased(close)"),
        ("breakeven once high", "S0216", None),
    ],
)
def test_distances_that_would_be_misread(line, code, mended):
    defined = (
        "level = min(open, close) - atr(5)\ncarry under, top = min(under, low), max(top, now(under) + range) starting low, high\n"
        "define eased(x) = s where carry s = s + (x - s) / 4 starting x\n"
    )
    text = f"{defined}enter long when close > level\n{line}"
    found = next(item for item in check(text).diagnostics if item.severity == "error")
    assert found.code == code
    if mended:
        start, end = found.mend.span
        assert (text[:start] + found.mend.text + text[end:]).endswith(mended)


@pytest.mark.parametrize(
    "line",
    ["stop (2 * atr(14) + 5) ticks", "stop 2 * atr(14) + 5 * tick", "stop high - low", "target close - lowest(low, 5)",
     "stop close * 0.02", "stop 0.5 * (high + low) - low", "target range", "stop at lowest(low, 5) - 2 * tick",
     "carry wide = max(wide, range) starting range\nstop wide", "carry held = (high if close > open else held) starting 0\nstop held",
     "carry a, b = b, close - open starting high, range\nstop a + b"],
)  # fmt: skip
def test_distances_that_are_distances(line):
    assert check(f"enter long when close > open\n{line}").is_sound


def test_a_choice_without_brackets_is_mended():
    text = "x = close if close > open else open"
    found = check(text).diagnostics[0]
    assert found.mend.text == "(close if close > open else open)" and found.mend.span == (4, len(text))


def test_hues_and_the_strength_of_a_shade():
    for hue in ("red", "orange", "gold", "green", "blue", "violet"):
        assert check(f"shade high to low color {hue} strength 40% when close > open").is_sound
    for wrong in ("0%", "101%", "40", "high%"):
        assert not check(f"shade high to low strength {wrong}").is_sound


def test_words_of_weekdays_are_told_apart():
    assert WEEKDAYS[4] == "fri" and MONTHS[4] == "may"
    found = check("enter long when weekday == fri").diagnostics[0]
    assert found.code == "S0203" and "`weekday is fri`" in found.help


def test_a_script_that_is_not_there_is_told_with_the_nearest_title():
    kept = {"Harbour swell": SavedScript("Harbour swell", 1, "x = close")}
    shelf = Setting(
        scripts=lambda title, version: kept.get(title) if not version else None, titles=lambda: [*kept, "Low water"]
    )
    found = check('use "Harbor swell" as h', shelf).diagnostics[0]
    assert found.code == "S0213" and found.mend.text == '"Harbour swell"' and "`Harbour swell`" in found.help
    assert check('use "Quite another" as h', shelf).diagnostics[0].mend is None
    assert check('use "Harbour swell" version 9 as h', shelf).diagnostics[0].mend is None
