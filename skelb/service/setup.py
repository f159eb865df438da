"""The whole setup of a run, as the page and the records hold it."""

from datetime import date
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from skelb.core.bars import Timeframe
from skelb.core.engine import Account
from skelb.core.language import Checked
from skelb.core.plan import Dataset, input_values
from skelb.core.trials import Sweep
from skelb.service.backtest import Choices
from skelb.service.checking import checked_or_error, setting_for
from skelb.service.datasets import Datasets
from skelb.service.library import Library


class Setup(BaseModel):
    """Script text, market, timeframe, dates, account, inputs, sides: what makes a run what it is."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(max_length=1_100_000)
    market: str = Field(max_length=64)
    timeframe: str = Field(max_length=8)
    from_date: date | None = None
    to_date: date | None = None
    account: str = Field(max_length=100)
    inputs: dict[str, float | bool | str] = Field(default_factory=dict)
    sides: Literal["both", "long", "short"] = "both"
    inverted: bool = False

    def choices(self, checked: Checked) -> Choices:
        """What the setup chooses besides script, bars and account."""
        return Choices(self.known_inputs(checked), self.sides, self.from_date, self.to_date, self.inverted)

    def dataset(self, datasets: Datasets) -> Dataset:
        """The bars to run on."""
        return datasets.get(self.market, Timeframe.parse(self.timeframe))

    def conditions(self, library: Library) -> Account:
        """The account to run on."""
        return library.account(self.account).account()

    def checked(self, library: Library, dataset: Dataset) -> Checked:
        """The sound script. Raises ScriptError when it has errors."""
        return checked_or_error(self.text, setting_for(dataset.bars, dataset.market, library.saved_script))

    def known_inputs(self, checked: Checked) -> dict[str, Any]:
        """The inputs that the script has; others are left from an earlier text and mean nothing."""
        return {name: value for name, value in self.inputs.items() if name in checked.inputs}

    def sweep(self, library: Library, datasets: Datasets) -> Sweep:
        """The same setup for many runs."""
        dataset = self.dataset(datasets)
        checked = self.checked(library, dataset)
        fixed = input_values(checked, self.known_inputs(checked))
        return Sweep(
            checked, dataset, self.conditions(library), fixed, self.sides, self.from_date, self.to_date, self.inverted
        )
