"""Rules that the language has and this engine does not execute: refused with a sentence, never ignored."""

from skelb.core.errors import SettingsError
from skelb.core.language import Checked, LineMap, forms_in


def refuse_unexecuted(checked: Checked) -> None:
    """Raise SettingsError naming the first line that this engine cannot execute."""
    for placed in checked.statements:
        if any(True for _ in forms_in(placed.statement)):
            line = LineMap(checked.source).place(placed.start).line
            raise SettingsError(
                f"line {line} is right, but this version of the engine does not execute higher bars as they form "
                "(`forming`) yet; nothing was run"
            )
