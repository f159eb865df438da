"""The finished runs of a trial as columns."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from skelb.core.bars import Floats, Ints
from skelb.core.figures import FIGURE_KEYS, FIGURES, Figures
from skelb.core.trials.overfitting import BLOCKS, Blocks
from skelb.core.trials.sweep import Cell

_COLUMN = {key: place for place, key in enumerate(FIGURE_KEYS)}
_COUNTS = frozenset(figure.key for figure in FIGURES if figure.unit == "count")


@dataclass(frozen=True, eq=False)
class Results:
    """Runs by row: the point's number and the part of the trial (its span), their figures, why some could not run.

    numbers, parts : int64, shape (n,); figures : float64, shape (n, figures), in the order of FIGURE_KEYS, NaN unknown
    blocks : float64, shape (n, 3 * BLOCKS), `Blocks.sums` of their daily changes, NaN unknown; errors : by row
    """

    numbers: Ints
    parts: Ints
    figures: Floats
    blocks: Floats
    errors: dict[int, str]

    def __len__(self) -> int:
        return self.numbers.size

    @classmethod
    def of(cls, cells: Sequence[Cell], blocks: Blocks | None = None) -> "Results":
        """The results of finished cells, with their changes in the stretches of `blocks` when it is given."""
        return cls(
            np.array([cell.number for cell in cells], np.int64),
            np.array([cell.part for cell in cells], np.int64),
            np.array([figure_row(cell.figures) for cell in cells]).reshape(-1, len(FIGURE_KEYS)),
            np.array([_block_row(cell, blocks) for cell in cells]).reshape(-1, 3 * BLOCKS),
            {row: cell.error for row, cell in enumerate(cells) if cell.error},
        )

    @classmethod
    def joined(cls, several: Iterable["Results"]) -> "Results":
        """Several results one after the other."""
        every = list(several) or [cls.of([])]
        errors: dict[int, str] = {}
        before = 0
        for part in every:
            errors |= {before + row: text for row, text in part.errors.items()}
            before += len(part)
        numbers, parts, figures, blocks = (
            np.concatenate([getattr(p, name) for p in every]) for name in ("numbers", "parts", "figures", "blocks")
        )
        return cls(numbers, parts, figures, blocks, errors)

    def part(self, number: int) -> "Results":
        """The runs of one part of the trial, ordered by their point."""
        rows = np.flatnonzero(self.parts == number)
        rows = rows[np.argsort(self.numbers[rows], kind="stable")]
        errors = {at: self.errors[row] for at, row in enumerate(rows.tolist()) if row in self.errors}
        return Results(self.numbers[rows], self.parts[rows], self.figures[rows], self.blocks[rows], errors)

    def halved(self, is_walk: bool) -> Floats:
        """`Blocks.sums` of every setting on the days settings were chosen on, shape (settings, 3 * BLOCKS), NaN
        unknown.

        What runs on the days outside was chosen before; of a walk-forward, where each runs in every window, all of
        them.
        """
        if not is_walk:
            return self.part(0).blocks
        settings, places = np.unique(self.numbers, return_inverse=True)
        sums = np.zeros((settings.size, self.blocks.shape[1]))
        np.add.at(sums, places, self.blocks)
        return sums

    def column(self, key: str) -> Floats:
        """One figure of every run, NaN where unknown."""
        return self.figures[:, _COLUMN[key]]

    def objective(self, key: str, min_trades: int = 0) -> Floats:
        """One figure of every run, NaN also where there were fewer trades."""
        return np.where(np.nan_to_num(self.column("trades")) >= min_trades, self.column(key), np.nan)

    def figures_at(self, row: int) -> Figures | None:
        """The figures of a run, None when it could not run."""
        return None if row in self.errors else figures_from(self.figures[row])


def _block_row(cell: Cell, blocks: Blocks | None) -> Floats:
    if blocks is None or cell.daily is None:
        return np.full(3 * BLOCKS, np.nan)
    return blocks.sums(cell.part, cell.daily.days, cell.daily.changes)


def figure_row(figures: Figures | None) -> Floats:
    """Figures as float64, shape (figures,), in the order of FIGURE_KEYS."""
    if figures is None:
        return np.full(len(FIGURE_KEYS), np.nan)
    values: list[Any] = [figures[key] for key in FIGURE_KEYS]
    return np.array([np.nan if value is None else value for value in values], np.float64)


def figures_from(row: Floats) -> Figures:
    """Figures from their row; counts are whole numbers."""
    return {
        key: None if value != value else int(value) if key in _COUNTS else value
        for key, value in zip(FIGURE_KEYS, row.tolist(), strict=True)
    }
