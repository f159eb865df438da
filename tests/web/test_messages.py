"""What a page sends over its sockets that is no message: it is told so, and the conversation goes on."""

import json

import pytest
from starlette.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from skelb.service.application import Application
from skelb.web.app import make_app
from skelb.web.messages import plain_json

LOCAL = {"host": "127.0.0.1", "origin": "http://127.0.0.1"}
NO_MESSAGES = {
    "not json": "not json",
    "half": '{"ask": "run"',
    "deep": "[" * 50_000 + "]" * 50_000,
    "no number": '{"ask": "run", "id": NaN}',
    "bytes": b"\xff\xfe\x00",
    "empty": "",
    "a list": "[]",
    "a number": "7",
    "a word": '"run"',
    "nothing": "null",
    "no question": "{}",
    "a list of questions": '{"ask": [1]}',
    "an odd question": '{"ask": "sell everything", "id": 3}',
}
IN_QUESTIONS = {
    "half a character": '"a\\ud83d"',
    "a large number": "123456789012345678901234567890",
    "deep": "[" * 900 + "]" * 900,
    "a word": '"run"',
    "nothing": "null",
    "much": json.dumps({"text": "x" * 100_000}),
}


@pytest.fixture(scope="module")
def client(tmp_path_factory):
    folder = tmp_path_factory.mktemp("home")
    with TestClient(make_app(Application(folder)), base_url="http://127.0.0.1") as found:
        yield found


def sent(socket, message):
    if isinstance(message, bytes):
        socket.send_bytes(message)
    else:
        socket.send_text(message)


@pytest.mark.parametrize("message", NO_MESSAGES.values(), ids=NO_MESSAGES)
def test_what_is_no_question_is_told_so_and_the_next_is_answered(client, message):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        sent(socket, message)
        answer = socket.receive_json()
        assert answer["answer"] == "nothing" and answer["error"]
        socket.send_json({"ask": "funnel", "id": 2, "run": "none"})
        assert socket.receive_json()["id"] == 2


@pytest.mark.parametrize("field", ["id", "setup", "run", "bar", "times", "timeframe", "lane"])
@pytest.mark.parametrize("value", IN_QUESTIONS.values(), ids=IN_QUESTIONS)
def test_whatever_stands_in_a_question_it_has_an_answer(client, field, value):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        for ask in ("run", "explain", "next", "bars_at", "chart", "try"):
            fields = {"ask": f'"{ask}"', "id": "1", field: value}
            socket.send_text("{" + ", ".join(f'"{name}": {text}' for name, text in fields.items()) + "}")
            answer = socket.receive_json()
            assert answer["answer"] == ask and answer["error"]
            assert "should not have happened" not in answer["error"]


class Editor:
    """An editor's side of the language server's socket."""

    def __init__(self, socket):
        self.socket = socket
        assert "capabilities" in self.ask(1, "initialize", {"capabilities": {}})["result"]

    def say(self, method, params):
        self.socket.send_json({"jsonrpc": "2.0", "method": method, "params": params})

    def ask(self, number, method, params):
        self.socket.send_json({"jsonrpc": "2.0", "id": number, "method": method, "params": params})
        return self.answer(number)

    def answer(self, number):
        while (found := self.socket.receive_json()).get("id", "") != number:
            pass
        return found

    def open(self, text, uri="skelb:///page"):
        document = {"uri": uri, "languageId": "skelb", "version": 1, "text": text}
        self.say("textDocument/didOpen", {"textDocument": document})


@pytest.mark.parametrize("message", NO_MESSAGES.values(), ids=NO_MESSAGES)
def test_what_is_no_message_of_the_protocol_is_told_so(client, message):
    with client.websocket_connect("/lsp", headers=LOCAL) as socket:
        editor = Editor(socket)
        sent(socket, message)
        refused = socket.receive_json()
        assert refused["error"]["code"] in (-32700, -32600) and "Traceback" not in refused["error"]["message"]
        editor.open("draw closs")
        assert socket.receive_json()["method"] == "textDocument/publishDiagnostics"


@pytest.mark.parametrize(
    "params",
    [None, 7, [], {}, {"textDocument": 3}, {"textDocument": {"uri": "skelb:///page"}},
     {"textDocument": {"uri": "skelb:///page"}, "position": {"line": "a", "character": None}},
     {"textDocument": {"uri": "file:///etc/passwd"}, "position": {"line": 0, "character": 0}}],
    ids=str,
)  # fmt: skip
@pytest.mark.parametrize(
    "method", ["textDocument/hover", "textDocument/completion", "textDocument/rename", "skelb/explain"]
)
def test_requests_of_a_wrong_form_are_answered_without_a_traceback(client, method, params):
    with client.websocket_connect("/lsp", headers=LOCAL) as socket:
        editor = Editor(socket)
        editor.open("x = close\ndraw x\n")
        answer = editor.ask(2, method, params)
        assert "Traceback" not in json.dumps(answer) and "root:" not in json.dumps(answer)
        assert editor.ask(3, "textDocument/documentSymbol", {"textDocument": {"uri": "skelb:///page"}})["result"]


def test_exit_ends_the_conversation_and_not_the_program(client):
    with client.websocket_connect("/lsp", headers=LOCAL) as socket:
        editor = Editor(socket)
        assert "result" in editor.ask(2, "shutdown", None)
        editor.say("exit", None)
        with pytest.raises(WebSocketDisconnect):
            socket.receive_json()
    assert client.get("/api/start").status_code == 200


def test_of_changes_on_end_the_last_is_checked_and_every_request_is_answered(client):
    long = "".join(f"x{i} = sma(close, {i + 2}) + closs\n" for i in range(1_500))
    with client.websocket_connect("/lsp", headers=LOCAL) as socket:
        editor = Editor(socket)
        editor.open(long)
        for version in range(2, 40):
            changes = [{"text": f"draw close\n# {version}\n{long}"}]
            editor.say("textDocument/didChange", {"textDocument": {"uri": "skelb:///page", "version": version}, "contentChanges": changes})  # fmt: skip
            if version % 13 == 0:
                asked = {"textDocument": {"uri": "skelb:///page"}, "position": {"line": 0, "character": 3}}
                socket.send_json({"jsonrpc": "2.0", "id": version, "method": "textDocument/hover", "params": asked})
        seen, answers = [], {}
        while 39 not in answers:
            message = socket.receive_json()
            if "id" in message:
                answers[message["id"]] = message["result"]
            else:
                seen.append(message["params"]["version"])
        assert len(seen) < 20 and seen[-1] == 39  # most were passed over
        assert answers.keys() == {13, 26, 39} and all(answers.values())


def test_a_script_that_was_saved_is_seen_by_those_that_use_it(client):
    with client.websocket_connect("/lsp", headers=LOCAL) as socket:
        editor = Editor(socket)
        editor.open('use "Ripple" as ripple\ndraw ripple.flow\n')
        assert [item["code"] for item in socket.receive_json()["params"]["diagnostics"]] == ["S0213"]
        client.app.state.application.library.save_script('title "Ripple"\nflow = close\n')
        assert socket.receive_json()["params"]["diagnostics"] == []


def test_half_a_character_becomes_a_question_mark():
    assert plain_json('{"text": "a\\ud83d b"}') == {"text": "a? b"}
    assert plain_json('{"text": "a\\ud83e\\udd80"}') == {"text": "a🦀"}
