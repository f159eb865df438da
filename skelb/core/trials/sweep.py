"""Running many combinations of inputs on one dataset, sharing what they have in common."""

from collections import OrderedDict, deque
from collections.abc import Callable, Generator, Hashable, Iterable, Iterator
from concurrent.futures import Future
from dataclasses import dataclass, field, replace
from datetime import date
from functools import cached_property
from itertools import islice
from threading import Lock, local
from time import monotonic

from skelb.core.bars import Timeframe
from skelb.core.engine import Account, Outcome, Pool, run, run_basket, run_points
from skelb.core.errors import SettingsError
from skelb.core.figures import (
    FIGURE_KEYS,
    Daily,
    Figures,
    Record,
    daily_of,
    figures_of,
    figures_of_points,
    record_of,
    record_together,
)
from skelb.core.language import Checked
from skelb.core.plan import (
    Dataset,
    InputValue,
    Plan,
    Template,
    input_values,
    make_plan,
    make_template,
    read_value,
)
from skelb.core.trials.grid import PLACE_AXES, Point
from skelb.core.trials.spans import Span

_CHUNK_BARS = 1_000_000
_FIRST_CHUNK = 4
_GROUP_S = 0.1
_LARGEST_CHUNK = 64
_TEMPLATE_BARS = 8_000_000


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
    _templates: OrderedDict[tuple[Hashable, ...], Template] = field(default_factory=OrderedDict)
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
        plans = [self._plan(dataset, point, span) for dataset in self._datasets_of(point)]
        return (
            run_basket(plans, account or self.account)
            if self.basket
            else [run(plans[0], account or self.account, pool)]
        )

    def _plan(self, dataset: Dataset, point: Point, span: Span | None) -> Plan:
        first, last = (span.first, span.last) if span else (self.from_date, self.to_date)
        sides = self._places(point).get("sides", self.sides)
        return make_plan(self.checked, dataset, self._inputs(point), sides, first, last, self.inverted)

    @cached_property
    def _fixed_inputs(self) -> dict[str, InputValue]:
        return input_values(self.checked, self.fixed)

    def _inputs(self, point: Point) -> dict[str, InputValue]:
        """Every input's value at a point. Raises SettingsError when an input cannot hold it."""
        inputs, places = self.checked.inputs, self._places(point)
        varied = {name: read_value(inputs[name], value) for name, value in point.items() if name not in places}
        return self._fixed_inputs | varied

    def layout_of(self, task: "Task") -> tuple[Hashable, ...]:
        """What runs with the same rules, apart from conditions and amounts, on the same bars have in common."""
        point, places = task.point, self._places(task.point)
        rules = (point[name] for name in self.checked.layouts_stand_on if name in point)
        return task.span, *places.items(), *rules

    def _template(self, task: "Task") -> Template:
        """The template of a task's layout, made once. Raises SettingsError when the task cannot run."""
        key = self.layout_of(task)
        with self._lock:
            found = self._templates.get(key)
        if found is None:
            plan = self._plan(self.dataset_of(task.point), task.point, task.span)
            fixed = {*self._places(task.point), *self.checked.layouts_stand_on}
            found = make_template(self.checked, plan, frozenset(task.point) - fixed)
            with self._lock:
                self._templates[key] = found
                while len(self._templates) > max(2, _TEMPLATE_BARS // len(found.plan.dataset)):
                    self._templates.popitem(last=False)
        return found

    def cells(self, tasks: "Iterable[Task]", pool: Pool) -> "Iterator[Cell]":
        """The finished cells of tasks, in any order. Those that have a layout in common are run together."""
        alike: dict[tuple[Hashable, ...], list[Task]] = {}
        for task in tasks:
            alike.setdefault(self.layout_of(task), []).append(task)
        for several in alike.values():
            for group in batched(several, self.chunk):
                yield from self._apart(group, pool) if self.basket or len(group) == 1 else self._together(group, pool)

    def _apart(self, tasks: "Iterable[Task]", pool: Pool) -> "Iterator[Cell]":
        for task in tasks:
            try:
                record = self.record(task.point, pool, task.span)
            except SettingsError as exc:
                yield task.failed(exc)
            else:
                yield task.finished(figures_of(record), daily_of(record))

    def _together(self, tasks: "list[Task]", pool: Pool) -> "Iterator[Cell]":
        try:
            template = self._template(tasks[0])
        except SettingsError as exc:  # of this point, perhaps not of the others
            yield tasks[0].failed(exc)
            yield from self.cells(tasks[1:], pool)
            return
        fitting: list[Task] = []
        leaves: list[list[int]] = []
        for task in tasks:
            try:
                leaves.append(template.leaf_numbers(self._inputs(task.point)))
            except SettingsError as exc:
                yield task.failed(exc)
            else:
                fitting.append(task)
        waiting, first = iter(fitting), None
        for group in run_points(template, leaves, self.account, pool):
            first = first or record_of(group.outcome(0))
            for (figures, daily), task in zip(figures_of_points(group, first), waiting, strict=False):
                yield task.finished(figures, daily)

    @property
    def chunk(self) -> int:
        """How many tasks are handed over at once: some milliseconds of work."""
        return max(1, min(_LARGEST_CHUNK, _CHUNK_BARS // len(self.dataset)))

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

    def finished(self, figures: Figures, daily: Daily | None) -> "Cell":
        """Its cell."""
        return Cell(self.number, self.part, figures, daily)

    def failed(self, reason: SettingsError) -> "Cell":
        """Its cell when it cannot run."""
        return Cell(self.number, self.part, None, error=str(reason))


@dataclass(frozen=True)
class Cell:
    """A finished task: its figures and what it earned from day to day, or why it could not run."""

    number: int
    part: int
    figures: Figures | None
    daily: Daily | None = None
    error: str = ""


def run_cells(
    run_chunk: Callable[[list[Task]], "Future[list[Cell]]"], tasks: Iterable[Task], chunk: int, ahead: int
) -> Generator[list[Cell], None, None]:
    """The finished cells in groups of at most `chunk`, in order, while `ahead` groups are being computed.

    Where runs are long, groups are small, so that whoever closes it waits a moment only.

    `run_chunk` hands a group of tasks to whoever computes it. Closing the iterator stops after the groups under way;
    the same tasks give the same figures wherever they are computed.
    """
    waiting: deque[Future[list[Cell]]] = deque()
    source, size = iter(tasks), min(chunk, _FIRST_CHUNK)
    paces = deque([(monotonic(), 0)], maxlen=ahead + 1)  # when groups were finished, and how many runs by then
    try:
        while True:
            while len(waiting) < ahead and (group := list(islice(source, size))):
                waiting.append(run_chunk(group))
            if not waiting:
                return
            cells = waiting.popleft().result()
            paces.append((monotonic(), paces[-1][1] + len(cells)))
            each = (paces[-1][0] - paces[0][0]) * ahead / (paces[-1][1] - paces[0][1])  # what one has taken, at most
            size = max(1, min(chunk, int(_GROUP_S / max(each, 1e-9))))
            yield cells
    finally:
        for future in waiting:
            future.cancel()


def run_tasks(sweep: Sweep, tasks: list[Task]) -> list[Cell]:
    """The finished cells of tasks, in order, computed in this thread."""
    found = {(cell.number, cell.part): cell for cell in sweep.cells(tasks, _own.pool)}
    return [found[task.number, task.part] for task in tasks]


def batched(tasks: "Iterable[Task]", size: int) -> "Iterator[list[Task]]":
    """Tasks in groups of at most `size`."""
    source = iter(tasks)
    while group := list(islice(source, size)):
        yield group


def check_objective(name: str) -> str:
    """`name` if it is a figure. Raises SettingsError otherwise."""
    if name not in FIGURE_KEYS:
        raise SettingsError(f"`{name}` is not a figure; choose one of {', '.join(FIGURE_KEYS)}")
    return name
