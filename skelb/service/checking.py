"""Checking scripts for where they will run."""

from skelb.core.bars import Bars, Market
from skelb.core.errors import ScriptError
from skelb.core.language import Checked, LineMap, Scripts, Setting, check


def setting_for(bars: Bars, market: Market, scripts: Scripts | None = None) -> Setting:
    """What the checker may know of the place where a script will run."""
    return Setting(not bars.timeframe.is_intraday, market.pip is not None, scripts)


def checked_or_error(text: str, setting: Setting | None = None) -> Checked:
    """The checked script. Raises ScriptError with the first error when it is not sound."""
    checked = check(text, setting)
    raise_errors(checked)
    return checked


def raise_errors(checked: Checked) -> None:
    """Raise ScriptError with the first error of a script that is not sound."""
    if not checked.is_sound:
        errors = [item for item in checked.diagnostics if item.severity == "error"]
        place = LineMap(checked.source).place(errors[0].span[0])
        more = f" (and {len(errors) - 1} more)" if len(errors) > 1 else ""
        raise ScriptError(f"line {place.line}, column {place.column}: {errors[0].message}{more}")
