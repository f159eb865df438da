"""The REST API under /api. Handlers translate; what is done stands in the service."""

from datetime import UTC
from functools import lru_cache

from fastapi import APIRouter, Response

from skelb import __version__
from skelb.core.catalogue import BUILT_INS, FUNCTIONS
from skelb.core.figures import FIGURES
from skelb.core.language.tools import used_titles
from skelb.service.application import first_setup, home_of
from skelb.service.library import StoredScript
from skelb.service.shelf_folder import ShelfFile, pack_shelf, read_shelf, unpacked
from skelb.web.schemas import (
    AccountIn,
    AccountOut,
    BasketBody,
    CatalogueOut,
    EntryOut,
    FigureOut,
    HomeOut,
    RenameNamedIn,
    ScriptIn,
    ScriptOut,
    ScriptVersionOut,
    ShelfIn,
    StartOut,
    StatusIn,
)
from skelb.web.served import ZIP, App, named_file, zip_file

router = APIRouter(prefix="/api", tags=["library"])


@router.get("/start")
def start() -> StartOut:
    """What the Workbench opens with."""
    return StartOut(engine_version=__version__, **first_setup())


@router.get("/catalogue")
def catalogue() -> CatalogueOut:
    """Built-in names, functions and figures with their documentation."""
    functions = [
        EntryOut(name=item.name, kind="function", form=item.signature, summary=item.summary, fields=list(item.fields),
                 formula=item.formula, source=item.source, first_known=item.first_known)
        for item in FUNCTIONS.values()
    ]  # fmt: skip
    names = [
        EntryOut(name=item.name, kind="name", form=item.name, summary=item.summary, fields=list(item.fields))
        for item in BUILT_INS.values()
    ]
    figures = [
        FigureOut(
            key=item.key,
            unit=item.unit,
            name=item.name,
            meaning=item.meaning,
            higher_is_better=item.higher_is_better,
            group=item.group,
        )
        for item in FIGURES
    ]
    return CatalogueOut(entries=functions + names, figures=figures)


@router.get("/left-out")
def left_out(app: App) -> list[str]:
    """What is stored and cannot be read, a sentence each: lists are without it."""
    return app.left_out()


# --- scripts ---------------------------------------------------------------------------------------------------


@router.get("/scripts")
def scripts(app: App) -> list[ScriptOut]:
    """All scripts with their versions."""
    return [script_out(item) for item in app.library.scripts()]


@router.post("/scripts")
def save_script(body: ScriptIn, app: App) -> ScriptOut:
    """Save a text as the newest version of the script it is titled."""
    return script_out(app.library.save_script(body.text, after=body.after))


@router.post("/scripts/status")
def set_status(body: StatusIn, app: App) -> ScriptOut:
    """Say how far a script is trusted."""
    return script_out(app.library.set_status(body.title, body.status))


@router.get("/scripts/files", response_class=Response, responses=zip_file("a zip of files, one for each script"))
def shelf_as_files(app: App) -> Response:
    """The newest text of every script as files in a zip."""
    return named_file(pack_shelf(app.library), "Shelf.zip", ZIP)


@router.post("/scripts/files")
def bring_files(body: ShelfIn, app: App) -> list[ShelfFile]:
    """Script files, or zips of them, onto the shelf: new ones are stored, of others it is said what differs, and with
    `take` that is stored as a new version. Nothing is stored where one of them cannot be read."""
    files = [pair for item in body.files for pair in unpacked(item.name, item.data)]
    return read_shelf(app.library, files, body.take)


def script_out(item: StoredScript) -> ScriptOut:
    """A script as the API tells it."""
    versions = [
        ScriptVersionOut(
            number=version.number,
            text=version.text,
            created=version.created.replace(tzinfo=version.created.tzinfo or UTC),
        )
        for version in item.versions
    ]
    home = home_of(item.title)
    return ScriptOut(
        title=item.title, status=item.status, lesson=item.lesson, versions=versions,
        home=HomeOut(market=home[0], timeframe=home[1]) if home else None, uses=list(_uses(item.newest.text)),
    )  # fmt: skip


@lru_cache(maxsize=256)
def _uses(text: str) -> tuple[str, ...]:
    """Titles of the scripts that a text uses; the shelf asks for all texts each time."""
    return tuple(sorted(used_titles(text)))


# --- accounts and baskets --------------------------------------------------------------------------------------


@router.get("/accounts")
def accounts(app: App) -> list[AccountOut]:
    """All accounts."""
    return [AccountOut(name=name, settings=settings) for name, settings in app.library.accounts().items()]


@router.put("/accounts")
def save_account(body: AccountIn, app: App) -> list[AccountOut]:
    """Save an account under its name, a new one or in place of what it was; all accounts."""
    app.library.save_account(body.name, body.settings.model_dump())
    return accounts(app)


@router.post("/accounts/rename")
def rename_account(body: RenameNamedIn, app: App) -> list[AccountOut]:
    """Give an account another name; all accounts."""
    app.keeping.rename("account", body.name, body.to)
    return accounts(app)


@router.get("/baskets")
def baskets(app: App) -> list[BasketBody]:
    """All baskets."""
    return [BasketBody(name=name, markets=list(markets)) for name, markets in app.library.baskets().items()]


@router.put("/baskets")
def save_basket(body: BasketBody, app: App) -> list[BasketBody]:
    """Save a basket under its name, a new one or in place of what it was; all baskets."""
    app.library.save_basket(body.name, body.markets)
    return baskets(app)


@router.post("/baskets/rename")
def rename_basket(body: RenameNamedIn, app: App) -> list[BasketBody]:
    """Give a basket another name; all baskets."""
    app.keeping.rename("basket", body.name, body.to)
    return baskets(app)
