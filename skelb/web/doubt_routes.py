"""The REST API of what doubts a run: stress, resampling, made histories, challenges."""

from collections.abc import Iterable
from typing import Annotated

from fastapi import APIRouter, Depends

from skelb.core.bars import Timeframe
from skelb.core.engine import Outcome
from skelb.service.distrust import Challenged, Redrawn, Stress, StressStep, challenged, redrawn
from skelb.service.histories import HistoryStep, MadeHistories
from skelb.service.setup import Setup
from skelb.web.schemas import ChallengeIn, HistoriesIn, ResampleIn, StressIn
from skelb.web.served import App, json_lines

router = APIRouter(prefix="/api/doubt", tags=["doubt"])


def _stress(body: StressIn, app: App) -> Stress:
    """Planned before the answer begins, so that what cannot be run is told as an error."""
    others = [
        app.datasets.get(place.market, Timeframe.parse(place.timeframe), body.setup.costs) for place in body.others
    ]
    return Stress(body.setup.prepared(app.library, app.datasets).sound(), others)


@router.post("/stress", responses=json_lines("StressStep"))
def stress(planned: Annotated[Stress, Depends(_stress)]) -> Iterable[StressStep]:
    """A run beside itself made worse, and elsewhere: a line a run; whoever stops reading stops it."""
    yield from planned.steps()


@router.post("/resample")
def resample(body: ResampleIn, app: App) -> Redrawn:
    """The trades of a run drawn anew."""
    return redrawn(_outcomes(body.setup, app), body.kind, body.samples, body.seed, body.share, body.block)


def _histories(body: HistoriesIn, app: App) -> MadeHistories:
    """Planned before the answer begins, so that what cannot be made is told as an error."""
    return MadeHistories(body.setup.prepared(app.library, app.datasets).sound(), body.rules)


@router.post("/histories", responses=json_lines("HistoryStep"))
def histories(planned: Annotated[MadeHistories, Depends(_histories)]) -> Iterable[HistoryStep]:
    """A run on histories made from its market's own bars: how far it is, and at the end what they come to."""
    yield from planned.steps()


@router.post("/challenge")
def challenge(body: ChallengeIn, app: App) -> Challenged:
    """A funded account's test begun on every day of a run."""
    return challenged(_outcomes(body.setup, app), body.rules)


def _outcomes(setup: Setup, app: App) -> list[Outcome]:
    return setup.prepared(app.library, app.datasets).sound().outcomes()
