"""The report of a run: all that is said of it, and all that is needed to make it again."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, fields
from datetime import date
from hashlib import sha256
from typing import Any

from skelb import __version__
from skelb.core.bars import PRICES, Bars
from skelb.core.engine import Outcome
from skelb.core.export import TimedFinding, time_text, timed_findings
from skelb.core.figures import Figures, figures_of, joined, record_together
from skelb.core.language.tools import read_back
from skelb.core.plan import Dataset
from skelb.core.report import Numbers, Swings, numbers_of, numbers_of_legs
from skelb.core.trials import Leg
from skelb.service.library import Library
from skelb.service.prepared import Prepared
from skelb.service.settings import changed_market, market_settings
from skelb.service.setup import Setup
from skelb.service.tallies import Tallies, try_of


@dataclass(frozen=True, slots=True)
class MarketMade:
    """The bars that a run was made on, as they were stored: a sum over all their values tells others apart.

    described : the number of the market's description, None where it is not as it is stored
    """

    symbol: str
    settings: dict[str, Any]
    described: int | None
    timeframe: str
    data_version: int
    bars: int
    first: str
    last: str
    left_out: int
    sha256: str


@dataclass(frozen=True, slots=True)
class Made:
    """All that made a run: who has this can make it again."""

    engine_version: str
    text: str
    sha256: str
    inputs: dict[str, Any]
    timeframe: str
    from_date: date | None
    to_date: date | None
    sides: str
    inverted: bool
    account: dict[str, Any]
    dearest: float | None
    markets: list[MarketMade]


@dataclass(frozen=True, slots=True, kw_only=True)
class Report(Numbers):
    """A run judged whole. `looked_at` are settings of its script, with what that makes of this one; None where no
    tally is kept of it."""

    title: str
    first: str
    last: str
    figures: dict[str, Figures]
    findings: list[TimedFinding]
    looked_at: int | None
    weighed: str | None
    sentences: list[str]
    made: Made


def report_of(
    prepared: Prepared,
    tallies: Tallies | None = None,
    swings: Swings | None = None,
    described: dict[str, int] | None = None,
) -> Report:
    """The report of a run of a sound script; `described` are the numbers of descriptions by symbol, where they are
    known. Raises SkelbError as a backtest does."""
    outcomes, figures, findings = prepared.judged()
    against = prepared.choices.against
    beside = None if against is None else prepared.dataset.other(against, prepared.dataset.bars.timeframe).dataset
    numbers = numbers_of(outcomes, figures["all"], swings or Swings(), beside)
    looked_at, weighed = _weighed(prepared, outcomes, tallies)
    record = record_together(outcomes)
    return Report(
        **{item.name: getattr(numbers, item.name) for item in fields(numbers)},
        title=prepared.checked.title,
        first=time_text(record.begins),
        last=time_text(int(record.closes[-1])),
        figures=figures,
        findings=timed_findings(outcomes[0], findings),
        looked_at=looked_at,
        weighed=weighed,
        sentences=read_back(prepared.checked),
        made=made_of(prepared, [outcome.plan.dataset for outcome in outcomes], described or {}),
    )


def report_of_walk(prepared: Prepared, legs: Sequence[Leg], said: str) -> Report:
    """The report of a walk-forward's days outside, end to end; `said` of what it comes to."""
    outcomes = [leg.outcomes for leg in legs]
    records = {side: joined([record_together(leg, side) for leg in outcomes]) for side in ("all", "long", "short")}
    figures = {side: figures_of(record) for side, record in records.items()}
    numbers = numbers_of_legs(outcomes, figures["all"], Swings())
    told = [f"{leg.span.first} to {leg.span.last}: {_chosen(leg)}." for leg in legs]
    return Report(
        **{item.name: getattr(numbers, item.name) for item in fields(numbers)},
        title=prepared.checked.title,
        first=time_text(records["all"].begins),
        last=time_text(int(records["all"].closes[-1])),
        figures=figures,
        findings=[TimedFinding("walk_forward", "note", said, None)],
        looked_at=None,
        weighed=None,
        sentences=[*read_back(prepared.checked), "Inputs were chosen anew for each of these days:", *told],
        made=made_of(prepared, [outcome.plan.dataset for outcome in outcomes[0]], {}),
    )


def _chosen(leg: Leg) -> str:
    said = [f"{name} {value:g}" if isinstance(value, float) else f"{name} {value}" for name, value in leg.point.items()]
    return ", ".join(said)


def made_of(prepared: Prepared, datasets: Sequence[Dataset], described: dict[str, int]) -> Made:
    """What made a run on these datasets."""
    choices, text = prepared.choices, prepared.checked.source
    return Made(
        engine_version=__version__,
        text=text,
        sha256=sha256(text.encode()).hexdigest(),
        inputs=dict(prepared.inputs),
        timeframe=str(prepared.dataset.bars.timeframe),
        from_date=choices.from_date,
        to_date=choices.to_date,
        sides=choices.sides,
        inverted=choices.inverted,
        account=asdict(prepared.account),
        dearest=choices.dearest,
        markets=[_market(dataset, described.get(dataset.market.symbol)) for dataset in datasets],
    )


def descriptions(setup: Setup, library: Library) -> dict[str, int]:
    """Which of its descriptions each market of a setup is run with, by symbol; those that are none of them left out."""
    found = {}
    for symbol in setup.basket or (setup.market,):
        stored = library.market(symbol)
        changes = setup.each.get(symbol, {}) if setup.basket else setup.described
        settings = changed_market(stored.settings, changes)
        versions = [*(market_settings(item) for item in stored.earlier), stored.settings]
        numbers = [number for number, version in enumerate(versions, 1) if version == settings]
        if numbers:
            found[symbol] = numbers[-1]
    return found


def bars_sum(bars: Bars) -> str:
    """SHA-256 over times (int64) and prices and volume (float64), little-endian, column after column."""
    total = sha256(bars.time.astype("<i8").tobytes())
    for name in PRICES:
        total.update(getattr(bars, name).astype("<f8").tobytes())
    return total.hexdigest()


def _market(dataset: Dataset, described: int | None) -> MarketMade:
    bars = dataset.stored or dataset.bars
    return MarketMade(
        symbol=dataset.market.symbol,
        settings=asdict(dataset.market),
        described=described,
        timeframe=str(bars.timeframe),
        data_version=dataset.data_version,
        bars=len(bars),
        first=time_text(bars.time[0]),
        last=time_text(bars.time[-1]),
        left_out=bars.left_out.size,
        sha256=bars_sum(bars),
    )


def _weighed(prepared: Prepared, outcomes: Sequence[Outcome], tallies: Tallies | None) -> tuple[int | None, str | None]:
    """How many settings of the script were looked at, this one too, and what that makes of it. Of a basket none is
    counted."""
    record = record_together(outcomes)
    seen = None if tallies is None or prepared.basket else try_of(prepared, record, "report")
    if tallies is None or seen is None:
        return None, None
    title = prepared.checked.title
    tallies.saw(title, prepared.dataset, seen)
    worth = tallies.worth(title, prepared.dataset, seen.daily)
    return worth.settings, f"{worth.sentence} {tallies.told(title).sentence}"
