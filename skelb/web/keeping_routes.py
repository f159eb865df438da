"""The REST API of what is kept: renamed, copied, taken away, brought back."""

from fastapi import APIRouter

from skelb.service.keeping import Kind
from skelb.web.routes import script_out
from skelb.web.schemas import DependsOut, DuplicateIn, RemovalIn, RenameIn, ScriptOut
from skelb.web.served import App

router = APIRouter(prefix="/api", tags=["keeping"])


@router.post("/scripts/rename")
def rename(body: RenameIn, app: App) -> ScriptOut:
    """Give a script another title."""
    return script_out(app.keeping.rename_script(body.title, body.to))


@router.post("/scripts/duplicate")
def duplicate(body: DuplicateIn, app: App) -> ScriptOut:
    """Copy a version of a script into a script of its own."""
    return script_out(app.keeping.duplicate_script(body.title, body.version))


@router.get("/depends")
def depends(kind: Kind, name: str, app: App) -> DependsOut:
    """What depends on a script, market, account, run or trial, in sentences."""
    return DependsOut(sentences=app.keeping.depends(kind, name))


@router.post("/removals")
def remove(body: RemovalIn, app: App) -> None:
    """Take a script, market, account, run or trial away."""
    app.keeping.remove(body.kind, body.name)
    if body.kind == "trial":
        app.trials.stop(int(body.name))
    if body.kind == "practice":
        app.practices.leave(int(body.name))


@router.post("/removals/back")
def bring_back(body: RemovalIn, app: App) -> None:
    """Bring back what was taken away."""
    app.keeping.bring_back(body.kind, body.name)
