"""A run made ready: script, bars, account and choices together, from whatever said them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

from skelb.core.engine import Account, Outcome
from skelb.core.errors import SettingsError
from skelb.core.figures import Figures, Finding
from skelb.core.language import Checked, Scripts, Setting, check
from skelb.core.plan import Dataset, Expressions, InputValue, input_values
from skelb.core.trials import Sweep
from skelb.service.backtest import BasketResult, Choices, Result, backtest, backtest_basket, basket_of
from skelb.service.checking import raise_errors, setting_for


class Judged(NamedTuple):
    """A run's outcomes, one a market; its figures by side, and what there is to say against it."""

    outcomes: list[Outcome]
    figures: dict[str, Figures]
    findings: list[Finding]


@dataclass(frozen=True, eq=False)
class Prepared:
    """All that a run is made of. The script may have errors: `sound` says which, and everything else asks for it first.

    `setting` is what the script was checked with: another text for the same place is checked with it too. A `basket`
    are the markets that are run together, the dataset's among them; without one it is the dataset alone.
    """

    checked: Checked
    dataset: Dataset
    account: Account
    choices: Choices
    setting: Setting
    basket: tuple[Dataset, ...] = ()

    @classmethod
    def of(
        cls,
        text: str,
        scripts: Scripts,
        dataset: Dataset,
        account: Account,
        choices: Choices,
        basket: Sequence[Dataset] = (),
    ) -> "Prepared":
        """A text checked for a dataset; inputs may be chosen that it does not have, which running it refuses."""
        setting = setting_for(dataset.bars, dataset.market, scripts)
        return cls(check(text, setting), dataset, account, choices, setting, tuple(basket))

    def sound(self) -> "Prepared":
        """Itself. Raises ScriptError with the script's first error when it has any."""
        raise_errors(self.checked)
        return self

    def with_known_inputs(self) -> "Prepared":
        """Only inputs that the script has: others are left from an earlier text and mean nothing."""
        known = {name: value for name, value in self.choices.inputs.items() if name in self.checked.inputs}
        return replace(self, choices=replace(self.choices, inputs=known))

    @cached_property
    def inputs(self) -> Mapping[str, InputValue]:
        """Every input with its value. Raises SettingsError on one that cannot be."""
        return input_values(self.checked, self.choices.inputs)

    def expressions(self) -> Expressions:
        """The values of the script's names."""
        return Expressions(self.checked, dict(self.inputs), self.dataset)

    def backtest(self) -> Result:
        """The judged run. Raises SettingsError on inputs, sides or dates that cannot be."""
        return backtest(self.checked, self.dataset, self.account, self.choices)

    def backtest_basket(self, **chosen: Any) -> BasketResult:
        """The judged run of the basket; `chosen` are further choices. Raises SettingsError as `backtest` does."""
        return backtest_basket(self.checked, self.basket, self.account, replace(self.choices, **chosen))

    def judged(self) -> Judged:
        """The run, of the dataset alone or of the basket. Raises SettingsError as `backtest` does."""
        if self.basket:
            together = self.backtest_basket()
            return Judged(together.outcomes, together.figures, together.findings)
        result = self.backtest()
        return Judged([result.outcome], result.figures, result.findings)

    def outcomes(self) -> list[Outcome]:
        """The run, of the dataset alone or of every market of the basket."""
        return self.backtest_basket().outcomes if self.basket else [self.backtest().outcome]

    @property
    def datasets(self) -> tuple[Dataset, ...]:
        """The markets that are run, in the order they are."""
        return tuple(sorted(self.basket, key=lambda dataset: dataset.market.symbol)) or (self.dataset,)

    def alone(self) -> "Prepared":
        """Itself. Raises SettingsError where it is of a basket: what asks this looks at one market at a time."""
        if self.basket:
            raise SettingsError("this looks at one market at a time: choose one instead of the basket")
        return self

    def sweep(self) -> Sweep:
        """The same for many runs."""
        chosen = self.choices
        kept = basket_of(self.basket, self.account, chosen)[0] if self.basket else ()
        return Sweep(
            self.checked,
            self.dataset,
            self.account,
            dict(self.inputs),
            chosen.sides,
            chosen.from_date,
            chosen.to_date,
            chosen.inverted,
            tuple(dataset.market.symbol for dataset in kept),
        )
