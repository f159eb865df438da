"""The alerts of a run: which bars, when, and what they say."""

from skelb.core.engine import Account, run
from skelb.core.export import alert_rows, count_alerts
from skelb.core.language import check
from skelb.core.plan import make_plan
from tests.conftest import dataset, wave_bars

TEXT = """enter long when close > open
alert close > open "up at {close}, mean {sma(close, 3)}"
alert bar == 1 "second {bar}"
"""


def test_alerts_are_those_of_the_bars_of_the_run():
    here, checked = dataset(wave_bars(60)), check(TEXT)
    assert checked.is_sound, checked.diagnostics
    outcome = run(make_plan(checked, here, {}), Account())
    rows, bars = alert_rows(outcome, checked), here.bars
    ups = [row for row in rows if row.text.startswith("up")]
    assert [row.bar for row in ups] == [bar for bar in range(60) if bars.close[bar] > bars.open[bar]]
    assert all(f"up at {bars.close[row.bar]:.8g}," in row.text for row in ups)
    assert [row.text for row in rows if row.bar == 1][-1] == "second 1"
    assert [row.bar for row in rows] == sorted(row.bar for row in rows)
    assert count_alerts(outcome, checked) == len(rows) and alert_rows(outcome, checked, 5) == rows[-5:]
    first = min(ups, key=lambda row: row.bar)
    assert ("mean -" in first.text) == (first.bar < 2)


def test_a_script_without_alerts_has_none():
    here, checked = dataset(wave_bars(30)), check("enter long when close > open")
    outcome = run(make_plan(checked, here, {}), Account())
    assert alert_rows(outcome, checked) == [] and count_alerts(outcome, checked) == 0
