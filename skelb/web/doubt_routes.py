"""The REST API of what doubts a run: stress, resampling, challenges."""

from fastapi import APIRouter

from skelb.core.bars import Timeframe
from skelb.core.trials import Rules
from skelb.service.backtest import Result, backtest
from skelb.service.distrust import challenge_document, resample_document, stress_document
from skelb.service.setup import Setup
from skelb.web.schemas import ChallengeIn, ChallengeOut, ResampleIn, ResampleOut, StressIn, StressOut
from skelb.web.served import App

router = APIRouter(prefix="/api/doubt")


@router.post("/stress")
def stress(body: StressIn, app: App) -> StressOut:
    """A run beside itself made worse, and elsewhere."""
    setup = body.setup
    dataset = setup.dataset(app.datasets)
    checked = setup.checked(app.library, dataset)
    others = [app.datasets.get(place.market, Timeframe.parse(place.timeframe)) for place in body.others]
    found = stress_document(checked, dataset, setup.conditions(app.library), setup.choices(checked), others)
    return StressOut.model_validate(found)


@router.post("/resample")
def resample(body: ResampleIn, app: App) -> ResampleOut:
    """The trades of a run drawn anew."""
    outcome = _result(body.setup, app).outcome
    found = resample_document(outcome, body.kind, body.samples, body.seed, body.share, body.block)
    return ResampleOut.model_validate(found)


@router.post("/challenge")
def challenge(body: ChallengeIn, app: App) -> ChallengeOut:
    """A funded account's test begun on every day of a run."""
    found = challenge_document(_result(body.setup, app).outcome, Rules(**body.rules.model_dump()))
    return ChallengeOut.model_validate(found)


def _result(setup: Setup, app: App) -> Result:
    dataset = setup.dataset(app.datasets)
    checked = setup.checked(app.library, dataset)
    return backtest(checked, dataset, setup.conditions(app.library), setup.choices(checked))
