"""Accounts kept, changed for a run, and what was run with them when they are gone."""

from dataclasses import replace

import numpy as np
import pytest

from skelb.core.errors import ConflictError, NotFoundError, SettingsError
from skelb.service.looks import look_at
from skelb.service.settings import AccountSettings
from skelb.service.setup import Setup
from tests.conftest import wave_bars
from tests.service.conftest import finished
from tests.service.test_trials import SETUP, order


def net(application, setup):
    return setup.prepared(application.library, application.datasets).backtest().figures["all"]["net_profit"]


def changed(**terms):
    return SETUP.model_copy(update={"terms": terms})


def test_terms_are_the_account_saved_with_them(application):
    stored = application.library.account(SETUP.account)
    application.library.save_account("Dear", {**stored.model_dump(), "slippage_ticks": 3.0, "capital": 70_000.0})
    typed = changed(slippage_ticks=3.0, capital=70_000.0)
    assert (
        net(application, typed)
        == net(application, SETUP.model_copy(update={"account": "Dear"}))
        != net(application, SETUP)
    )
    assert net(application, SETUP.model_copy(update={"terms": stored.model_dump()})) == net(application, SETUP)


@pytest.mark.parametrize(
    ("terms", "said"),
    [
        ({"capitl": 5.0}, "capitl"),
        ({"leverage": 0.0}, "leverage"),
        ({"same_bar": "best"}, "same_bar"),
        ({"max_open_total": 0.0}, "max_open_total"),
    ],
)
def test_terms_that_cannot_be_are_refused(application, terms, said):
    with pytest.raises(SettingsError, match=said):
        net(application, changed(**terms))


def test_a_kept_run_keeps_its_account_word_for_word(application):
    application.library.save_account("Mine", {"capital": 20_000, "slippage_ticks": 1})
    kept = application.runs.keep(SETUP.model_copy(update={"account": "Mine", "terms": {"commission_per_order": 2.0}}))
    assert (
        kept.setup.terms.keys() == AccountSettings.model_fields.keys()
        and kept.setup.terms["commission_per_order"] == 2.0
    )
    application.library.save_account("Mine", {"capital": 1})
    application.keeping.remove("account", "Mine")
    again = application.runs.run(kept.number).setup
    assert net(application, again) == kept.figures["all"]["net_profit"]
    assert application.runs.trace(kept.number).equity[0] == pytest.approx(20_000, abs=500)


def test_a_trial_goes_on_with_the_account_it_began_with(application):
    application.library.save_account("Mine", {"capital": 20_000})
    asked = order(vary=["n=5..7:1"])
    number = finished(
        application, asked.model_copy(update={"setup": asked.setup.model_copy(update={"account": "Mine"})})
    )
    assert application.desk.trial(number).order.setup.terms["capital"] == 20_000


def test_costs_reach_the_market_as_well(application):
    application.library.save_account("Free", {})
    application.library.save_market("WAVE", "", {"tick": 0.25, "spread": 0.5}, [])
    free = SETUP.model_copy(update={"account": "Free"})
    without = net(application, free.model_copy(update={"costs": 0.0}))
    assert without > net(application, free) > net(application, free.model_copy(update={"costs": 3.0}))
    assert net(application, free.model_copy(update={"costs": 1.0})) == net(application, free)


@pytest.mark.parametrize("times", [0.0, 0.5, 3.0])
def test_costs_reach_a_spread_that_came_with_the_bars(application, times):
    bars = wave_bars(800, seed=5)
    stated = np.where(np.arange(800) % 3 == 0, 0.5, 0.25)
    application.library.save_account("Free", {})
    for symbol, spread in (("STATED", stated), ("DEARER", stated * times)):
        with_spread = replace(bars, columns={"spread": spread})
        application.library.save_market(symbol, "", {"tick": 0.25}, [with_spread])
    setup = SETUP.model_copy(update={"account": "Free", "market": "STATED"})
    dearer = net(application, setup.model_copy(update={"market": "DEARER"}))
    assert net(application, setup.model_copy(update={"costs": times})) == pytest.approx(dearer)
    assert dearer != pytest.approx(net(application, setup))


def test_accounts_are_renamed_taken_away_and_brought_back(application):
    library, keeping = application.library, application.keeping
    library.save_account("One", {"capital": 1_000})
    library.save_account("Two", {"capital": 2_000})
    with pytest.raises(ConflictError):
        keeping.rename("account", "One", "Two")
    with pytest.raises(SettingsError):
        keeping.rename("account", "One", "  ")
    keeping.rename("account", "One", "  First   of all ")
    assert library.account("First of all").capital == 1_000
    application.runs.keep(SETUP.model_copy(update={"account": "Two"}))
    assert keeping.depends("account", "Two") == ["1 kept run with it keeps the terms it had"]
    keeping.remove("account", "Two")
    with pytest.raises(NotFoundError):
        library.account("Two")
    library.save_account("Two", {"capital": 3_000})
    with pytest.raises(ConflictError):
        keeping.bring_back("account", "Two")
    keeping.remove("account", "Two")
    keeping.bring_back("account", "Two")
    assert library.account("Two").capital == 3_000


def test_a_setup_from_before_there_were_terms_is_read():
    old = {key: value for key, value in SETUP.model_dump(mode="json").items() if key not in ("terms", "costs")}
    assert Setup.model_validate(old) == SETUP


def test_a_market_described_otherwise_is_that_market_saved_so(application):
    dear = {"spread": 1.0, "spread_unit": "price"}
    described = SETUP.model_copy(update={"described": dear})
    before, tried = net(application, SETUP), net(application, described)
    kept = application.runs.keep(SETUP)
    stored = application.library.market("WAVE")
    application.library.save_market("WAVE", "", {**stored.settings.model_dump(), **dear}, [])
    assert net(application, SETUP) == tried < before
    assert kept.setup.described["spread"] == 0.0
    assert net(application, application.runs.run(kept.number).setup) == before == kept.figures["all"]["net_profit"]
    assert application.runs.trace(kept.number).equity[-1] == pytest.approx(100_000 + before)


@pytest.mark.parametrize(
    ("described", "said"),
    [
        ({"tick": -1}, "tick"),
        ({"sprad": 1}, "sprad"),
        ({"spread_by_hour": [1.0]}, "24 values"),
        ({"session": "9-5"}, "session"),
    ],
)
def test_a_market_that_cannot_be_is_refused(application, described, said):
    with pytest.raises(SettingsError, match=said):
        net(application, SETUP.model_copy(update={"described": described}))


def test_a_market_is_looked_at_as_it_is_described(application):
    library, datasets = application.library, application.datasets
    library.save_market("WAVE", "", {"tick": 0.25, "spread": 0.5}, [])
    stored = look_at(SETUP, library, datasets)
    assert stored.figures["net_profit"] == net(application, SETUP) and stored.problem is None
    wider = SETUP.model_copy(update={"described": {"spread": 1.5}})
    dearer = look_at(wider, library, datasets)
    assert dearer.figures["net_profit"] == net(application, wider) < stored.figures["net_profit"]
    assert dearer.charges.spread == 3 * stored.charges.spread
    broken = look_at(SETUP.model_copy(update={"text": "enter long when close"}), library, datasets)
    assert broken.figures is None and broken.problem and broken.charges == stored.charges
    with pytest.raises(SettingsError, match="sprad"):
        look_at(SETUP.model_copy(update={"described": {"sprad": 1.5}}), library, datasets)
