"""Running many combinations of inputs on one dataset, sharing what they have in common."""

from collections import deque
from collections.abc import Generator, Sequence
from concurrent.futures import Executor, Future
from dataclasses import dataclass
from datetime import date
from itertools import islice
from threading import local

from skelb.core.engine import Account, Pool, run
from skelb.core.errors import SettingsError
from skelb.core.figures import FIGURE_KEYS, Figures, Record, figures_of, record_of
from skelb.core.language import Checked
from skelb.core.plan import Dataset, InputValue, input_values, make_plan

CHUNK = 8


class _OwnPool(local):
    """A pool for each thread that runs cells."""

    def __init__(self) -> None:
        self.pool = Pool()


_own = _OwnPool()


@dataclass(frozen=True, eq=False)
class Sweep:
    """A script with some inputs fixed, on a dataset, an account and dates."""

    checked: Checked
    dataset: Dataset
    account: Account
    fixed: dict[str, InputValue]
    sides: str = "both"
    from_date: date | None = None
    to_date: date | None = None
    inverted: bool = False

    def run_one(self, varied: dict[str, InputValue], pool: Pool | None = None) -> Figures:
        """The figures of one combination. Raises SettingsError when these inputs cannot run."""
        return figures_of(self.record(varied, pool))

    def record(self, varied: dict[str, InputValue], pool: Pool | None = None) -> Record:
        """The record of one combination; with a pool it holds until the pool's next run."""
        inputs = input_values(self.checked, {**self.fixed, **varied})
        plan = make_plan(self.checked, self.dataset, inputs, self.sides, self.from_date, self.to_date, self.inverted)
        return record_of(run(plan, self.account, pool))


@dataclass(frozen=True)
class Cell:
    """One run of a sweep: its number in the grid, its inputs, its figures, or why it could not run."""

    number: int
    inputs: dict[str, InputValue]
    figures: Figures | None
    error: str = ""


def run_cells(
    sweep: Sweep, cells: Sequence[tuple[int, dict[str, InputValue]]], executor: Executor, ahead: int
) -> Generator[list[Cell], None, None]:
    """The finished cells in small groups, in order, while `ahead` groups are being computed.

    Closing the iterator stops after the groups under way; the same cells give the same figures in any executor.
    """
    waiting: deque[Future[list[Cell]]] = deque()
    source = iter(cells)
    try:
        while True:
            while len(waiting) < ahead and (chunk := list(islice(source, CHUNK))):
                waiting.append(executor.submit(_run_chunk, sweep, chunk))
            if not waiting:
                return
            yield waiting.popleft().result()
    finally:
        for future in waiting:
            future.cancel()


def _run_chunk(sweep: Sweep, chunk: list[tuple[int, dict[str, InputValue]]]) -> list[Cell]:
    found: list[Cell] = []
    for number, inputs in chunk:
        try:
            found.append(Cell(number, inputs, sweep.run_one(inputs, _own.pool)))
        except SettingsError as exc:
            found.append(Cell(number, inputs, None, str(exc)))
    return found


def check_objective(name: str) -> str:
    """`name` if it is a figure. Raises SettingsError otherwise."""
    if name not in FIGURE_KEYS:
        raise SettingsError(f"`{name}` is not a figure; choose one of {', '.join(FIGURE_KEYS)}")
    return name
