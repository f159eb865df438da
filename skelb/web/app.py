"""The web application: API, live loop, and the built front end."""

from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles

from skelb import __version__
from skelb.core.errors import ConflictError, NotFoundError, SkelbError
from skelb.service.application import Application
from skelb.web.doubt_routes import router as doubt_router
from skelb.web.guard import Guard
from skelb.web.live import router as live_router
from skelb.web.lsp import router as language_router
from skelb.web.routes import router as api_router
from skelb.web.script_routes import router as script_router
from skelb.web.trial_routes import router as trial_router

STATIC = Path(__file__).parent / "static"
_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; script-src 'self';"
    " connect-src 'self'; font-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)


def make_app(application: Application, host: str = "127.0.0.1", token: str | None = None) -> FastAPI:
    """The application's web face. A token is required of every request when one is given."""

    @asynccontextmanager
    async def lifespan(_app: FastAPI) -> AsyncIterator[None]:
        yield
        application.close()

    app = FastAPI(title="Skelb", version=__version__, lifespan=lifespan)
    app.state.application = application
    app.add_middleware(Guard, host=host, token=token)

    @app.middleware("http")
    async def secure(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
        response = await call_next(request)
        response.headers["Content-Security-Policy"] = _POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        return response

    app.add_exception_handler(SkelbError, _problem)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(Exception, _unexpected)
    app.include_router(api_router)
    app.include_router(script_router)
    app.include_router(doubt_router)
    app.include_router(trial_router)
    app.include_router(live_router)
    app.include_router(language_router)
    _serve_front_end(app)
    return app


def problem(status: int, detail: str) -> JSONResponse:
    """An error as problem JSON."""
    return JSONResponse({"title": "That did not work", "detail": detail}, status, media_type="application/problem+json")


def _problem(_request: Request, exc: Exception) -> Response:
    status = 404 if isinstance(exc, NotFoundError) else 409 if isinstance(exc, ConflictError) else 422
    return problem(status, str(exc))


def _invalid(_request: Request, exc: Exception) -> Response:
    assert isinstance(exc, RequestValidationError)
    first: dict[str, Any] = dict(exc.errors()[0])
    where = ".".join(str(part) for part in first["loc"][1:])
    return problem(422, f"{where or 'the request'}: {first['msg']}")


def _unexpected(_request: Request, exc: Exception) -> Response:
    return problem(500, f"This should not have happened, and nothing was changed: {type(exc).__name__}: {exc}")


def _serve_front_end(app: FastAPI) -> None:
    """The built page; every path that is no file is a place inside it."""
    if not (STATIC / "index.html").exists():
        return
    app.mount("/assets", StaticFiles(directory=STATIC / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    async def page(path: str) -> Response:
        if path.startswith("api/"):
            return problem(404, "there is nothing at this address")
        wanted = (STATIC / path).resolve()
        inside = wanted.is_relative_to(STATIC.resolve()) and wanted.is_file()
        return FileResponse(wanted if inside else STATIC / "index.html", headers={"Cache-Control": "no-cache"})
