"""Market and account settings as they come in JSON, checked and turned into the core's."""

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from skelb.core.bars import Commission, Market
from skelb.core.engine import Account
from skelb.core.errors import SettingsError
from skelb.service.mistakes import one_line

M = TypeVar("M", bound=BaseModel)


class _Settings(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class CommissionSettings(_Settings):
    """A market's own commission, in place of the account's."""

    percent: float = 0.0
    per_unit: float = 0.0
    per_order: float = 0.0
    minimum: float = 0.0


class MarketSettings(_Settings):
    """The market JSON; every key is optional."""

    symbol: str = ""
    tick: float = 0.01
    pip: float | None = None
    point_value: float = 1.0
    lot_step: float = 0.000001
    min_lot: float = 0.000001
    zone: str = "UTC"
    session: str = "00:00-24:00"
    session_day: Literal["end", "start"] = "end"
    days: str = "mon-sun"
    spread: float = 0.0
    spread_unit: Literal["price", "ticks", "percent"] = "price"
    spread_by_hour: list[float] | None = None
    quotes: Literal["mid", "bid"] = "mid"
    financing_long: float = 0.0
    financing_short: float = 0.0
    triple_day: str | None = None
    currency_rate: float | str = 1.0
    commission: CommissionSettings | None = None

    def market(self, symbol: str = "") -> Market:
        """The core's market, named `symbol` unless the settings name it."""
        values = self.model_dump(exclude={"symbol", "commission", "spread_by_hour"})
        hourly = None if self.spread_by_hour is None else tuple(self.spread_by_hour)
        commission = Commission(**self.commission.model_dump()) if self.commission else None
        return Market(self.symbol or symbol, spread_by_hour=hourly, commission=commission, **values)


class AccountSettings(_Settings):
    """The account JSON; every key is optional. `currency` is a word for what amounts are in."""

    currency: str = Field(default="", max_length=24)
    capital: float = 10_000.0
    commission_percent: float = 0.0
    commission_per_unit: float = 0.0
    commission_per_order: float = 0.0
    commission_minimum: float = 0.0
    slippage_ticks: float = 0.0
    leverage: float = 1.0
    same_bar: Literal["worst", "path", "detail"] = "worst"
    short_of_margin: Literal["cut", "skip"] = "cut"
    stop_out: float = 0.0
    max_open_total: int | None = Field(default=None, ge=1)
    cash_rate: float = 0.0

    def account(self) -> Account:
        """The core's account."""
        fees = Commission(
            self.commission_percent, self.commission_per_unit, self.commission_per_order, self.commission_minimum
        )
        return Account(
            self.capital, fees, self.slippage_ticks, self.leverage, self.same_bar, self.short_of_margin, self.stop_out,
            self.max_open_total, self.cash_rate,
        )  # fmt: skip


def read_settings_file(path: Path) -> dict[str, Any]:
    """The JSON object in a file. Raises SettingsError when it cannot be read or is none."""
    try:
        found = json.loads(path.read_text("utf-8"))
    except (OSError, UnicodeDecodeError) as exc:
        raise SettingsError(f"{path} cannot be read: {exc}") from exc
    except json.JSONDecodeError as exc:
        raise SettingsError(f"{path} is not JSON: line {exc.lineno}, column {exc.colno}: {exc.msg}") from exc
    if not isinstance(found, dict):
        raise SettingsError(f"{path} holds no JSON object")
    return found


def market_settings(values: dict[str, Any]) -> MarketSettings:
    """Checked market settings. Raises SettingsError naming the key that is wrong."""
    return _checked(MarketSettings, values, "market")


def account_settings(values: dict[str, Any]) -> AccountSettings:
    """Checked account settings. Raises SettingsError naming the key that is wrong."""
    return _checked(AccountSettings, values, "account")


def _checked(model: type[M], values: dict[str, Any], what: str) -> M:
    try:
        return model.model_validate(values)
    except ValidationError as exc:
        raise SettingsError(f"{what}: {one_line(exc)}") from exc


def changed_market(settings: MarketSettings, described: Mapping[str, object]) -> MarketSettings:
    """A market with some of its keys at other values. Raises SettingsError on a key or value that cannot be."""
    return market_settings({**settings.model_dump(), **described}) if described else settings


def changed_account(settings: AccountSettings, terms: Mapping[str, object]) -> AccountSettings:
    """An account with some of its keys at other values. Raises SettingsError on a key or value that cannot be."""
    return account_settings({**settings.model_dump(), **terms}) if terms else settings
