"""The REST API of what doubts a run: stress, resampling, challenges."""

from collections.abc import Iterable
from typing import Annotated

from fastapi import APIRouter, Depends

from skelb.core.bars import Timeframe
from skelb.core.engine import Outcome
from skelb.core.trials import ChallengeRules
from skelb.service.distrust import Stress, challenge_document, resample_document
from skelb.service.setup import Setup
from skelb.web.schemas import ChallengeIn, ChallengeOut, ResampleIn, ResampleOut, StressIn, StressStepOut
from skelb.web.served import App

router = APIRouter(prefix="/api/doubt", tags=["doubt"])


def _stress(body: StressIn, app: App) -> Stress:
    """Planned before the answer begins, so that what cannot be run is told as an error."""
    others = [app.datasets.get(place.market, Timeframe.parse(place.timeframe)) for place in body.others]
    return Stress(body.setup.prepared(app.library, app.datasets).sound(), others)


@router.post(
    "/stress",
    responses={
        200: {
            "description": "JSON lines, a StressStepOut each",
            "content": {"application/jsonl": {"schema": {"type": "string"}}},
        }
    },
)
def stress(planned: Annotated[Stress, Depends(_stress)]) -> Iterable[StressStepOut]:
    """A run beside itself made worse, and elsewhere: a line a run; whoever stops reading stops it."""
    for step in planned.steps():
        yield StressStepOut.model_validate(step)


@router.post("/resample")
def resample(body: ResampleIn, app: App) -> ResampleOut:
    """The trades of a run drawn anew."""
    outcome = _outcome(body.setup, app)
    found = resample_document(outcome, body.kind, body.samples, body.seed, body.share, body.block)
    return ResampleOut.model_validate(found)


@router.post("/challenge")
def challenge(body: ChallengeIn, app: App) -> ChallengeOut:
    """A funded account's test begun on every day of a run."""
    found = challenge_document(_outcome(body.setup, app), ChallengeRules(**body.rules.model_dump()))
    return ChallengeOut.model_validate(found)


def _outcome(setup: Setup, app: App) -> Outcome:
    return setup.prepared(app.library, app.datasets).sound().backtest().outcome
