"""The web application: API, live loop, and the built front end."""

from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Response
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from skelb import __version__
from skelb.service.application import Application
from skelb.web.doubt_routes import router as doubt_router
from skelb.web.fields import describe
from skelb.web.guard import Guard
from skelb.web.keeping_routes import router as keeping_router
from skelb.web.leaving import Leaving
from skelb.web.live import router as live_router
from skelb.web.live_questions import live_schemas
from skelb.web.logbook_routes import router as logbook_router
from skelb.web.lsp import router as language_router
from skelb.web.market_routes import router as market_router
from skelb.web.practice_routes import router as practice_router
from skelb.web.problems import RESPONSES, Problem, problem, tell_problems
from skelb.web.report_routes import router as report_router
from skelb.web.routes import router as api_router
from skelb.web.script_routes import router as script_router
from skelb.web.trial_routes import router as trial_router

STATIC = Path(__file__).parent / "static"
DESCRIPTION = (
    "What Skelb keeps and computes. Every request carries the token of the data folder, as the header `x-skelb-token`"
    " or as the cookie that the page has. What goes wrong is told as a `Problem`."
)
TAGS = {
    "library": "Scripts, markets with bars, accounts and baskets.",
    "logbook": "Runs that are kept, noted and listed; runs that were looked at; how the tries of a script went.",
    "keeping": "Renaming, copying and taking away what is kept, and back.",
    "scripts": "What a text says, and the guide.",
    "trials": "Sweeps, splits, walk-forwards, searches, studies and baskets.",
    "report": "A run judged whole, taken along, and without each of its lines.",
    "practice": "Strategies that follow feeds, and what happened with them.",
    "doubt": "A run made worse, drawn anew, and put to a challenge.",
}
_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; script-src 'self';"
    " connect-src 'self'; font-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)

_HEADERS = [
    (b"content-security-policy", _POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
]


class _Secured:
    """Gives every answer the headers that keep a page to itself."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        async def sending(message: Message) -> None:
            if message["type"] == "http.response.start":
                message = {**message, "headers": [*message["headers"], *_HEADERS]}
            await send(message)

        await self._app(scope, receive, sending if scope["type"] == "http" else send)


def make_app(application: Application, host: str = "127.0.0.1", token: str | None = None) -> FastAPI:
    """The application's web face. A token is required of every request when one is given."""

    @asynccontextmanager
    async def lifespan(_app: FastAPI) -> AsyncIterator[None]:
        yield
        application.close()

    app = FastAPI(
        title="Skelb",
        version=__version__,
        lifespan=lifespan,
        description=DESCRIPTION,
        generate_unique_id_function=lambda route: route.name,
        responses=RESPONSES,
    )
    app.openapi = _described(app)  # type: ignore[method-assign]
    app.state.application = application
    app.add_middleware(Guard, host=host, token=token)
    app.add_middleware(_Secured)
    app.add_middleware(Leaving)
    tell_problems(app)
    app.include_router(api_router)
    app.include_router(market_router)
    app.include_router(keeping_router)
    app.include_router(script_router)
    app.include_router(doubt_router)
    app.include_router(report_router)
    app.include_router(logbook_router)
    app.include_router(trial_router)
    app.include_router(practice_router)
    app.include_router(live_router)
    app.include_router(language_router)
    _serve_front_end(app)
    return app


def _described(app: FastAPI) -> Callable[[], dict[str, Any]]:
    """The description of the API, with the one form of a problem among its schemas."""
    plain = app.openapi

    def openapi() -> dict[str, Any]:
        found = plain()
        form = Problem.model_json_schema(ref_template="#/components/schemas/{model}")
        found["components"]["schemas"] |= {"Problem": form} | live_schemas()
        for operation in (item for path in found["paths"].values() for item in path.values()):
            for content in operation["responses"]["200"].get("content", {}).values():
                content.pop("itemSchema", None)  # of a later version of OpenAPI than this document is
        describe(found)
        found["tags"] = [{"name": name, "description": said} for name, said in TAGS.items()]
        return found

    return openapi


def _serve_front_end(app: FastAPI) -> None:
    """The built page; every path that is no file is a place inside it."""
    if not (STATIC / "index.html").exists():
        return
    app.mount("/assets", StaticFiles(directory=STATIC / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    async def page(path: str) -> Response:
        if path.startswith("api/"):
            return problem(404, "there is nothing at this address")
        try:
            wanted = (STATIC / path).resolve()
            inside = wanted.is_relative_to(STATIC.resolve()) and wanted.is_file()
        except (OSError, ValueError):  # no path of any file
            inside = False
        return FileResponse(wanted if inside else STATIC / "index.html", headers={"Cache-Control": "no-cache"})
