"""Running many combinations of inputs on one dataset, sharing what they have in common."""

from collections import deque
from collections.abc import Callable, Generator, Iterable
from concurrent.futures import Future
from dataclasses import dataclass, field, replace
from datetime import date
from itertools import islice
from threading import Lock, local

from skelb.core.bars import Timeframe
from skelb.core.engine import Account, Outcome, Pool, run, run_basket
from skelb.core.errors import SettingsError
from skelb.core.figures import FIGURE_KEYS, Daily, Figures, Record, daily_of, figures_of, record_together
from skelb.core.language import Checked
from skelb.core.plan import Dataset, InputValue, input_values, make_plan
from skelb.core.trials.grid import PLACE_AXES, Point
from skelb.core.trials.spans import Span

CHUNK = 8


class _OwnPool(local):
    """A pool for each thread that runs cells."""

    def __init__(self) -> None:
        self.pool = Pool()


_own = _OwnPool()


@dataclass(frozen=True, eq=False)
class Sweep:
    """A script with some inputs fixed, on a dataset, an account and dates; or on a `basket`: symbols of markets that
    are run together, the dataset's among them."""

    checked: Checked
    dataset: Dataset
    account: Account
    fixed: dict[str, InputValue]
    sides: str = "both"
    from_date: date | None = None
    to_date: date | None = None
    inverted: bool = False
    basket: tuple[str, ...] = ()
    _datasets: dict[tuple[str, Timeframe], Dataset] = field(default_factory=dict)
    _lock: Lock = field(default_factory=Lock)

    def apart(self) -> "Sweep":
        """The same runs with a memory of their own, that goes when this goes."""
        return Sweep(
            self.checked,
            self.dataset.apart(),
            self.account,
            self.fixed,
            self.sides,
            self.from_date,
            self.to_date,
            self.inverted,
            self.basket,
        )

    @property
    def data_version(self) -> int:
        """The version of the stored bars, another as soon as any of them is another: of a basket all together."""
        return sum(self.dataset_at(symbol).data_version for symbol in self.basket) or self.dataset.data_version

    def run_one(self, point: Point, pool: Pool | None = None, span: Span | None = None) -> Figures:
        """The figures of one point, over a span instead of all dates. Raises SettingsError when it cannot run."""
        return figures_of(self.record(point, pool, span))

    def record(self, point: Point, pool: Pool | None = None, span: Span | None = None) -> Record:
        """The record of one point; with a pool it holds until the pool's next run."""
        return record_together(self._outcomes(point, pool, span))

    def outcomes_with(self, capital: float, point: Point, span: Span) -> list[Outcome]:
        """What one point leaves behind on a span, one a market, begun with another capital. Raises SettingsError when
        it cannot run."""
        return self._outcomes(point, None, span, replace(self.account, capital=capital))

    def _outcomes(
        self, point: Point, pool: Pool | None, span: Span | None, account: Account | None = None
    ) -> list[Outcome]:
        places = self._places(point)
        varied = {name: value for name, value in point.items() if name not in places}
        first, last = (span.first, span.last) if span else (self.from_date, self.to_date)
        inputs = input_values(self.checked, {**self.fixed, **varied})
        sides = places.get("sides", self.sides)
        plans = [
            make_plan(self.checked, dataset, inputs, sides, first, last, self.inverted)
            for dataset in self._datasets_of(point)
        ]
        return (
            run_basket(plans, account or self.account)
            if self.basket
            else [run(plans[0], account or self.account, pool)]
        )

    def _datasets_of(self, point: Point) -> list[Dataset]:
        if not self.basket:
            return [self.dataset_of(point)]
        places = self._places(point)
        if "market" in places:
            raise SettingsError("the markets of a basket are run together: they do not vary")
        return [self.dataset_at(symbol, places.get("timeframe")) for symbol in self.basket]

    def dataset_of(self, point: Point) -> Dataset:
        """The dataset that a point runs on. Raises SettingsError when there is none."""
        places = self._places(point)
        return self.dataset_at(places.get("market"), places.get("timeframe"))

    def _places(self, point: Point) -> dict[str, str]:
        return {name: str(point[name]) for name in PLACE_AXES if name in point and name not in self.checked.inputs}

    def dataset_at(self, symbol: str | None = None, timeframe: str | None = None) -> Dataset:
        """The dataset of another market or timeframe, made once. Raises SettingsError when there is none."""
        here = self.dataset
        wanted = symbol or here.market.symbol, Timeframe.parse(timeframe) if timeframe else here.bars.timeframe
        if wanted == (here.market.symbol, here.bars.timeframe):
            return here
        with self._lock:
            if wanted not in self._datasets:
                if here.others is None:
                    raise SettingsError(f"the bars of {wanted[0]} on {wanted[1]} are not at hand")
                self._datasets[wanted] = here.others(*wanted).apart()
            return self._datasets[wanted]


@dataclass(frozen=True)
class Task:
    """One run to make: a point by its number, on one of the trial's spans (0 when it has none)."""

    number: int
    point: Point
    part: int = 0
    span: Span | None = None


@dataclass(frozen=True)
class Cell:
    """A finished task: its figures and what it earned from day to day, or why it could not run."""

    number: int
    part: int
    figures: Figures | None
    daily: Daily | None = None
    error: str = ""


def run_cells(
    run_chunk: Callable[[list[Task]], "Future[list[Cell]]"], tasks: Iterable[Task], ahead: int
) -> Generator[list[Cell], None, None]:
    """The finished cells in small groups, in order, while `ahead` groups are being computed.

    `run_chunk` hands a group of tasks to whoever computes it. Closing the iterator stops after the groups under way;
    the same tasks give the same figures wherever they are computed.
    """
    waiting: deque[Future[list[Cell]]] = deque()
    source = iter(tasks)
    try:
        while True:
            while len(waiting) < ahead and (chunk := list(islice(source, CHUNK))):
                waiting.append(run_chunk(chunk))
            if not waiting:
                return
            yield waiting.popleft().result()
    finally:
        for future in waiting:
            future.cancel()


def run_tasks(sweep: Sweep, tasks: list[Task]) -> list[Cell]:
    """The finished cells of tasks, one after the other in this thread."""
    found: list[Cell] = []
    for task in tasks:
        try:
            record = sweep.record(task.point, _own.pool, task.span)
            found.append(Cell(task.number, task.part, figures_of(record), daily_of(record)))
        except SettingsError as exc:
            found.append(Cell(task.number, task.part, None, error=str(exc)))
    return found


def check_objective(name: str) -> str:
    """`name` if it is a figure. Raises SettingsError otherwise."""
    if name not in FIGURE_KEYS:
        raise SettingsError(f"`{name}` is not a figure; choose one of {', '.join(FIGURE_KEYS)}")
    return name
