"""The whole setup of a run, as the page and the records hold it."""

from datetime import date
from hashlib import blake2b
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from skelb.core.bars import Timeframe
from skelb.core.plan import Dataset
from skelb.service.backtest import Choices
from skelb.service.costs import dearer_account
from skelb.service.datasets import Datasets
from skelb.service.library import MOST_IN_BASKET, Library
from skelb.service.prepared import Prepared
from skelb.service.settings import AccountSettings, changed_account, changed_market


class Setup(BaseModel):
    """Script text, market, timeframe, dates, account, inputs, sides: what makes a run what it is.

    `terms` are changes of the account, by key of its JSON; with all of its keys the account need not be there any
    more. `described` are changes of the market in the same way. `costs` multiplies everything that a trade is charged,
    by the account and by the market.

    With a `basket` the run is of these markets together instead, but for those where a trade costs more than `dearest`
    percent of a day's range; `each` are changes of them by symbol, as `described` are of the one market.
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
    basket: tuple[Annotated[str, Field(max_length=64)], ...] = Field(default=(), max_length=MOST_IN_BASKET)
    dearest: float | None = Field(default=None, ge=0)
    each: dict[str, dict[str, Any]] = Field(default_factory=dict, max_length=MOST_IN_BASKET)

    @property
    def key(self) -> str:
        """The same for the same setup."""
        return blake2b(self.model_dump_json().encode(), digest_size=8).hexdigest()

    @property
    def place(self) -> str:
        """The market, or how many there are."""
        return f"a basket of {len(self.basket)} markets" if self.basket else self.market

    def dataset(self, datasets: Datasets) -> Dataset:
        """The bars to run on; of a basket those of its first market."""
        symbol = self.basket[0] if self.basket else self.market
        described = None if self.basket else self.described
        return datasets.get(symbol, Timeframe.parse(self.timeframe), self.costs, described, self.each)

    def account_settings(self, library: Library) -> AccountSettings:
        """The account as it is changed here. Raises NotFoundError, SettingsError when it cannot be."""
        is_whole = self.terms.keys() >= AccountSettings.model_fields.keys()
        return changed_account(AccountSettings() if is_whole else library.account(self.account), self.terms)

    def whole(self, library: Library) -> "Setup":
        """The same, with all of account and market said: what was run stays that, whatever becomes of them."""
        terms = self.account_settings(library).model_dump()
        described = {} if self.basket else self._described(library, self.market, self.described)
        each = {symbol: self._described(library, symbol, self.each.get(symbol, {})) for symbol in self.basket}
        return self.model_copy(update={"terms": terms, "described": described, "each": each})

    def _described(self, library: Library, symbol: str, changes: dict[str, Any]) -> dict[str, Any]:
        return changed_market(library.market(symbol).settings, changes).model_dump(mode="json")

    def prepared(self, library: Library, datasets: Datasets) -> Prepared:
        """The run, whose script may have errors. Raises SkelbError when market, account or timeframe cannot be."""
        dataset, account = self.dataset(datasets), self.account_settings(library).account()
        if self.costs != 1.0:
            account = dearer_account(account, self.costs)
        choices = Choices(self.inputs, self.sides, self.from_date, self.to_date, self.inverted, dearest=self.dearest)
        timeframe = Timeframe.parse(self.timeframe)
        basket = [datasets.get(symbol, timeframe, self.costs, None, self.each) for symbol in dict.fromkeys(self.basket)]
        return Prepared.of(self.text, library.saved_script, dataset, account, choices, basket).with_known_inputs()
