"""The REST API of what doubts a run: stress, resampling, challenges."""

from collections.abc import Iterable
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Depends

from skelb.core.bars import Timeframe
from skelb.core.engine import Outcome
from skelb.core.plan import Dataset
from skelb.service.backtest import basket_of
from skelb.service.distrust import Challenged, Redrawn, Stress, StressStep, challenged, redrawn
from skelb.service.prepared import Prepared
from skelb.web.schemas import ChallengeIn, DoubtIn, ResampleIn, StressIn
from skelb.web.served import App

router = APIRouter(prefix="/api/doubt", tags=["doubt"])


def _stress(body: StressIn, app: App) -> Stress:
    """Planned before the answer begins, so that what cannot be run is told as an error."""
    others = [
        app.datasets.get(place.market, Timeframe.parse(place.timeframe), body.setup.costs) for place in body.others
    ]
    prepared, basket = _doubted(body, app)
    return Stress(prepared, others, basket=basket)


@router.post(
    "/stress",
    responses={
        200: {
            "description": "JSON lines, a StressStep each",
            "content": {"application/jsonl": {"schema": {"type": "string"}}},
        }
    },
)
def stress(planned: Annotated[Stress, Depends(_stress)]) -> Iterable[StressStep]:
    """A run beside itself made worse, and elsewhere: a line a run; whoever stops reading stops it."""
    yield from planned.steps()


@router.post("/resample")
def resample(body: ResampleIn, app: App) -> Redrawn:
    """The trades of a run drawn anew."""
    return redrawn(_outcomes(body, app), body.kind, body.samples, body.seed, body.share, body.block)


@router.post("/challenge")
def challenge(body: ChallengeIn, app: App) -> Challenged:
    """A funded account's test begun on every day of a run."""
    return challenged(_outcomes(body, app), body.rules)


def _doubted(body: DoubtIn, app: App) -> tuple[Prepared, list[Dataset]]:
    """The run that is doubted, and the markets of its basket; none where it runs on its own market."""
    prepared = body.setup.prepared(app.library, app.datasets).sound()
    if not body.basket:
        return prepared, []
    timeframe = Timeframe.parse(body.setup.timeframe)
    named = [app.datasets.get(symbol, timeframe, body.setup.costs) for symbol in dict.fromkeys(body.basket)]
    return prepared, basket_of(named, prepared.account, replace(prepared.choices, dearest=body.dearest))[0]


def _outcomes(body: DoubtIn, app: App) -> list[Outcome]:
    prepared, basket = _doubted(body, app)
    return prepared.backtest_basket(basket).outcomes if basket else [prepared.backtest().outcome]
