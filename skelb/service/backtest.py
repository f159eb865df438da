"""One backtest from a script and settings to a judged result; the command line and the page share it."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from skelb.core.bars import Bars, Market
from skelb.core.engine import Account, Outcome, run
from skelb.core.errors import ScriptError, SettingsError
from skelb.core.figures import Figures, Finding, figures_by_side, findings_of
from skelb.core.language import Checked, LineMap, Scripts, Setting, check
from skelb.core.plan import Dataset, input_values, make_plan

SIDES = ("both", "long", "short")


@dataclass(frozen=True, eq=False)
class Result:
    """A judged run: the outcome, its figures for all, long and short, and the findings."""

    outcome: Outcome
    figures: dict[str, Figures]
    findings: list[Finding]


@dataclass(frozen=True)
class Choices:
    """What a run leaves to choose besides script, bars and account."""

    inputs: Mapping[str, object]
    sides: str = "both"
    from_date: date | None = None
    to_date: date | None = None
    inverted: bool = False


def setting_for(bars: Bars, market: Market, scripts: Scripts | None = None) -> Setting:
    """What the checker may know of the place where a script will run."""
    return Setting(not bars.timeframe.is_intraday, market.pip is not None, scripts)


def checked_or_error(text: str, setting: Setting | None = None) -> Checked:
    """The checked script. Raises ScriptError with the first error when it is not sound."""
    checked = check(text, setting)
    if not checked.is_sound:
        errors = [item for item in checked.diagnostics if item.severity == "error"]
        place = LineMap(text).place(errors[0].span[0])
        more = f" (and {len(errors) - 1} more)" if len(errors) > 1 else ""
        raise ScriptError(f"line {place.line}, column {place.column}: {errors[0].message}{more}")
    return checked


def backtest(checked: Checked, dataset: Dataset, account: Account, choices: Choices) -> Result:
    """The judged result of a sound script. Raises SettingsError on inputs, sides or dates that cannot be."""
    if choices.sides not in SIDES:
        raise SettingsError(f"sides are one of {', '.join(SIDES)}, not `{choices.sides}`")
    inputs = input_values(checked, choices.inputs)
    plan = make_plan(checked, dataset, inputs, choices.sides, choices.from_date, choices.to_date, choices.inverted)
    outcome = run(plan, account)
    figures = figures_by_side(outcome)
    return Result(outcome, figures, findings_of(outcome, checked, figures, choices.sides))


def read_date(text: str | None, what: str) -> date | None:
    """The date written as 2024-01-31, None when not given. Raises SettingsError on anything else."""
    if not text:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise SettingsError(f"{what} is a date such as 2024-01-31, not `{text}`") from None
