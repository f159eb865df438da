"""The account a run trades on."""

from dataclasses import dataclass, field

from skelb.core.bars import Commission
from skelb.core.errors import SettingsError


@dataclass(frozen=True)
class Account:
    """Capital and conditions. Money is in the account's currency, slippage in ticks, leverage a ratio.

    `same_bar` settles what happens first when a bar holds both stop and target: `worst`, `path`, or `detail`, which
    looks into finer bars. `stop_out` is the share of the margin at or below which equity ends the run,
    `max_open_total` how many positions may be open over all markets (None for any number). `cash_rate` is what cash
    would have earned elsewhere, percent a year: nothing is paid, but Sharpe, Sortino and alpha are of what was earned
    beyond it.
    """

    capital: float = 10_000.0
    commission: Commission = field(default_factory=Commission)
    slippage_ticks: float = 0.0
    leverage: float = 1.0
    same_bar: str = "worst"
    short_of_margin: str = "cut"
    stop_out: float = 0.0
    max_open_total: int | None = None
    cash_rate: float = 0.0

    def __post_init__(self) -> None:
        if not 0 <= self.capital < float("inf"):
            raise SettingsError(f"account: capital must be 0 or more, got {self.capital}")
        if not self.leverage > 0:
            raise SettingsError(f"account: leverage must be above 0, got {self.leverage}")
        if not self.slippage_ticks >= 0 or not self.stop_out >= 0:
            raise SettingsError("account: slippage_ticks and stop_out cannot be negative")
        if self.same_bar not in ("worst", "path", "detail"):
            raise SettingsError(f"account: same_bar is worst, path or detail, got `{self.same_bar}`")
        if self.max_open_total is not None and self.max_open_total < 1:
            raise SettingsError(f"account: max_open_total is a whole number from 1, got {self.max_open_total}")
        if not -100 < self.cash_rate < 1_000:
            raise SettingsError(
                f"account: cash_rate is in percent a year, from above -100 to 1000, got {self.cash_rate}"
            )
        if self.short_of_margin not in ("cut", "skip"):
            raise SettingsError(f"account: short_of_margin is cut or skip, got `{self.short_of_margin}`")
