"""The whole setup of a run, as the page and the records hold it."""

from datetime import date
from hashlib import blake2b
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from skelb.core.bars import Timeframe
from skelb.core.plan import Dataset
from skelb.service.backtest import Choices
from skelb.service.datasets import Datasets
from skelb.service.library import Library
from skelb.service.prepared import Prepared


class Setup(BaseModel):
    """Script text, market, timeframe, dates, account, inputs, sides: what makes a run what it is."""

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

    @property
    def key(self) -> str:
        """The same for the same setup."""
        return blake2b(self.model_dump_json().encode(), digest_size=8).hexdigest()

    def dataset(self, datasets: Datasets) -> Dataset:
        """The bars to run on."""
        return datasets.get(self.market, Timeframe.parse(self.timeframe))

    def prepared(self, library: Library, datasets: Datasets) -> Prepared:
        """The run, whose script may have errors. Raises SkelbError when market, account or timeframe cannot be."""
        dataset, account = self.dataset(datasets), library.account(self.account).account()
        choices = Choices(self.inputs, self.sides, self.from_date, self.to_date, self.inverted)
        return Prepared.of(self.text, library.saved_script, dataset, account, choices).with_known_inputs()
