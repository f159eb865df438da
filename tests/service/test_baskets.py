"""Baskets: markets under a name, run together, the dear ones left out before anything is seen."""

import pickle
from dataclasses import replace

import numpy as np
import pytest

from skelb.core.bars import Timeframe
from skelb.core.errors import ConflictError, NotFoundError, SettingsError
from skelb.core.export import basket_document, time_text
from skelb.core.figures import basket_record, charges_of, earned_by_market
from skelb.core.trials import (
    ChallengeRules,
    packed,
    read_axis,
    stitched,
    trading_days,
    windows_by_count,
    worst_equity,
    worst_together,
)
from skelb.demo import DEMO_ACCOUNTS, DEMO_BASKETS, DEMO_MARKETS, DEMO_SCRIPTS, make_bars
from skelb.service.application import Application
from skelb.service.baskets import basket_run
from skelb.service.distrust import Stress, challenged, redrawn
from skelb.service.setup import Setup
from skelb.service.trials.desk import View
from skelb.store import BasketRecord
from tests.conftest import wave_bars
from tests.service.conftest import SETUP, finished, order, tried

TOGETHER = SETUP.model_copy(update={"basket": ("CALM", "DEAR", "WAVE")})


@pytest.fixture
def library(application):
    for symbol, spread in (("CALM", 0.25), ("DEAR", 40.0)):
        application.library.save_market(symbol, "", {"tick": 0.25, "spread": spread}, [wave_bars(4000, seed=5)])
    return application.library


def run_of(application, markets, **chosen):
    asked = {"dropped": (), "dearest": None, "setup": SETUP} | chosen
    setup = asked["setup"].model_copy(update={"basket": tuple(markets), "dearest": asked["dearest"]})
    return basket_run(setup, asked["dropped"], None, application.library, application.datasets)


def test_a_basket_is_kept_changed_renamed_taken_away_and_brought_back(application, library):
    library.save_basket("  Both   waves ", ["WAVE", "CALM", "WAVE"])
    assert library.baskets() == {"Both waves": ("WAVE", "CALM")}
    library.save_basket("Both waves", ["CALM", "DEAR"])
    assert library.basket("Both waves") == ("CALM", "DEAR")
    library.save_basket("Other", ["WAVE"])
    with pytest.raises(ConflictError, match="a basket `Other` already"):
        application.keeping.rename("basket", "Both waves", "Other")
    application.keeping.rename("basket", "Both waves", "Two")
    assert application.keeping.depends("market", "CALM") == ["the basket Two holds it, and cannot be run without it"]
    assert application.keeping.depends("basket", "Two") == []
    application.keeping.remove("basket", "Two")
    with pytest.raises(NotFoundError, match="no basket `Two`; there are: Other"):
        library.basket("Two")
    application.keeping.bring_back("basket", "Two")
    assert library.basket("Two") == ("CALM", "DEAR")


@pytest.mark.parametrize(
    ("name", "markets", "said"),
    [
        ("", ["WAVE"], "a basket's name has 1 to 80"),
        ("x" * 81, ["WAVE"], "a basket's name has 1 to 80"),
        ("None", [], "1 to 40 markets"),
        ("Many", [str(number) for number in range(41)], "1 to 40 markets"),
        ("Unknown", ["WAVE", "NOWHERE"], "no market `NOWHERE`"),
    ],
)
def test_what_cannot_be_a_basket_is_refused(library, name, markets, said):
    with pytest.raises((SettingsError, NotFoundError), match=said):
        library.save_basket(name, markets)
    assert library.baskets() == {}


def test_a_basket_that_cannot_be_read_breaks_no_list(application, library):
    library.save_basket("Whole", ["WAVE"])
    with application.database.session() as session:
        session.add(BasketRecord(name="Broken", markets={"not": "a list"}))
    told = []
    assert library.baskets(told) == {"Whole": ("WAVE",)}
    assert len(told) == 1 and "Broken" in told[0] and told[0] in application.left_out()


def test_dear_markets_are_not_run_and_are_told(application, library):
    markets = ("CALM", "DEAR", "WAVE")
    dear = charges_of(application.datasets.get("DEAR", None), library.account("Plain").account().commission, 0.0).share
    found = run_of(application, markets, dearest=10.0)
    assert {row.market for row in found.rows} == {"CALM", "WAVE"} and found.too_dear == {"DEAR": pytest.approx(dear)}
    [told] = [finding for finding in found.findings if finding.code == "markets_too_dear"]
    assert "DEAR" in told.message and told.severity == "note"
    assert found.figures == run_of(application, ("CALM", "WAVE")).figures  # chosen by cost, as if never named
    assert run_of(application, markets, dearest=dear + 1).too_dear == {}
    with pytest.raises(SettingsError, match="none is left"):
        run_of(application, ("DEAR",), dearest=10.0)
    dropped = run_of(application, markets, dearest=10.0, dropped=("CALM",))
    assert {finding.code for finding in dropped.findings} >= {"markets_too_dear", "markets_dropped"}


def test_costs_times_so_many_reach_every_market_of_a_basket(application, library):
    nets = {
        times: run_of(application, ("CALM", "WAVE"), setup=SETUP.model_copy(update={"costs": times}))
        for times in (0.0, 1.0, 3.0)
    }
    costs = {times: found.figures["all"]["total_costs"] for times, found in nets.items()}
    assert costs[0.0] == 0 < costs[1.0] and costs[3.0] == pytest.approx(3 * costs[1.0], rel=0.02)


def test_a_basket_is_doubted_as_the_backtests_of_it(application, library):
    prepared = TOGETHER.prepared(library, application.datasets).sound()
    steps = list(Stress(prepared).steps())
    rows = {step.row.name: step.row for step in steps if step.row}
    for name, setup in (("as it is", SETUP), ("without costs", {"costs": 0.0}), ("costs × 2", {"costs": 2.0})):
        asked = SETUP.model_copy(update=setup) if isinstance(setup, dict) else setup
        figures = run_of(application, ("CALM", "DEAR", "WAVE"), setup=asked).figures["all"]
        assert rows[name].figures == pytest.approx({key: figures[key] for key in rows[name].figures})
    inverted = SETUP.model_copy(update={"inverted": True})
    exchanged = run_of(application, ("CALM", "DEAR", "WAVE"), setup=inverted).figures["all"]
    assert rows["sides exchanged"].figures["net_profit"] == pytest.approx(exchanged["net_profit"])
    assert steps[-1].timing is None and "ask each alone" in steps[-1].verdict[-1]


def test_a_basket_of_one_market_is_doubted_as_its_run(application, library):
    prepared = SETUP.prepared(library, application.datasets).sound()
    [alone] = replace(prepared, basket=(prepared.dataset,)).outcomes()
    run = prepared.backtest().outcome
    assert redrawn([alone], "bootstrap", 200, 1, 0.1, 10) == redrawn([run], "bootstrap", 200, 1, 0.1, 10)
    rules = ChallengeRules(1.0, 2.0, 4.0)
    assert challenged([alone], rules) == challenged([run], rules)
    np.testing.assert_allclose(worst_together([run], run.equity), worst_equity(run), atol=1e-6)


def test_what_is_drawn_of_a_basket_are_its_trades_and_its_worst_is_all_of_theirs(application, library):
    result = TOGETHER.prepared(library, application.datasets).sound().backtest_basket()
    for outcome, earned in zip(result.outcomes, earned_by_market(result.outcomes), strict=True):
        assert earned[-1] == pytest.approx(float(outcome.trades.net.sum()))
    together = sum(earned_by_market(result.outcomes))
    np.testing.assert_allclose(together, basket_record(result.outcomes).equity - 100_000, atol=1e-6)
    drawn = redrawn(result.outcomes, "shuffle", 50, 1, 0.1, 10)
    assert drawn.measures["net"].real == pytest.approx(result.figures["all"]["net_profit"])
    record = basket_record(result.outcomes)
    worst = worst_together(result.outcomes, record.equity)
    assert (worst <= record.equity + 1e-6).all() and (worst < record.equity - 1).any()
    assert record.day_of_points.size == record.equity.size
    found = challenged(result.outcomes, ChallengeRules(5.0, 2.0, 4.0))
    assert len(found.ends) == record.days.size


def test_the_trades_of_a_basket_are_those_of_its_document_each_with_its_market(application, library):
    shown = basket_run(TOGETHER, [], None, library, application.datasets)
    result = TOGETHER.prepared(library, application.datasets).backtest_basket()
    rows = basket_document(result.outcomes, result.figures, [], False)["trades"]
    assert 0 < len(shown.trades) == len(rows) and {trade.market for trade in shown.trades} == {*TOGETHER.basket}
    for trade, row in zip(shown.trades, rows, strict=True):
        told = (trade.number, trade.market, trade.side, trade.exit_price, trade.net, time_text(trade.exit_time))
        assert told == (row["number"], row["market"], row["side"], row["exit_price"], row["net"], row["exit_time"])
    for row in shown.rows:
        bars, closes = application.datasets.get(row.market, Timeframe(15)), np.array(row.closes, float)
        at = np.searchsorted(bars.calendar.close_time, shown.times, side="right") - 1
        np.testing.assert_array_equal(closes[at >= 0], bars.bars.close[at[at >= 0]])


def test_every_run_of_a_sweep_over_a_basket_is_its_backtest(application, library):
    asked = order(setup=TOGETHER, vary=["n=5,9", "timeframe=15m,1h"])
    number = finished(application, asked)
    table = application.desk.table(number, View(), "net_profit", True, {}, {}, 0, 10)
    assert len(table.rows) == 4
    for row in table.rows:
        changed = {"inputs": {"n": row.inputs["n"]}, "timeframe": row.inputs["timeframe"]}
        found = run_of(application, TOGETHER.basket, setup=TOGETHER.model_copy(update=changed))
        assert row.figures["net_profit"] == pytest.approx(found.figures["all"]["net_profit"])
        assert row.figures["trades"] == found.figures["all"]["trades"]
    assert tried(application) == 0  # a basket's runs are of no one market's bars
    with pytest.raises(SettingsError, match="do not vary"):
        sweep = TOGETHER.prepared(library, application.datasets).sweep()
        sweep.run_one({"market": "CALM"})
    with pytest.raises(SettingsError, match="one market at a time"):
        application.trials.start(order(setup=TOGETHER, kind="search", vary=[]))


def test_a_trial_of_a_basket_does_not_go_on_when_any_of_its_bars_have_changed(application, library):
    number = finished(application, order(setup=TOGETHER, vary=["n=5,9"]))
    application.trials.go_on(number)
    library.save_market("WAVE", "", None, [wave_bars(4100)])
    application.trials.store.set_state(number, "stopped")
    with pytest.raises(ConflictError, match="CALM, DEAR, WAVE have changed"):
        application.trials.go_on(number)


def test_a_walk_over_a_basket_goes_on_with_what_the_legs_before_left(application, library):
    sweep = TOGETHER.prepared(library, application.datasets).sweep()
    days = trading_days(sweep.dataset.calendar.day, None, None)
    windows = windows_by_count(days, 3, 2.0)
    moving = stitched(sweep, [(window.outside, {"n": 5.0}) for window in windows])
    nets = [leg.figures["net_profit"] for leg in moving.legs]
    assert len(nets) == 3 and moving.net == pytest.approx(sum(nets))
    first = TOGETHER.model_copy(update={"from_date": windows[0].outside.first, "to_date": windows[0].outside.last})
    assert nets[0] == pytest.approx(run_of(application, TOGETHER.basket, setup=first).figures["all"]["net_profit"])
    assert (np.diff(moving.times) > 0).all() and moving.days.size == moving.equity.size


def test_a_sweep_over_a_basket_is_the_same_elsewhere(application, library):
    sweep = TOGETHER.model_copy(update={"dearest": 10.0}).prepared(library, application.datasets).sweep()
    assert sweep.basket == ("CALM", "WAVE")
    axes = (read_axis("n=5,9", sweep.checked), read_axis("timeframe=15m,1h", sweep.checked))
    sent = pickle.loads(pickle.dumps(packed(sweep, axes))).unpacked()
    for point in ({"n": 5.0}, {"n": 9.0, "timeframe": "1h"}):
        assert sent.run_one(point) == sweep.run_one(point)


def test_a_kept_run_of_a_basket_is_kept_word_for_word(application, library):
    figures = run_of(application, TOGETHER.basket).figures
    kept = application.runs.keep(TOGETHER)
    assert kept.figures["all"] == figures["all"] and set(kept.setup.each) == set(TOGETHER.basket)
    trace = application.runs.trace(kept.number)
    library.save_market("CALM", "", {"tick": 0.25, "spread": 9.0}, [])
    assert run_of(application, TOGETHER.basket).figures["all"]["net_profit"] < figures["all"]["net_profit"]
    assert application.runs.trace(kept.number) == trace
    assert trace.equity[-1] == pytest.approx(100_000 + figures["all"]["net_profit"])
    assert len(trace.trades.net) == figures["all"]["trades"] and sum(trace.trades.net) == pytest.approx(
        figures["all"]["net_profit"]
    )
    assert len(trace.time) == len(trace.equity)


@pytest.mark.parametrize(
    ("basket", "title", "dear"),
    [
        ("Currency pairs", "Lantern band", {"VEL/BRY", "VEL/DOR", "BRY/HEM"}),
        ("Quay shares", "Rope ladder", {"FERY", "ISLE", "JETT"}),
    ],
)
def test_in_the_demo_world_a_basket_pays_without_its_dear_markets(tmp_path, basket, title, dear):
    application = Application(tmp_path)
    for demo in DEMO_MARKETS:
        if demo.settings["symbol"] in DEMO_BASKETS[basket]:
            application.library.save_market(demo.settings["symbol"], demo.title, demo.settings, make_bars(demo))
    name, settings = next(iter(DEMO_ACCOUNTS.items()))
    application.library.save_account(name, settings)
    text = next(item.text for item in DEMO_SCRIPTS if item.title == title)
    setup = Setup(text=text, market=DEMO_BASKETS[basket][0], timeframe="1h", account=name)
    whole = run_of(application, DEMO_BASKETS[basket], setup=setup)
    cheap = run_of(application, DEMO_BASKETS[basket], setup=setup, dearest=10.0)
    assert set(cheap.too_dear) == dear
    assert whole.figures["all"]["net_profit"] < 0 < cheap.figures["all"]["net_profit"]
    application.close()
