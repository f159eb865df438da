"""What a finding is."""

from dataclasses import dataclass
from typing import Literal

FEWEST_TRADES = 30


Severity = Literal["grave", "warning", "note"]


@dataclass(frozen=True)
class Finding:
    """One finding: a code, how grave, a sentence with numbers, and the bar to look at (None for the whole run)."""

    code: str
    severity: Severity
    message: str
    bar: int | None = None
