"""The language server: what the core says about scripts, in the words of the Language Server Protocol.

One server instance per connection. `Reach` is what differs between a file on the command line and the page.
"""

import logging
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote

from lsprotocol import types as lsp
from pygls.exceptions import JsonRpcInvalidParams
from pygls.lsp.server import LanguageServer
from pygls.workspace import TextDocument

from skelb import __version__
from skelb.core.errors import ScriptError
from skelb.core.language import Checked, LineMap, Scripts, Setting, check, utf16_offset
from skelb.core.language.assist import (
    SORTS,
    Completion,
    Surroundings,
    completions,
    definition_of,
    explain_word,
    outline,
    signature_at,
    uses_of,
    word_at,
    word_sorts,
)
from skelb.core.language.diagnostics import Diagnostic, Span
from skelb.core.language.tools import (
    Edit,
    applied,
    extract_input,
    format_source,
    inline_used,
    mirrored_rules,
    rename,
)

EXPLAIN = "skelb/explain"


@dataclass
class Reach:
    """What scripts of one connection can reach; both are asked anew for every check of a document."""

    setting: Callable[[str], Setting]
    surroundings: Callable[[], Surroundings]


class ScriptServer(LanguageServer):
    """A language server for Skelb scripts."""

    def __init__(self, reach: Reach) -> None:
        super().__init__("skelb", __version__)
        self.reach = reach
        self._checked: dict[str, Checked] = {}

    def document(self, uri: str) -> TextDocument:
        """An open document."""
        return self.workspace.get_text_document(uri)

    def checked(self, uri: str) -> Checked:
        """The checked text of an open document; checked once per text."""
        source = self.document(uri).source
        held = self._checked.get(uri)
        if held is None or held.source != source:
            held = self._checked[uri] = check(source, self.reach.setting(uri))
        return held

    def tell(self, uri: str) -> None:
        """Send the diagnostics of a document."""
        self._checked.pop(uri, None)
        found = self.checked(uri)
        places = _Places(found.source)
        self.text_document_publish_diagnostics(
            lsp.PublishDiagnosticsParams(
                uri, [_diagnostic(item, places) for item in found.diagnostics], self.document(uri).version
            )
        )

    def tell_all(self) -> None:
        """Check everything open anew, as after a move to another market."""
        for uri in list(self._checked):
            self.tell(uri)

    def forget(self, uri: str) -> None:
        """A document was closed."""
        self._checked.pop(uri, None)


def make_server(reach: Reach) -> ScriptServer:
    """A server with every feature, for one connection."""
    logging.getLogger("pygls").setLevel(logging.CRITICAL)  # it prints tracebacks of messages it cannot read
    server = ScriptServer(reach)
    for feature, handler, options in _FEATURES:
        server.feature(feature, options)(_bound(server, handler))
    return server


def _bound(server: ScriptServer, handler: Callable[[ScriptServer, Any], Any]) -> Callable[[Any], Any]:
    def handle(params: Any) -> Any:
        return handler(server, params)

    return handle


# --- places ---------------------------------------------------------------------------------------------------


class _Places:
    """Turns code-point offsets of one text into the protocol's positions, which count UTF-16 units."""

    def __init__(self, source: str) -> None:
        self._lines = source.split("\n")
        self._map = LineMap(source)

    def position(self, offset: int) -> lsp.Position:
        place = self._map.place(offset)
        return lsp.Position(place.line - 1, utf16_offset(self._lines[place.line - 1], place.column - 1))

    def range(self, span: Span) -> lsp.Range:
        return lsp.Range(self.position(span[0]), self.position(span[1]))


def _offset(document: TextDocument, position: lsp.Position) -> int:
    return document.offset_at_position(position)


def _edits(edits: list[Edit], places: _Places) -> list[lsp.TextEdit]:
    return [lsp.TextEdit(places.range(edit.span), edit.text) for edit in edits]


def _whole(source: str, text: str) -> list[lsp.TextEdit]:
    """The edit that makes another text of the whole document."""
    return [] if text == source else [lsp.TextEdit(_Places(source).range((0, len(source))), text)]


# --- diagnostics ----------------------------------------------------------------------------------------------

_SEVERITY = {
    "error": lsp.DiagnosticSeverity.Error,
    "warning": lsp.DiagnosticSeverity.Warning,
    "note": lsp.DiagnosticSeverity.Information,
}


def _diagnostic(found: Diagnostic, places: _Places) -> lsp.Diagnostic:
    mend = None if found.mend is None else {"text": found.mend.text, "range": _plain(places.range(found.mend.span))}
    return lsp.Diagnostic(
        places.range(found.span),
        f"{found.message}. {found.why}",
        severity=_SEVERITY[found.severity],
        code=found.code,
        source="skelb",
        data={"message": found.message, "why": found.why, "mend": mend},
    )


def _plain(found: lsp.Range) -> dict[str, Any]:
    return {
        name: {"line": place.line, "character": place.character}
        for name, place in (("start", found.start), ("end", found.end))
    }


def _opened(server: ScriptServer, params: lsp.DidOpenTextDocumentParams) -> None:
    server.tell(params.text_document.uri)


def _changed(server: ScriptServer, params: lsp.DidChangeTextDocumentParams) -> None:
    server.tell(params.text_document.uri)


def _closed(server: ScriptServer, params: lsp.DidCloseTextDocumentParams) -> None:
    server.forget(params.text_document.uri)


# --- reading ----------------------------------------------------------------------------------------------------

_KINDS = {
    "form": lsp.CompletionItemKind.Snippet,
    "word": lsp.CompletionItemKind.Keyword,
    "function": lsp.CompletionItemKind.Function,
    "series": lsp.CompletionItemKind.Constant,
    "name": lsp.CompletionItemKind.Variable,
    "input": lsp.CompletionItemKind.Property,
    "field": lsp.CompletionItemKind.Field,
    "text": lsp.CompletionItemKind.Text,
}


def _complete(server: ScriptServer, params: lsp.CompletionParams) -> lsp.CompletionList:
    uri = params.text_document.uri
    document, checked = server.document(uri), server.checked(uri)
    offset = _offset(document, params.position)
    found = completions(checked.source, offset, checked, server.reach.surroundings())
    places = _Places(checked.source)
    replaced = places.range((found.start, offset))
    return lsp.CompletionList(False, [_item(item, index, replaced) for index, item in enumerate(found.items)])


def _item(item: Completion, index: int, replaced: lsp.Range) -> lsp.CompletionItem:
    return lsp.CompletionItem(
        item.label,
        kind=_KINDS[item.kind],
        detail=item.detail or None,
        documentation=lsp.MarkupContent(lsp.MarkupKind.Markdown, item.documentation) if item.documentation else None,
        sort_text=f"{index:05}",
        insert_text_format=lsp.InsertTextFormat.Snippet if item.is_form else lsp.InsertTextFormat.PlainText,
        text_edit=lsp.TextEdit(replaced, item.insert),
    )


def _hover(server: ScriptServer, params: lsp.HoverParams) -> lsp.Hover | None:
    uri = params.text_document.uri
    checked = server.checked(uri)
    found = explain_word(checked.source, _offset(server.document(uri), params.position), checked)
    if found is None:
        return None
    text = f"```skelb\n{found.code}\n```\n\n{found.text}"
    return lsp.Hover(lsp.MarkupContent(lsp.MarkupKind.Markdown, text), _Places(checked.source).range(found.span))


def _explain(server: ScriptServer, params: Any) -> dict[str, Any] | None:
    """Our own request: the word at a place with its page in the guide, which a hover has no room for."""
    uri = params.textDocument.uri
    checked = server.checked(uri)
    position = lsp.Position(params.position.line, params.position.character)
    found = explain_word(checked.source, _offset(server.document(uri), position), checked)
    if found is None:
        return None
    where = _plain(_Places(checked.source).range(found.span))
    return {"code": found.code, "text": found.text, "entry": found.entry, "range": where}


def _signature(server: ScriptServer, params: lsp.SignatureHelpParams) -> lsp.SignatureHelp | None:
    document = server.document(params.text_document.uri)
    found = signature_at(document.source, _offset(document, params.position))
    if found is None:
        return None
    parameters = [lsp.ParameterInformation(name) for name in found.parameters]
    return lsp.SignatureHelp([lsp.SignatureInformation(found.label, found.documentation, parameters)], 0, found.active)


def script_uri(title: str) -> str:
    """The address under which a used script is shown."""
    return f"skelb:///{quote(title)}"


def _definition(server: ScriptServer, params: lsp.DefinitionParams) -> lsp.Location | None:
    uri = params.text_document.uri
    checked = server.checked(uri)
    found = definition_of(checked.source, _offset(server.document(uri), params.position), checked)
    if found is None:
        return None
    if found.title is None:
        return lsp.Location(uri, _Places(checked.source).range(found.span))
    used = next(item for item in checked.used.values() if item.title == found.title)
    return lsp.Location(script_uri(found.title), _Places(used.text).range(found.span))


def _references(server: ScriptServer, params: lsp.ReferenceParams) -> list[lsp.Location]:
    uri = params.text_document.uri
    document = server.document(uri)
    places = _Places(document.source)
    spans = uses_of(document.source, _offset(document, params.position))
    return [lsp.Location(uri, places.range(span)) for span in spans]


_SYMBOLS = {
    "title": lsp.SymbolKind.File,
    "input": lsp.SymbolKind.Property,
    "name": lsp.SymbolKind.Variable,
    "function": lsp.SymbolKind.Function,
    "script": lsp.SymbolKind.Module,
    "rule": lsp.SymbolKind.Event,
    "picture": lsp.SymbolKind.Object,
}


def _symbols(server: ScriptServer, params: lsp.DocumentSymbolParams) -> list[lsp.DocumentSymbol]:
    source = server.document(params.text_document.uri).source
    places = _Places(source)
    found = []
    for symbol in outline(source):
        where = places.range(symbol.span)
        found.append(lsp.DocumentSymbol(symbol.name or "(no title)", _SYMBOLS[symbol.sort], where, where))
    return found


def _tokens(server: ScriptServer, params: lsp.SemanticTokensParams) -> lsp.SemanticTokens:
    checked = server.checked(params.text_document.uri)
    places = _Places(checked.source)
    data: list[int] = []
    line = character = 0
    for span, sort in word_sorts(checked.source, checked):
        where = places.range(span)
        below = where.start.line - line
        across = where.start.character - (0 if below else character)
        data += [below, across, where.end.character - where.start.character, SORTS.index(sort), 0]
        line, character = where.start.line, where.start.character
    return lsp.SemanticTokens(data)


# --- changing ---------------------------------------------------------------------------------------------------


def _prepare_rename(server: ScriptServer, params: lsp.PrepareRenameParams) -> lsp.Range | None:
    document = server.document(params.text_document.uri)
    offset = _offset(document, params.position)
    found = word_at(document.source, offset)
    if found is None or not uses_of(document.source, offset):
        return None
    return _Places(document.source).range(found[1])


def _rename(server: ScriptServer, params: lsp.RenameParams) -> lsp.WorkspaceEdit:
    uri = params.text_document.uri
    document = server.document(uri)
    try:
        edits = rename(document.source, _offset(document, params.position), params.new_name.strip())
    except ScriptError as exc:
        raise JsonRpcInvalidParams(str(exc)) from exc
    return lsp.WorkspaceEdit({uri: _edits(edits, _Places(document.source))})


def _format(server: ScriptServer, params: lsp.DocumentFormattingParams) -> list[lsp.TextEdit]:
    source = server.document(params.text_document.uri).source
    return _whole(source, format_source(source))


def _actions(server: ScriptServer, params: lsp.CodeActionParams) -> list[lsp.CodeAction]:
    uri = params.text_document.uri
    document, checked = server.document(uri), server.checked(uri)
    places = _Places(checked.source)
    start, end = _offset(document, params.range.start), _offset(document, params.range.end)
    found = []
    for item in checked.diagnostics:
        if item.mend and item.span[0] <= end and start <= item.span[1]:
            title = f"Write `{item.mend.text}`" if item.mend.text else "Leave it out"
            edits = _edits([Edit(item.mend.span, item.mend.text)], places)
            found.append(_action(title, lsp.CodeActionKind.QuickFix, uri, edits, _diagnostic(item, places)))
    for title, kind, edits in _changes(checked, server.reach.setting(uri).scripts, start, places):
        found.append(_action(title, kind, uri, edits))
    return found


def _changes(
    checked: Checked, scripts: Scripts | None, offset: int, places: _Places
) -> list[tuple[str, lsp.CodeActionKind, list[lsp.TextEdit]]]:
    """What can be done at a place besides mending."""
    source = checked.source
    found = []
    try:
        edits = extract_input(source, offset)
        found.append(("Make this number an input", lsp.CodeActionKind.RefactorExtract, _edits(edits, places)))
    except ScriptError:
        pass
    if checked.is_sound:
        for side, other in (("long", "short"), ("short", "long")):
            mirrored = mirrored_rules(checked, side)  # type: ignore[arg-type]
            if mirrored.lines:
                text = source.rstrip("\n") + "\n\n" + "\n".join(mirrored.lines) + "\n"
                found.append((f"Write the {other} rules that mirror the {side} ones", lsp.CodeActionKind.RefactorRewrite, _whole(source, text)))  # fmt: skip
    if checked.used and scripts is not None:
        found.append(("Write out the used scripts", lsp.CodeActionKind.RefactorInline, _whole(source, inline_used(source, scripts))))  # fmt: skip
    mends = [Edit(item.mend.span, item.mend.text) for item in checked.diagnostics if item.mend]
    if len(mends) > 1:
        found.append(("Mend everything that is sure", lsp.CodeActionKind.SourceFixAll, _whole(source, applied(source, mends))))  # fmt: skip
    return found


def _action(
    title: str, kind: lsp.CodeActionKind, uri: str, edits: list[lsp.TextEdit], mended: lsp.Diagnostic | None = None
) -> lsp.CodeAction:
    return lsp.CodeAction(
        title, kind=kind, edit=lsp.WorkspaceEdit({uri: edits}), diagnostics=[mended] if mended else None
    )


_LEGEND = lsp.SemanticTokensLegend(list(SORTS), [])
_FEATURES: tuple[tuple[str, Callable[[ScriptServer, Any], Any], Any], ...] = (
    (lsp.TEXT_DOCUMENT_DID_OPEN, _opened, None),
    (lsp.TEXT_DOCUMENT_DID_CHANGE, _changed, None),
    (lsp.TEXT_DOCUMENT_DID_CLOSE, _closed, None),
    (lsp.TEXT_DOCUMENT_COMPLETION, _complete, lsp.CompletionOptions(trigger_characters=[".", '"'])),
    (lsp.TEXT_DOCUMENT_HOVER, _hover, None),
    (lsp.TEXT_DOCUMENT_SIGNATURE_HELP, _signature, lsp.SignatureHelpOptions(["(", ","])),
    (lsp.TEXT_DOCUMENT_DEFINITION, _definition, None),
    (lsp.TEXT_DOCUMENT_REFERENCES, _references, None),
    (lsp.TEXT_DOCUMENT_DOCUMENT_SYMBOL, _symbols, None),
    (lsp.TEXT_DOCUMENT_SEMANTIC_TOKENS_FULL, _tokens, _LEGEND),
    (lsp.TEXT_DOCUMENT_PREPARE_RENAME, _prepare_rename, None),
    (lsp.TEXT_DOCUMENT_RENAME, _rename, lsp.RenameOptions(prepare_provider=True)),
    (lsp.TEXT_DOCUMENT_FORMATTING, _format, None),
    (lsp.TEXT_DOCUMENT_CODE_ACTION, _actions, None),
    (EXPLAIN, _explain, None),
)
