"""Requests that read: completion, explanation, places of names, outlines, colours."""

from typing import Any

from lsprotocol import types as lsp

from skelb.core.language.assist import (
    SORTS,
    Completion,
    completions,
    definition_of,
    explain_word,
    outline,
    signature_at,
    uses_of,
    word_sorts,
)
from skelb.core.language.tools import name_places, used_places
from skelb.service.language_server.positions import plain_range
from skelb.service.language_server.server import ScriptServer

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


def complete(server: ScriptServer, params: lsp.CompletionParams) -> lsp.CompletionList:
    uri = params.text_document.uri
    checked = server.checked(uri)
    places = server.places(checked.source)
    offset = places.offset(params.position)
    found = completions(checked.source, offset, checked, server.reach.surroundings(server.texts))
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


def hover(server: ScriptServer, params: lsp.HoverParams) -> lsp.Hover | None:
    uri = params.text_document.uri
    checked = server.checked(uri)
    found = explain_word(checked.source, server.places(checked.source).offset(params.position), checked)
    if found is None:
        return None
    text = f"```skelb\n{found.code}\n```\n\n{found.text}"
    return lsp.Hover(lsp.MarkupContent(lsp.MarkupKind.Markdown, text), server.places(checked.source).range(found.span))


def explain(server: ScriptServer, params: Any) -> dict[str, Any] | None:
    """Our own request: the word at a place with its page in the guide, which a hover has no room for."""
    uri = params.textDocument.uri
    checked = server.checked(uri)
    position = lsp.Position(params.position.line, params.position.character)
    found = explain_word(checked.source, server.places(checked.source).offset(position), checked)
    if found is None:
        return None
    where = plain_range(server.places(checked.source).range(found.span))
    return {"code": found.code, "text": found.text, "entry": found.entry, "range": where}


def signature(server: ScriptServer, params: lsp.SignatureHelpParams) -> lsp.SignatureHelp | None:
    document = server.document(params.text_document.uri)
    found = signature_at(document.source, server.places(document.source).offset(params.position))
    if found is None:
        return None
    parameters = [lsp.ParameterInformation(name) for name in found.parameters]
    return lsp.SignatureHelp([lsp.SignatureInformation(found.label, found.documentation, parameters)], 0, found.active)


def definition(server: ScriptServer, params: lsp.DefinitionParams) -> lsp.Location | None:
    uri = params.text_document.uri
    checked = server.checked(uri)
    found = definition_of(checked.source, server.places(checked.source).offset(params.position), checked)
    if found is None:
        return None
    if found.title is None:
        return lsp.Location(uri, server.places(checked.source).range(found.span))
    used = next(item for item in checked.used.values() if item.title == found.title)
    where = server.reach.address(uri, found.title, server.texts)
    return lsp.Location(where, server.places(used.text).range(found.span))


def references(server: ScriptServer, params: lsp.ReferenceParams) -> list[lsp.Location]:
    uri = params.text_document.uri
    document = server.document(uri)
    places = server.places(document.source)
    spans = uses_of(document.source, places.offset(params.position))
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


def symbols(server: ScriptServer, params: lsp.DocumentSymbolParams) -> list[lsp.DocumentSymbol]:
    source = server.document(params.text_document.uri).source
    places = server.places(source)
    found = []
    for symbol in outline(source):
        where = places.range(symbol.span)
        found.append(lsp.DocumentSymbol(symbol.name or "(no title)", _SYMBOLS[symbol.sort], where, where))
    return found


def tokens(server: ScriptServer, params: lsp.SemanticTokensParams) -> lsp.SemanticTokens:
    checked = server.checked(params.text_document.uri)
    places = server.places(checked.source)
    data: list[int] = []
    line = character = 0
    for span, sort in word_sorts(checked.source, checked):
        where = places.range(span)
        below = where.start.line - line
        across = where.start.character - (0 if below else character)
        data += [below, across, where.end.character - where.start.character, SORTS.index(sort), 0]
        line, character = where.start.line, where.start.character
    return lsp.SemanticTokens(data)


def highlights(server: ScriptServer, params: lsp.DocumentHighlightParams) -> list[lsp.DocumentHighlight]:
    """Every place of the name at a position, where it gets its meaning as written."""
    source = server.document(params.text_document.uri).source
    places = server.places(source)
    defined = {item.span for item in name_places(source) if item.defines}
    kinds = lsp.DocumentHighlightKind
    return [
        lsp.DocumentHighlight(places.range(span), kinds.Write if span in defined else kinds.Read)
        for span in uses_of(source, places.offset(params.position))
    ]


def links(server: ScriptServer, params: lsp.DocumentLinkParams) -> list[lsp.DocumentLink]:
    """The titles of used scripts, each leading to its script."""
    uri = params.text_document.uri
    source = server.document(uri).source
    places, texts = server.places(source), server.texts
    return [
        lsp.DocumentLink(places.range(span), server.reach.address(uri, title, texts), f"Open “{title}”")
        for title, span in used_places(source)
    ]


def folds(server: ScriptServer, params: lsp.FoldingRangeParams) -> list[lsp.FoldingRange]:
    """Statements of several lines, and runs of comments and of inputs."""
    lines = server.document(params.text_document.uri).source.split("\n")
    found: list[lsp.FoldingRange] = []
    begin, kind = 0, ""
    for number, line in enumerate([*lines, ""]):
        now = _fold_of(line)
        if now == "more" and kind in ("", "input"):
            begin, kind = (number - 1 if not kind else begin), kind or "statement"
            continue
        if now == kind or (now == "more" and kind == "statement"):
            continue
        if kind and number - 1 > begin:
            found.append(
                lsp.FoldingRange(begin, number - 1, kind=lsp.FoldingRangeKind.Comment if kind == "comment" else None)
            )
        begin, kind = number, now if now in ("comment", "input") else ""
    return found


def _fold_of(line: str) -> str:
    """What a line is for folding: a comment, an input, the rest of a statement begun above, or anything else."""
    if line.lstrip().startswith("#"):
        return "comment"
    if line[:1].isspace() and line.strip():
        return "more"
    return "input" if line.startswith("input ") else ""


def workspace_symbols(server: ScriptServer, params: lsp.WorkspaceSymbolParams) -> list[lsp.WorkspaceSymbol]:
    """What open scripts define, by a part of its name."""
    wanted = params.query.lower()
    found = []
    for uri, source in server.texts.items():
        places = server.places(source)
        found += [
            lsp.WorkspaceSymbol(lsp.Location(uri, places.range(symbol.span)), symbol.name, _SYMBOLS[symbol.sort])
            for symbol in outline(source)
            if symbol.name and wanted in symbol.name.lower()
        ]
    return found


def pulled(server: ScriptServer, params: lsp.DocumentDiagnosticParams) -> lsp.RelatedFullDocumentDiagnosticReport:
    """What is wrong with a document, for editors that ask instead of being told."""
    return lsp.RelatedFullDocumentDiagnosticReport(server.diagnostics(params.text_document.uri))
