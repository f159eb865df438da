"""The REST API of scripts as texts, and of the guide."""

from dataclasses import fields

from fastapi import APIRouter

from skelb.core.export import Preview, conversion_chart, conversion_names, conversion_of
from skelb.core.language import Setting, check, utf16_offset
from skelb.core.language.bringing import bring
from skelb.core.language.tools import brief, read_back, sheet_of, what_is_wrong
from skelb.service import guide as guides
from skelb.service.glimpse import Glimpse, glimpse_of
from skelb.service.planning import Beginnings, beginnings, examples_for
from skelb.service.taken_away import python_for
from skelb.service.told import told_run
from skelb.web.schemas import (
    BriefIn,
    BringIn,
    BringRunIn,
    BroughtOut,
    ConversionIn,
    ConversionNamesOut,
    ConversionOut,
    GuideEntryOut,
    GuideRowOut,
    RunIn,
    SheetOut,
    SheetRowOut,
    TextOut,
    WrongOut,
)
from skelb.web.served import App

router = APIRouter(prefix="/api", tags=["scripts"])


# --- rules -----------------------------------------------------------------------------------------------------


@router.post("/texts/sheet")
def sheet(body: RunIn, app: App) -> SheetOut:
    """The rules of a text as rows of a plan; places are UTF-16 offsets, as a browser counts."""
    prepared = body.setup.prepared(app.library, app.datasets)
    text = body.setup.text
    rows = [
        SheetRowOut(
            section=row.section, side=row.side, text=row.text, start=utf16_offset(text, row.span[0]),
            end=utf16_offset(text, row.span[1]), is_on=row.is_on, off=row.off, mirror=row.mirror,
        )
        for row in sheet_of(prepared.checked)
    ]  # fmt: skip
    return SheetOut(rows=rows, examples=examples_for(prepared.dataset, prepared.account))


@router.post("/texts/conditions")
def conditions(body: RunIn, app: App) -> Beginnings:
    """The conditions of an indicator script with what followed them, and worked examples of rules."""
    return beginnings(body.setup.prepared(app.library, app.datasets).sound())


# --- the guide -------------------------------------------------------------------------------------------------


@router.get("/guide")
def guide(words: str = "") -> list[GuideRowOut]:
    """The pages of the guide that hold every one of the words, best first, or all; without their text."""
    return [
        GuideRowOut(id=item.id, group=item.group, title=item.title, summary=item.summary, also=item.also)
        for item in guides.found(words)
    ]


@router.get("/guide/entry")
def guide_entry(id: str) -> GuideEntryOut:
    """One page."""
    found = guides.entry(id)
    return GuideEntryOut(
        id=found.id, group=found.group, title=found.title, summary=found.summary, also=found.also, text=found.text,
        example=found.example,
    )  # fmt: skip


@router.get("/guide/picture")
def guide_picture(id: str, app: App) -> Preview:
    """A page's example on demo bars."""
    return guides.picture(id, app.library, app.datasets)


# --- scripts as texts ------------------------------------------------------------------------------------------


@router.post("/texts/readback")
def readback(body: RunIn, app: App) -> TextOut:
    """The strategy in plain sentences."""
    prepared = body.setup.prepared(app.library, app.datasets).sound()
    return TextOut(text="\n".join(read_back(prepared.checked)))


@router.post("/texts/python")
def as_python(body: RunIn, app: App) -> TextOut:
    """The strategy as one Python file for this market and account, on all bars that the file is given; a text it cannot
    write yet is an error that names the lines."""
    return TextOut(text=python_for(body.setup.prepared(app.library, app.datasets).sound(), app.library))


@router.post("/texts/brief")
def brief_of(body: BriefIn, app: App) -> TextOut:
    """One text to paste to any assistant."""
    checked = check(body.text, Setting(scripts=app.library.saved_script))
    told = told_run(body.setup, app.library, app.datasets) if body.setup else ""
    return TextOut(text=brief(checked, body.wish, told))


@router.post("/texts/bring")
def brought(body: BringIn) -> BroughtOut:
    """A script in another notation as one that runs; each answer is a choice of a question by its id."""
    found = bring(body.text, body.answers)
    counts = (found.count(state) for state in ("sure", "asked", "left"))
    return BroughtOut(found.text, found.lines, found.questions, *counts)


@router.post("/texts/bring/run")
def run_brought(body: BringRunIn, app: App) -> Glimpse:
    """What a script that is brought over does where the setup says; the setup's own text is not looked at."""
    setup = body.setup.model_copy(update={"text": bring(body.text, body.answers).text})
    return glimpse_of(setup.prepared(app.library, app.datasets))


@router.post("/texts/wrong")
def wrong(body: TextOut, app: App) -> WrongOut:
    """What is wrong with a text, to copy for the next round."""
    checked = check(body.text, Setting(scripts=app.library.saved_script))
    errors = tuple(item for item in checked.diagnostics if item.severity == "error")
    return WrongOut(errors=len(errors), text=what_is_wrong(body.text, errors))


@router.post("/texts/conversion/names")
def names_to_compare(body: RunIn, app: App) -> ConversionNamesOut:
    """What of the script can be compared, and with which columns of the bars."""
    prepared = body.setup.prepared(app.library, app.datasets).sound()
    return ConversionNamesOut(names=conversion_names(prepared.checked), columns=list(prepared.dataset.bars.columns))


@router.post("/texts/conversion")
def conversion(body: ConversionIn, app: App) -> ConversionOut:
    """How a name compares with a column of the original's values, and both lines around the first difference."""
    prepared = body.setup.prepared(app.library, app.datasets).sound()
    checked, dataset, expressions = prepared.checked, prepared.dataset, prepared.expressions()
    found = conversion_of(checked, expressions, dataset, body.column, body.name)
    told = {field.name: getattr(found, field.name) for field in fields(found)}
    return ConversionOut(**told, chart=conversion_chart(checked, expressions, dataset, found))
