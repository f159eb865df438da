"""The server: open documents, what is known of them, and what is said without being asked."""

from abc import ABC, abstractmethod
from collections.abc import Mapping
from typing import Any
from urllib.parse import quote, unquote

from lsprotocol import types as lsp
from pygls.exceptions import FeatureRequestError, JsonRpcException
from pygls.lsp.server import LanguageServer
from pygls.protocol import LanguageServerProtocol
from pygls.workspace import TextDocument

from skelb import __version__
from skelb.core.language import Checked, Setting, check
from skelb.core.language.assist import Surroundings
from skelb.core.language.diagnostics import Diagnostic
from skelb.core.language.tools import used_titles
from skelb.service.language_server.positions import Positions, plain_range


class Reach(ABC):
    """What the scripts of one connection can reach: what differs between files beside each other and the page."""

    @abstractmethod
    def setting(self, uri: str, texts: Mapping[str, str]) -> Setting:
        """What the checker may know of a document; `texts` are the open ones by address. Asked anew for every check."""

    @abstractmethod
    def surroundings(self, texts: Mapping[str, str]) -> Surroundings:
        """What completion can propose."""

    def address(self, _uri: str, title: str, _texts: Mapping[str, str]) -> str:
        """Where the script of a title, used by a document, is to be opened."""
        return f"skelb:///{quote(title)}"


class _Protocol(LanguageServerProtocol):
    """Answers for documents that were opened over this connection, and for no other: a path of a file is not enough."""

    def __init__(self, server: LanguageServer, converter: Any) -> None:
        super().__init__(server, converter)
        self.exit_code = 0  # as the protocol wants it: 1 for an exit without a shutdown before it

    def handle_message(self, message: Any) -> None:
        """Handle a message, unless it is about a document that is not open, or comes after the end."""
        method, uri, number = getattr(message, "method", ""), _document_of(message), getattr(message, "id", None)
        if method == lsp.EXIT:
            self.exit_code = 0 if self._shutdown else 1
        if self._shutdown and number is not None and method:
            self.refuse(number, lsp.ErrorCodes.InvalidRequest, "the server was shut down")
            return
        if uri is not None and method != lsp.TEXT_DOCUMENT_DID_OPEN and not self._is_open(uri):
            if number is not None:
                self.refuse(number, lsp.ErrorCodes.InvalidParams, f"{uri} was not opened here")
            return
        super().handle_message(message)

    def _is_open(self, uri: str) -> bool:
        return (
            self._workspace is not None and unquote(uri) in self._workspace.text_documents
        )  # the workspace's own form

    def refuse(self, number: Any, code: lsp.ErrorCodes, why: str) -> None:
        """Say that the request of this number gets no other answer."""
        self._send_response(number, error=lsp.ResponseError(code.value, why))


def _document_of(message: Any) -> str | None:
    """The address of the document that a message is about; None when it is about none."""
    params = getattr(message, "params", None)
    document = getattr(params, "text_document", None) or getattr(params, "textDocument", None)
    found = getattr(document, "uri", None)
    return found if isinstance(found, str) else None


class ScriptServer(LanguageServer):
    """A language server for Skelb scripts."""

    def __init__(self, reach: Reach) -> None:
        # Whole texts: single changes would be placed by line ends that the language does not have.
        super().__init__("skelb", __version__, lsp.TextDocumentSyncKind.Full, protocol_cls=_Protocol)
        self.reach = reach
        self._checked: dict[str, Checked] = {}

    @property
    def exit_code(self) -> int:
        """What the program ends with after the protocol's exit."""
        assert isinstance(self.protocol, _Protocol)
        return self.protocol.exit_code

    def take(self, message: Any) -> None:
        """Work on one message of the protocol, given as plain values; what is none is told so."""
        number = message.get("id") if isinstance(message, dict) else None
        number = number if isinstance(number, (int, str)) else None
        if not isinstance(message, dict) or "jsonrpc" not in message:
            self.refuse(number, lsp.ErrorCodes.InvalidRequest, "this is no message of the protocol")
            return
        try:
            self.protocol.handle_message(self.protocol.structure_message(message))
        except JsonRpcException:
            if number is not None:
                self.refuse(
                    number, lsp.ErrorCodes.InvalidParams, "the message has not the form that its method asks for"
                )

    def refuse(self, number: int | str | None, code: lsp.ErrorCodes, why: str) -> None:
        """Say that the request of this number gets no other answer; None for a message that has no number."""
        assert isinstance(self.protocol, _Protocol)
        self.protocol.refuse(number, code, why)

    def report_server_error(self, error: Exception, source: type[Exception]) -> None:
        """What failed without a question to answer goes to the client's log, not into the writer's way."""
        if source is not FeatureRequestError:
            self.window_log_message(lsp.LogMessageParams(lsp.MessageType.Error, f"{type(error).__name__}: {error}"))

    def warn(self, why: str) -> None:
        """Say something that the writer should know of."""
        self.window_show_message(lsp.ShowMessageParams(lsp.MessageType.Warning, why))

    def document(self, uri: str) -> TextDocument:
        """An open document."""
        found: TextDocument = self.workspace.text_documents[unquote(uri)]  # the workspace's own form of an address
        return found

    def places(self, source: str) -> "Positions":
        """Where offsets of a text are in the positions that were agreed on."""
        agreed = self.workspace.position_encoding or lsp.PositionEncodingKind.Utf16
        return Positions(source, lsp.PositionEncodingKind(agreed).value)

    def checked(self, uri: str) -> Checked:
        """The checked text of an open document; checked once per text."""
        source = self.document(uri).source
        held = self._checked.get(uri)
        if held is None or held.source != source:
            held = self._checked[uri] = check(source, self.reach.setting(uri, self.texts))
        return held

    @property
    def texts(self) -> dict[str, str]:
        """The texts of all open documents, by address."""
        return {uri: document.source for uri, document in self.workspace.text_documents.items()}

    def diagnostics(self, uri: str) -> list[lsp.Diagnostic]:
        """What is wrong with an open document."""
        found = self.checked(uri)
        places = self.places(found.source)
        return [diagnostic_of(item, places) for item in found.diagnostics]

    def tell(self, uri: str) -> None:
        """Send the diagnostics of a document."""
        self._checked.pop(uri, None)
        self.text_document_publish_diagnostics(
            lsp.PublishDiagnosticsParams(uri, self.diagnostics(uri), self.document(uri).version)
        )

    def tell_all(self) -> None:
        """Check everything open anew, as after a move to another market."""
        for uri in list(self._checked):
            self.tell(uri)

    def tell_users(self, of: str = "") -> None:
        """Check anew whatever uses other scripts, as after a change of one; not the one at the address `of`."""
        for uri in list(self._checked):
            if uri != of and used_titles(self.document(uri).source):
                self.tell(uri)

    def forget(self, uri: str) -> None:
        """A document was closed."""
        self._checked.pop(uri, None)


_SEVERITY = {
    "error": lsp.DiagnosticSeverity.Error,
    "warning": lsp.DiagnosticSeverity.Warning,
    "note": lsp.DiagnosticSeverity.Information,
}


def diagnostic_of(found: Diagnostic, places: Positions) -> lsp.Diagnostic:
    mend = (
        None if found.mend is None else {"text": found.mend.text, "range": plain_range(places.range(found.mend.span))}
    )
    return lsp.Diagnostic(
        places.range(found.span),
        f"{found.message}. {found.why}",
        severity=_SEVERITY[found.severity],
        code=found.code,
        source="skelb",
        data={"message": found.message, "why": found.why, "mend": mend},
    )
