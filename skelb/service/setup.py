"""The whole setup of a run, as the page and the records hold it."""

from datetime import date
from hashlib import blake2b
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from skelb.core.bars import Timeframe
from skelb.core.plan import Dataset
from skelb.service.backtest import Choices
from skelb.service.costs import dearer_account
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.prepared import Prepared
from skelb.service.settings import AccountSettings, changed_account, changed_market


class Setup(BaseModel):
    """Script text, market, timeframe, dates, account, inputs, sides: what makes a run what it is.

    `terms` are changes of the account, by key of its JSON; with all of its keys the account need not be there any
    more. `described` are changes of the market in the same way. `costs` multiplies everything that a trade is charged,
    by the account and by the market.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    text: str = Field(max_length=1_100_000)
    market: str = Field(max_length=64)
    timeframe: str = Field(max_length=8)
    from_date: date | None = None
    to_date: date | None = None
    account: str = Field(max_length=100)
    inputs: dict[str, float | bool | str] = Field(default_factory=dict)
    sides: Literal["both", "long", "short"] = "both"
    inverted: bool = False
    terms: dict[str, float | str | None] = Field(default_factory=dict, max_length=40)
    costs: float = Field(default=1.0, ge=0, le=100)
    described: dict[str, Any] = Field(default_factory=dict, max_length=40)

    @property
    def key(self) -> str:
        """The same for the same setup."""
        return blake2b(self.model_dump_json().encode(), digest_size=8).hexdigest()

    def dataset(self, datasets: Datasets) -> Dataset:
        """The bars to run on."""
        return datasets.get(self.market, Timeframe.parse(self.timeframe), self.costs, self.described)

    def account_settings(self, library: Library) -> AccountSettings:
        """The account as it is changed here. Raises NotFoundError, SettingsError when it cannot be."""
        is_whole = self.terms.keys() >= AccountSettings.model_fields.keys()
        return changed_account(AccountSettings() if is_whole else library.account(self.account), self.terms)

    def whole(self, library: Library) -> "Setup":
        """The same, with all of account and market said: what was run stays that, whatever becomes of them."""
        market = changed_market(library.market(self.market).settings, self.described)
        terms = self.account_settings(library).model_dump()
        return self.model_copy(update={"terms": terms, "described": market.model_dump(mode="json")})

    def prepared(self, library: Library, datasets: Datasets) -> Prepared:
        """The run, whose script may have errors. Raises SkelbError when market, account or timeframe cannot be."""
        dataset, account = self.dataset(datasets), self.account_settings(library).account()
        if self.costs != 1.0:
            account = dearer_account(account, self.costs)
        choices = Choices(self.inputs, self.sides, self.from_date, self.to_date, self.inverted)
        return Prepared.of(self.text, library.saved_script, dataset, account, choices).with_known_inputs()
