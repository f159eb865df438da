"""What went wrong, as every operation of the API says it: one form, `application/problem+json` (RFC 9457)."""

import json
from typing import Any, Literal

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel, Field
from starlette.exceptions import HTTPException

from skelb.core.errors import ConflictError, NotFoundError, SkelbError
from skelb.service.mistakes import mistake_text
from skelb.service.trials.workers import WorkersError
from skelb.store import StoreError

MEDIA_TYPE = "application/problem+json"
Code = Literal[
    "unreadable",
    "refused",
    "not_found",
    "no_such_method",
    "conflict",
    "too_large",
    "invalid",
    "unexpected",
    "unavailable",
]
_CODES: dict[int, tuple[Code, str]] = {
    400: ("unreadable", "The request cannot be read"),
    403: ("refused", "The request is refused"),
    404: ("not_found", "There is nothing of that name"),
    405: ("no_such_method", "That cannot be done at this address"),
    409: ("conflict", "Something else is in the way"),
    413: ("too_large", "That is too much at once"),
    422: ("invalid", "That cannot be"),
    500: ("unexpected", "This should not have happened"),
    503: ("unavailable", "The data file or the workers cannot be used now"),
}


class Problem(BaseModel):
    """What went wrong: `detail` is for people, `code` for programs."""

    type: str = Field(description="skelb:problem/ and the code")
    title: str = Field(description="what kind of problem it is")
    status: int = Field(description="the status of the answer")
    detail: str = Field(description="what happened, where, why, and how to mend it")
    code: Code = Field(description="the kind of problem, for programs")


RESPONSES: dict[int | str, dict[str, Any]] = {
    "default": {
        "description": "; ".join(f"{status} {title.lower()}" for status, (_, title) in _CODES.items()),
        "content": {MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
}


def problem_body(status: int, detail: str) -> bytes:
    """A problem as JSON; whatever stands in the detail, it can be sent."""
    code, title = _CODES.get(status, _CODES[500])
    found = Problem(
        type=f"skelb:problem/{code}",
        title=title,
        status=status,
        detail=detail.encode("utf-8", "replace").decode(),
        code=code,
    )
    return json.dumps(found.model_dump()).encode()


def problem(status: int, detail: str) -> Response:
    """A problem as an answer."""
    return Response(problem_body(status, detail), status, media_type=MEDIA_TYPE)


def tell_problems(app: FastAPI) -> None:
    """Let an application answer every trouble as a problem."""
    app.add_exception_handler(SkelbError, _known)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(HTTPException, _of_the_protocol)
    app.add_exception_handler(UnicodeEncodeError, _half_a_character)
    app.add_exception_handler(Exception, _unexpected)


def _known(_request: Request, exc: Exception) -> Response:
    status = 422
    if isinstance(exc, NotFoundError):
        status = 404
    elif isinstance(exc, ConflictError):
        status = 409
    elif isinstance(exc, (StoreError, WorkersError)):
        status = 503
    return problem(status, str(exc))


def _invalid(_request: Request, exc: Exception) -> Response:
    assert isinstance(exc, RequestValidationError)
    first: dict[str, Any] = dict(exc.errors()[0])
    where = ".".join(str(part) for part in first["loc"][1:])
    return problem(422, f"{where or 'the request'}: {mistake_text(first)}")


def _of_the_protocol(_request: Request, exc: Exception) -> Response:
    assert isinstance(exc, HTTPException)
    told = problem(exc.status_code if exc.status_code in _CODES else 400, str(exc.detail))
    told.headers.update(exc.headers or {})
    return told


def _half_a_character(_request: Request, exc: Exception) -> Response:
    return problem(422, "the request holds half a character, as of an emoji that was cut in two; nothing was changed")


def _unexpected(_request: Request, exc: Exception) -> Response:
    return problem(500, f"This should not have happened, and nothing was changed: {type(exc).__name__}: {exc}")
