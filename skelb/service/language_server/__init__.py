"""The language server: what the core says about scripts, in the words of the Language Server Protocol.

One server instance per connection. `Reach` is what differs between files on a disk and the page.
"""

import logging
from collections.abc import Callable
from typing import Any

from lsprotocol import types as lsp

from skelb.core.language.assist import SORTS
from skelb.service.language_server import answering, changing
from skelb.service.language_server.positions import Positions
from skelb.service.language_server.server import Reach, ScriptServer

__all__ = ["Positions", "Reach", "ScriptServer", "make_server"]

EXPLAIN = "skelb/explain"  # our own request: a word with its page of the guide


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


def _opened(server: ScriptServer, params: lsp.DidOpenTextDocumentParams | lsp.DidChangeTextDocumentParams) -> None:
    server.tell(params.text_document.uri)
    server.tell_users(of=params.text_document.uri)


def _closed(server: ScriptServer, params: lsp.DidCloseTextDocumentParams) -> None:
    server.forget(params.text_document.uri)
    server.tell_users()


def _saved(server: ScriptServer, _params: Any) -> None:
    server.tell_users()


_LEGEND = lsp.SemanticTokensLegend(list(SORTS), [])
_FEATURES: tuple[tuple[str, Callable[[ScriptServer, Any], Any], Any], ...] = (
    (lsp.TEXT_DOCUMENT_DID_OPEN, _opened, None),
    (lsp.TEXT_DOCUMENT_DID_CHANGE, _opened, None),
    (lsp.TEXT_DOCUMENT_DID_CLOSE, _closed, None),
    (lsp.TEXT_DOCUMENT_DID_SAVE, _saved, None),
    (lsp.WORKSPACE_DID_CHANGE_WATCHED_FILES, _saved, None),
    (lsp.TEXT_DOCUMENT_COMPLETION, answering.complete, lsp.CompletionOptions(trigger_characters=[".", '"'])),
    (lsp.TEXT_DOCUMENT_HOVER, answering.hover, None),
    (lsp.TEXT_DOCUMENT_SIGNATURE_HELP, answering.signature, lsp.SignatureHelpOptions(["(", ","])),
    (lsp.TEXT_DOCUMENT_DEFINITION, answering.definition, None),
    (lsp.TEXT_DOCUMENT_REFERENCES, answering.references, None),
    (lsp.TEXT_DOCUMENT_DOCUMENT_HIGHLIGHT, answering.highlights, None),
    (lsp.TEXT_DOCUMENT_DOCUMENT_LINK, answering.links, lsp.DocumentLinkOptions()),
    (lsp.TEXT_DOCUMENT_FOLDING_RANGE, answering.folds, None),
    (lsp.TEXT_DOCUMENT_DOCUMENT_SYMBOL, answering.symbols, None),
    (lsp.WORKSPACE_SYMBOL, answering.workspace_symbols, None),
    (lsp.TEXT_DOCUMENT_DIAGNOSTIC, answering.pulled, lsp.DiagnosticOptions(True, False)),
    (lsp.TEXT_DOCUMENT_SEMANTIC_TOKENS_FULL, answering.tokens, _LEGEND),
    (lsp.TEXT_DOCUMENT_PREPARE_RENAME, changing.prepare_rename, None),
    (lsp.TEXT_DOCUMENT_RENAME, changing.rename, lsp.RenameOptions(prepare_provider=True)),
    (lsp.TEXT_DOCUMENT_FORMATTING, changing.layout, None),
    (lsp.TEXT_DOCUMENT_RANGE_FORMATTING, changing.layout_of_range, None),
    (lsp.TEXT_DOCUMENT_CODE_ACTION, changing.actions, None),
    (EXPLAIN, answering.explain, None),
)
