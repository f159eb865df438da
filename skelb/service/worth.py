"""What each line of a strategy is worth: the run without it, and without each part of its conditions."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

from skelb.core.errors import SettingsError, SkelbError
from skelb.core.figures import Figures, figures_of, record_together
from skelb.core.language import check
from skelb.core.language.tools import Change, Lesser, NearerKind, lesser_scripts, nearer_script
from skelb.core.stopping import stop_point
from skelb.service.prepared import Prepared

SHOWN = ("net_profit", "return_over_drawdown", "trades")
_MOST = 80
Says = Literal["", "changes nothing", "only costs"]


@dataclass(frozen=True, slots=True)
class LineWorth:
    """A run with less in its script: what it is without (or what stands alone), where that stands, its figures, and how
    they differ from the run's, or why it cannot be run.

    says : that the line changes nothing, or only costs: without it net and return over drawdown are both higher
    """

    change: Change
    part: str
    of: str
    line: int
    figures: Figures | None
    differences: Figures | None
    says: Says
    error: str


@dataclass(frozen=True, slots=True)
class WorthStep:
    """How far it is, and the row just finished; the run's own figures come with every step."""

    done: int
    total: int
    run: Figures
    row: LineWorth | None


class Worths:
    """Every lesser script of a sound one, run as it is. Raises SkelbError as a backtest does."""

    def __init__(self, prepared: Prepared) -> None:
        self._prepared = prepared
        self._record = record_together(prepared.outcomes())
        self._run = figures_of(self._record)
        self._lesser = lesser_scripts(prepared.checked)[:_MOST]

    def steps(self) -> Iterator[WorthStep]:
        """A step before the first, then one a lesser script; at most 80."""
        own = {key: self._run[key] for key in SHOWN}
        yield WorthStep(0, len(self._lesser), own, None)
        for done, lesser in enumerate(self._lesser, 1):
            stop_point(done / len(self._lesser))
            yield WorthStep(done, len(self._lesser), own, self._row(lesser))

    def _row(self, lesser: Lesser) -> LineWorth:
        told = lesser.change, lesser.part, lesser.of, lesser.line
        checked = check(lesser.text, self._prepared.setting)
        try:
            found = replace(self._prepared, checked=checked).sound().with_known_inputs()
            record = record_together(found.outcomes())
        except SkelbError as exc:
            return LineWorth(*told, None, None, "", str(exc))
        figures = figures_of(record)
        differences = {key: _difference(figures[key], self._run[key]) for key in SHOWN}
        same = record.equity.tobytes() == self._record.equity.tobytes() and record.net.size == self._record.net.size
        net, over = differences["net_profit"], differences["return_over_drawdown"]
        costs = lesser.change == "without" and net is not None and net > 0 and (over is None or over > 0)
        says: Says = "changes nothing" if same else "only costs" if costs else ""
        return LineWorth(*told, {key: figures[key] for key in SHOWN}, differences, says, "")


@dataclass(frozen=True, slots=True)
class NearerTried:
    """A run with a nearer stop, or another target: its text, the lines that say so, its figures, and how they differ
    from the run's."""

    text: str
    lines: list[str]
    figures: Figures
    differences: Figures


def try_nearer(prepared: Prepared, kind: NearerKind, level: float) -> NearerTried:
    """The run with every stop at `level` times its distance, or every target at `level` R. Raises SettingsError where
    that cannot be written."""
    found = nearer_script(prepared.checked, kind, level)
    if found is None:
        raise SettingsError(f"a {kind} at so many R cannot be written here: it needs a stop that is a distance")
    text, lines = found
    run, tried = (
        figures_of(record_together(item.sound().outcomes()))
        for item in (prepared, replace(prepared, checked=check(text, prepared.setting)))
    )
    differences = {key: _difference(tried[key], run[key]) for key in SHOWN}
    return NearerTried(text, lines, {key: tried[key] for key in SHOWN}, differences)


def _difference(now: float | None, before: float | None) -> float | None:
    return None if now is None or before is None else now - before
