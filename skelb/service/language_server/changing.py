"""Requests that change a text: renaming, layout, mends and larger changes."""

from lsprotocol import types as lsp
from pygls.exceptions import JsonRpcInvalidParams

from skelb.core.errors import ScriptError
from skelb.core.language import Checked, Scripts
from skelb.core.language.assist import uses_of, word_at
from skelb.core.language.tools import (
    Edit,
    applied,
    extract_input,
    format_source,
    inline_used,
    mirrored_rules,
    rename_taken,
)
from skelb.core.language.tools import rename as renamed
from skelb.service.language_server.positions import Positions, text_edits, whole_edit
from skelb.service.language_server.server import ScriptServer, diagnostic_of


def prepare_rename(server: ScriptServer, params: lsp.PrepareRenameParams) -> lsp.Range | None:
    document = server.document(params.text_document.uri)
    offset = server.places(document.source).offset(params.position)
    found = word_at(document.source, offset)
    meant = server.checked(params.text_document.uri).meanings
    if found is None or found[0] not in meant or not uses_of(document.source, offset):
        return None  # what is built in keeps its name
    return server.places(document.source).range(found[1])


def rename(server: ScriptServer, params: lsp.RenameParams) -> lsp.WorkspaceEdit:
    uri = params.text_document.uri
    document = server.document(uri)
    try:
        edits = renamed(
            document.source, server.places(document.source).offset(params.position), params.new_name.strip()
        )
    except ScriptError as exc:
        raise JsonRpcInvalidParams(str(exc)) from exc
    return lsp.WorkspaceEdit({uri: text_edits(edits, server.places(document.source))})


def layout(server: ScriptServer, params: lsp.DocumentFormattingParams) -> list[lsp.TextEdit]:
    source = server.document(params.text_document.uri).source
    return whole_edit(source, format_source(source), server.places(source))


def layout_of_range(server: ScriptServer, params: lsp.DocumentRangeFormattingParams) -> list[lsp.TextEdit]:
    """The usual layout of some lines; empty lines, which it may leave out, stay.

    Lines are laid out with those around them, and stay where they are broken: the nth that is not empty is the nth.
    """
    source = server.document(params.text_document.uri).source
    places = server.places(source)
    laid = [line for line in format_source(source).split("\n") if line.strip()]
    edits: list[lsp.TextEdit] = []
    begin = count = 0
    for number, whole in enumerate(source.split("\n")):
        line = whole.removesuffix("\r")
        if line.strip():
            if params.range.start.line <= number <= params.range.end.line and line != laid[count]:
                edits.append(lsp.TextEdit(places.range((begin, begin + len(line))), laid[count]))
            count += 1
        begin += len(whole) + 1
    return edits


def actions(server: ScriptServer, params: lsp.CodeActionParams) -> list[lsp.CodeAction]:
    uri = params.text_document.uri
    checked = server.checked(uri)
    places = server.places(checked.source)
    start, end = places.offset(params.range.start), places.offset(params.range.end)
    found = []
    for item in checked.diagnostics:
        if item.mend and item.span[0] <= end and start <= item.span[1]:
            title = f"Write `{item.mend.text}`" if item.mend.text else "Leave it out"
            edits = text_edits([Edit(item.mend.span, item.mend.text)], places)
            found.append(_action(title, lsp.CodeActionKind.QuickFix, uri, edits, diagnostic_of(item, places)))
        if item.code == "S0112" and item.span[0] <= end and start <= item.span[1]:
            fresh = rename_taken(checked.source, item.span)
            title = f"Name it `{fresh[0].text}` here and below"
            edits = text_edits(fresh, places)
            found.append(_action(title, lsp.CodeActionKind.QuickFix, uri, edits, diagnostic_of(item, places)))
    for title, kind, edits in _changes(checked, server.reach.setting(uri, server.texts).scripts, start, places):
        found.append(_action(title, kind, uri, edits))
    return found


def _changes(
    checked: Checked, scripts: Scripts | None, offset: int, places: Positions
) -> list[tuple[str, lsp.CodeActionKind, list[lsp.TextEdit]]]:
    """What can be done at a place besides mending."""
    source = checked.source
    found = []
    try:
        edits = extract_input(source, offset)
        found.append(("Make this number an input", lsp.CodeActionKind.RefactorExtract, text_edits(edits, places)))
    except ScriptError:
        pass
    if checked.is_sound:
        for side, other in (("long", "short"), ("short", "long")):
            mirrored = mirrored_rules(checked, side)  # type: ignore[arg-type]
            if mirrored.lines:
                text = source.rstrip("\n") + "\n\n" + "\n".join(mirrored.lines) + "\n"
                found.append(
                    (
                        f"Write the {other} rules that mirror the {side} ones",
                        lsp.CodeActionKind.RefactorRewrite,
                        whole_edit(source, text, places),
                    )
                )
    if checked.used and scripts is not None:
        found.append(
            (
                "Write out the used scripts",
                lsp.CodeActionKind.RefactorInline,
                whole_edit(source, inline_used(source, scripts), places),
            )
        )
    mends = [Edit(item.mend.span, item.mend.text) for item in checked.diagnostics if item.mend]
    if len(mends) > 1:
        found.append(
            (
                "Mend everything that is sure",
                lsp.CodeActionKind.SourceFixAll,
                whole_edit(source, applied(source, mends), places),
            )
        )
    return found


def _action(
    title: str, kind: lsp.CodeActionKind, uri: str, edits: list[lsp.TextEdit], mended: lsp.Diagnostic | None = None
) -> lsp.CodeAction:
    return lsp.CodeAction(
        title, kind=kind, edit=lsp.WorkspaceEdit({uri: edits}), diagnostics=[mended] if mended else None
    )
