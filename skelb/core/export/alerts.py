"""Alerts: what a script's `alert` lines said on the bars of a run."""

from dataclasses import dataclass

import numpy as np

from skelb.core.catalogue import YES
from skelb.core.engine import Outcome
from skelb.core.export.documents import time_text
from skelb.core.language import Checked, LabelPart, label_parts
from skelb.core.language.tree import Alert


@dataclass(frozen=True, slots=True)
class AlertRow:
    """An alert on a bar of the run: the bar's index, its close, the text with its values."""

    bar: int
    time: str
    text: str


def alert_rows(outcome: Outcome, checked: Checked, newest: int | None = None) -> list[AlertRow]:
    """The alerts of a run, bar by bar and of one bar in text order; with `newest` only that many of the last.

    Values are those at the bar's close, with eight digits at most; an unknown one is `-`.
    """
    dataset, expressions = outcome.plan.dataset, outcome.plan.expressions
    size, closes = len(dataset), dataset.calendar.close_time
    lines = [placed.statement for placed in checked.statements if isinstance(placed.statement, Alert)]
    bars: list[np.ndarray] = []
    for line in lines:
        raised = np.flatnonzero(np.broadcast_to(expressions.whole(line.when), size) == YES)
        bars.append(raised[(raised >= outcome.first) & (raised <= outcome.last)])
    if not lines:
        return []
    of = np.repeat(np.arange(len(lines)), [part.size for part in bars])
    at = np.concatenate(bars)
    order = np.lexsort((of, at))
    order = order if newest is None else order[max(0, order.size - newest) :]
    values = [[_piece(part, outcome, checked) for part in label_parts(line.text)] for line in lines]
    return [
        AlertRow(bar, time_text(closes[bar]), "".join(_written(piece, bar) for piece in values[line]))
        for bar, line in zip(at[order].tolist(), of[order].tolist(), strict=True)
    ]


def count_alerts(outcome: Outcome, checked: Checked) -> int:
    """How many alerts a run has."""
    span, size = slice(outcome.first, outcome.last + 1), len(outcome.plan.dataset)
    lines = (placed.statement for placed in checked.statements)
    raised = (outcome.plan.expressions.whole(line.when) for line in lines if isinstance(line, Alert))
    return sum(int(np.count_nonzero(np.broadcast_to(value, size)[span] == YES)) for value in raised)


def _piece(part: LabelPart, outcome: Outcome, checked: Checked) -> str | np.ndarray:
    if not part.is_value:
        return part.text
    expressions = outcome.plan.expressions
    value: np.ndarray = expressions.whole(checked.label_value(part.text))
    return np.broadcast_to(value, len(outcome.plan.dataset))


def _written(piece: str | np.ndarray, bar: int) -> str:
    if isinstance(piece, str):
        return piece
    value = piece[bar]
    return "-" if value != value else f"{value:.8g}"
