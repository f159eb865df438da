"""The REST API of practices: strategies that follow feeds in the server."""

from typing import Annotated

from fastapi import APIRouter, Query

from skelb.service.practice import PracticeLine, PracticeShown, StoredEvent
from skelb.web.schemas import PaceIn, PracticeIn, PracticeOut, WebhookIn, WebhookTried
from skelb.web.served import MOST_NUMBER, App, Number

router = APIRouter(prefix="/api", tags=["practice"])


@router.get("/practices")
def practices(app: App) -> list[PracticeLine]:
    """Every practice in a line, newest first."""
    return app.practices.lines()


@router.post("/practices")
def begin_practice(body: PracticeIn, app: App) -> PracticeOut:
    """Let a strategy follow a feed from now on; the backtest that it comes from is kept in the logbook."""
    return PracticeOut(number=app.practices.begin(body.setup, body.feed, body.since, body.run))


@router.get("/practices/{number}")
def practice(
    number: Number,
    app: App,
    market: Annotated[str | None, Query(max_length=64, description="which of its markets; the first without")] = None,
) -> PracticeShown:
    """A practice as it stands: of one market chart, next steps and position; of all what happened, and drift."""
    return app.practices.shown(number, market)


@router.get("/practices/{number}/events")
def practice_events(
    number: Number,
    app: App,
    before: Annotated[int | None, Query(ge=0, le=MOST_NUMBER, description="only those with lower ids")] = None,
    most: Annotated[int, Query(ge=1, le=1_000)] = 100,
) -> list[StoredEvent]:
    """What happened in a practice, newest first."""
    return app.practices.events(number, before, most)


@router.post("/practices/{number}/pause")
def pause_practice(number: Number, app: App) -> None:
    """Follow a practice no more for now."""
    app.practices.pause(number)


@router.post("/practices/{number}/go-on")
def go_on_with_practice(number: Number, app: App) -> None:
    """Follow a practice again, from where it was."""
    app.practices.go_on(number)


@router.post("/practices/{number}/stop")
def stop_practice(number: Number, app: App) -> None:
    """End a practice."""
    app.practices.stop(number)


@router.put("/practices/{number}/webhook")
def put_practice_webhook(number: Number, body: WebhookIn, app: App) -> None:
    """Send what happens from now on to an address, signed with a secret; an empty address ends it."""
    app.practices.put_webhook(number, body.url, body.secret)


@router.post("/practices/{number}/webhook/test")
def test_practice_webhook(number: Number, app: App) -> WebhookTried:
    """Send a message that says it is a test."""
    is_taken, answer = app.practices.test_webhook(number)
    return WebhookTried(is_taken=is_taken, answer=answer)


@router.post("/practices/{number}/webhook/again")
def send_practice_events_again(number: Number, app: App) -> None:
    """Try at once what waits to be sent."""
    app.practices.again(number)


@router.put("/practices/{number}/pace")
def put_practice_pace(number: Number, body: PaceIn, app: App) -> None:
    """How many times as quick as they came a replay says its bars; 0 is as quick as can be."""
    app.practices.put_pace(number, body.pace)
