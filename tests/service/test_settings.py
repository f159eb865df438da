"""Market and account JSON: defaults of the contract, and refusals that name the key."""

import pytest

from skelb.core.errors import SettingsError
from skelb.service.settings import account_settings, market_settings, read_settings_file

MARKET_DEFAULTS = {
    "tick": 0.01, "pip": None, "point_value": 1, "lot_step": 0.000001, "min_lot": 0.000001, "zone": "UTC",
    "session": "00:00-24:00", "session_day": "end", "days": "mon-sun", "spread": 0, "spread_unit": "price",
    "spread_by_hour": None, "quotes": "mid", "financing_long": 0, "financing_short": 0, "triple_day": None,
    "currency_rate": 1, "commission": None,
}  # fmt: skip
ACCOUNT_DEFAULTS = {
    "capital": 10000, "commission_percent": 0, "commission_per_unit": 0, "commission_per_order": 0,
    "commission_minimum": 0, "slippage_ticks": 0, "leverage": 1, "same_bar": "worst", "short_of_margin": "cut",
    "stop_out": 0, "max_open_total": None, "cash_rate": 0, "currency": "",
}  # fmt: skip


def test_what_is_absent_means_what_the_contract_says():
    found = market_settings({}).model_dump()
    assert found.pop("symbol") == ""
    assert found == MARKET_DEFAULTS
    assert account_settings({}).model_dump() == ACCOUNT_DEFAULTS
    assert market_settings({}).market("FILE").symbol == "FILE"
    assert market_settings({"symbol": "KELP"}).market("FILE").symbol == "KELP"


def test_settings_reach_the_core():
    market = market_settings({"commission": {"per_unit": 2}, "spread_by_hour": [0.5] * 24, "pip": 0.1}).market("M")
    assert (market.commission.per_unit, market.spread_by_hour[5], market.pip) == (2, 0.5, 0.1)
    account = account_settings({"commission_percent": 0.1, "leverage": 5, "same_bar": "path"}).account()
    assert (account.commission.percent, account.leverage, account.same_bar) == (0.1, 5, "path")


@pytest.mark.parametrize(
    ("values", "named"),
    [({"tock": 1}, "tock"), ({"tick": "x"}, "tick"), ({"quotes": "ask"}, "quotes"), ({"tick": float("nan")}, "tick")],
)
def test_wrong_market_keys_are_named(values, named):
    with pytest.raises(SettingsError, match=named):
        market_settings(values)


@pytest.mark.parametrize(
    ("values", "named"),
    [({"capital": -1}, "capital"), ({"leverage": 0}, "leverage"), ({"same_bar": "best"}, "same_bar"),
     ({"slippage_ticks": -1}, "slippage"), ({"max_open_total": 0}, "max_open_total")],
)  # fmt: skip
def test_wrong_account_keys_are_named(values, named):
    with pytest.raises(SettingsError, match=named):
        account_settings(values).account()


@pytest.mark.parametrize(("text", "why"), [("{", "line 1"), ("[]", "no JSON object"), (b"\xff", "cannot be read")])
def test_files_that_are_no_settings_say_where(tmp_path, text, why):
    path = tmp_path / "market.json"
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    with pytest.raises(SettingsError, match=why):
        read_settings_file(path)
    with pytest.raises(SettingsError, match="cannot be read"):
        read_settings_file(tmp_path / "missing.json")
