"""The language server through a plain client of the protocol: framed messages on standard input and output."""

import json
import subprocess
import sys

import pytest

from skelb.core.language import check
from skelb.service.application import Application

SCRIPT = """title "Tide"
use "Wave" as wave
input fast = 12 from 4 to 40 step 1 "Fast length"
quick = ema(close, fast)
bands = bollinger(close, 20, 2)
up = quick crosses above bands.mid and wave.flow > 3
draw quick
enter long when up
stop 2%
"""


class Client:
    """A language client of a few lines: sends requests, keeps what the server says by itself."""

    def __init__(self, folder):
        command = [sys.executable, "-m", "skelb.program", "lsp"]
        self.process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, cwd=folder)
        self.number = 0
        self.version = 0
        self.told = []
        self.uri = (folder / "high tide.skelb").as_uri()  # a space: addresses are written with %20

    def send(self, **message):
        body = json.dumps({"jsonrpc": "2.0", **message}).encode()
        self.process.stdin.write(b"Content-Length: %d\r\n\r\n" % len(body) + body)
        self.process.stdin.flush()

    def receive(self):
        length = 0
        while line := self.process.stdout.readline().strip():
            name, _, value = line.partition(b":")
            if name.lower() == b"content-length":
                length = int(value)
        return json.loads(self.process.stdout.read(length))

    def ask(self, method, **params):
        self.number += 1
        self.send(id=self.number, method=method, params=params)
        while True:
            message = self.receive()
            if message.get("id") == self.number:
                return message
            self.told.append(message)

    def at(self, method, line, character, **more):
        where = {"line": line, "character": character}
        return self.ask(f"textDocument/{method}", textDocument={"uri": self.uri}, position=where, **more)["result"]

    def open(self, text):
        document = {"uri": self.uri, "languageId": "skelb", "version": 1, "text": text}
        self.send(method="textDocument/didOpen", params={"textDocument": document})
        return self.diagnostics()

    def change(self, text):
        self.version += 1
        document = {"uri": self.uri, "version": self.version}
        self.send(
            method="textDocument/didChange", params={"textDocument": document, "contentChanges": [{"text": text}]}
        )
        return self.diagnostics()

    def diagnostics(self):
        while True:
            message = self.receive()
            if message.get("method") == "textDocument/publishDiagnostics":
                return message["params"]["diagnostics"]


@pytest.fixture(scope="module")
def client(tmp_path_factory):
    folder = tmp_path_factory.mktemp("scripts")
    (folder / "wave.skelb").write_text('title "Wave"\n# the flow\nflow = sma(close, 5) - sma(close, 20)\n')
    found = Client(folder)
    answer = found.ask("initialize", processId=None, rootUri=None, capabilities={})
    assert answer["result"]["serverInfo"]["name"] == "skelb"
    found.capabilities = answer["result"]["capabilities"]
    found.send(method="initialized", params={})
    found.open(SCRIPT)
    yield found
    found.ask("shutdown")
    found.send(method="exit")
    assert found.process.wait(10) == 0


@pytest.fixture(autouse=True)
def fresh(client):
    client.change(SCRIPT)


def edited(text, edits):
    lines = text.split("\n")

    def offset(place):
        return sum(len(line) + 1 for line in lines[: place["line"]]) + place["character"]

    for edit in sorted(edits, key=lambda item: offset(item["range"]["start"]), reverse=True):
        start, end = offset(edit["range"]["start"]), offset(edit["range"]["end"])
        text = text[:start] + edit["newText"] + text[end:]
    return text


def test_it_offers_what_it_can_do(client):
    for feature in ("completionProvider", "hoverProvider", "signatureHelpProvider", "definitionProvider", "renameProvider",
                    "documentFormattingProvider", "codeActionProvider", "documentSymbolProvider", "semanticTokensProvider",
                    "referencesProvider", "documentHighlightProvider", "documentLinkProvider", "foldingRangeProvider",
                    "workspaceSymbolProvider", "documentRangeFormattingProvider", "diagnosticProvider"):  # fmt: skip
        assert client.capabilities.get(feature), feature


def test_diagnostics_come_with_code_why_and_mend(client):
    [found] = client.change('note "ä🌊"; up = closee > open')[:1]
    assert found["code"] == "S0110" and found["severity"] == 1
    [found, *_] = client.change('up = close > oepn\nmark up above "🌊"')
    assert (found["code"], found["range"]["start"]) == ("S0201", {"line": 0, "character": 13})
    assert found["data"]["mend"]["text"] == "open"
    # A wave is one code point and two UTF-16 units.
    [found] = [item for item in client.change('note "🌊" 3\ndraw close') if item["severity"] == 1]
    assert found["range"]["start"]["character"] == 10


def test_completion_knows_names_fields_forms_and_words(client):
    def labels(text, line=0):
        client.change(text)
        last = text.split("\n")[line]
        return [item["label"] for item in client.at("completion", line, len(last))["items"]]

    assert {"upper", "mid", "lower"} == set(labels(SCRIPT + "x = bands.", 9))
    assert labels(SCRIPT + "x = wave.", 9) == ["flow"]
    assert {"upper", "mid"} < set(labels("x = keltner(20, 14, 2)."))
    found = labels(SCRIPT + "x = ", 9)
    assert found.index("quick") < found.index("ema") and "close" in found and "open_profit" not in found
    assert "open_profit" in labels(SCRIPT + "exit when ", 9)
    assert {"enter", "exit", "stop", "carry"} < set(labels(""))
    assert "gain" in labels("draw close color ") and "4h" in labels("x = close on ")
    assert labels("x = weekday is ")[:2] == ["mon", "tue"]
    assert labels("# a comment x") == []
    client.change("en")
    enter = next(item for item in client.at("completion", 0, 2)["items"] if item["label"] == "enter")
    assert enter["textEdit"]["newText"] == "enter ${1:long} when ${2:condition}" and enter["insertTextFormat"] == 2


def test_hover_explains_functions_own_names_used_names_and_words(client):
    def told(line, character):
        return client.at("hover", line, character)["contents"]["value"]

    assert "2 / (n + 1)" in told(3, 9) and "ema(" in told(3, 9)
    assert "quick = ema(close, fast)" in told(5, 6)
    assert "Fast length" in told(3, 20)
    assert "wave.flow = sma(close, 5) - sma(close, 20)" in told(5, 46)
    assert "Opens a position" in told(7, 2)
    assert client.at("hover", 3, 17) is not None and client.at("hover", 0, 9) is None


def test_explain_names_the_page_of_the_guide(client):
    where = {"textDocument": {"uri": client.uri}, "position": {"line": 3, "character": 9}}
    found = client.ask("skelb/explain", **where)["result"]
    assert (found["entry"], found["code"]) == ("function/ema", "ema(x, n)")
    assert found["range"]["start"] == {"line": 3, "character": 8}


def test_signature_help_follows_the_argument(client):
    client.change("x = bollinger(ema(close, 3), ")
    found = client.at("signatureHelp", 0, 29)
    assert found["signatures"][0]["label"] == "bollinger(x, n, f)" and found["activeParameter"] == 1
    client.change("x = crest(after: ")
    assert client.at("signatureHelp", 0, 17)["activeParameter"] == 1


def test_definition_goes_into_used_scripts_too(client):
    found = client.at("definition", 6, 6)
    assert found["uri"] == client.uri and found["range"]["start"] == {"line": 3, "character": 0}
    found = client.at("definition", 5, 46)
    assert found["uri"].endswith("/wave.skelb") and found["range"]["start"] == {"line": 2, "character": 0}
    assert client.at("definition", 3, 9) is None


def test_references_are_every_place_of_a_name(client):
    found = client.at("references", 3, 1, context={"includeDeclaration": True})
    assert [item["range"]["start"]["line"] for item in found] == [3, 5, 6]


def test_rename_changes_every_place_and_refuses_taken_names(client):
    result = client.at("rename", 3, 1, newName="swift")
    assert edited(SCRIPT, result["changes"][client.uri]) == SCRIPT.replace("quick", "swift")
    answer = client.ask(
        "textDocument/rename", textDocument={"uri": client.uri}, position={"line": 3, "character": 1}, newName="close"
    )
    assert "has a meaning in the language" in answer["error"]["message"]
    assert client.at("prepareRename", 3, 1)["end"]["character"] == 5
    assert client.at("prepareRename", 7, 1) is None


def test_formatting_changes_only_white_space(client):
    client.change("a=sma( close,3 )\nlonger=2")
    [edit] = client.ask(
        "textDocument/formatting", textDocument={"uri": client.uri}, options={"tabSize": 4, "insertSpaces": True}
    )["result"]
    assert edit["newText"] == "a      = sma(close, 3)\nlonger = 2\n"


def actions(client, line, character):
    where = {"line": line, "character": character}
    params = {
        "textDocument": {"uri": client.uri},
        "range": {"start": where, "end": where},
        "context": {"diagnostics": []},
    }
    return {
        item["title"]: item["edit"]["changes"][client.uri]
        for item in client.ask("textDocument/codeAction", **params)["result"]
    }


def test_code_actions_mend_extract_mirror_and_inline(client):
    found = actions(client, 4, 26)
    assert "input bollinger_n = 20 from 10 to 40 step 1" in edited(SCRIPT, found["Make this number an input"])
    alone = edited(SCRIPT, found["Write out the used scripts"])
    assert "wave_flow = sma(close, 5) - sma(close, 20)" in alone and "use " not in alone
    broken = "up = close > oepn && hgih > low"
    client.change(broken)
    assert edited(broken, actions(client, 0, 18)["Write `and`"]) == "up = close > oepn and hgih > low"
    plain = "up = close crosses above sma(close, 20)\nenter long when up\n"
    client.change(plain)
    mirrored = edited(plain, actions(client, 0, 0)["Write the short rules that mirror the long ones"])
    assert mirrored.endswith("down = close crosses below sma(close, 20)\nenter short when down\n")


def test_a_name_that_is_built_in_gets_another_everywhere_below(client):
    taken = "wide = spread * 2\nspread = close - open  # of mine\nfar = spread > wide and\n  prior(spread) < spread\nmark far above\n"
    client.change(taken)
    fresh = edited(taken, actions(client, 1, 3)["Name it `my_spread` here and below"])
    assert fresh == "wide = spread * 2\n" + taken.partition("\n")[2].replace("spread", "my_spread")
    assert check(fresh).is_sound
    assert not [title for title in actions(client, 0, 8) if title.startswith("Name it")]


def test_several_mends_in_one_press(client):
    broken = "up = close > opeen\ndown = close < opeen\nmark up above\nmark down below\n"
    client.change(broken)
    assert edited(broken, actions(client, 0, 0)["Mend everything that is sure"]) == broken.replace("opeen", "open")


def test_symbols_are_the_outline(client):
    found = client.ask("textDocument/documentSymbol", textDocument={"uri": client.uri})["result"]
    assert [item["name"] for item in found] == [
        "Tide",
        "wave",
        "fast",
        "quick",
        "bands",
        "up",
        "draw quick",
        "enter long when up",
        "stop 2%",
    ]


def test_semantic_tokens_say_what_every_word_is(client):
    data = client.ask("textDocument/semanticTokens/full", textDocument={"uri": client.uri})["result"]["data"]
    legend = client.capabilities["semanticTokensProvider"]["legend"]["tokenTypes"]
    lines, line, character, found = SCRIPT.split("\n"), 0, 0, {}
    for below, across, length, sort, _ in zip(*[iter(data)] * 5, strict=True):
        line, character = line + below, across + (0 if below else character)
        found.setdefault(lines[line][character : character + length], legend[sort])
    expected = {"title": "keyword", "quick": "variable", "ema": "function", "fast": "parameter", "12": "number",
                "crosses": "keyword", "mid": "property", '"Tide"': "string", "enter": "keyword", "long": "enumMember"}  # fmt: skip
    assert {word: found[word] for word in expected} == expected


def test_any_text_gets_answers(client):
    for text in ("", "\n\n", "x = (", "x = bands.", "🌊", '"', "= = =", "use", 'use "Wave" as', "x" * 5000):
        client.change(text)
        end = len(text.split("\n")[-1])
        for method in ("completion", "hover", "signatureHelp", "definition", "prepareRename"):
            client.at(method, 0, end)
        actions(client, 0, end)
        tokens = client.ask("textDocument/semanticTokens/full", textDocument={"uri": client.uri})
        assert len(tokens["result"]["data"]) % 5 == 0


PARAMS = {
    "formatting": {"options": {"tabSize": 2, "insertSpaces": True}}, "documentSymbol": {}, "semanticTokens/full": {},
    "completion": {"position": {"line": 0, "character": 0}}, "hover": {"position": {"line": 0, "character": 0}},
    "signatureHelp": {"position": {"line": 0, "character": 0}}, "definition": {"position": {"line": 0, "character": 0}},
    "documentHighlight": {"position": {"line": 0, "character": 0}}, "documentLink": {}, "foldingRange": {}, "diagnostic": {},
    "rangeFormatting": {"range": {"start": {"line": 0, "character": 0}, "end": {"line": 1, "character": 0}},
                        "options": {"tabSize": 2, "insertSpaces": True}},
    "references": {"position": {"line": 0, "character": 0}, "context": {"includeDeclaration": True}},
    "prepareRename": {"position": {"line": 0, "character": 0}},
    "rename": {"position": {"line": 0, "character": 0}, "newName": "x"},
    "codeAction": {"range": {"start": {"line": 0, "character": 0}, "end": {"line": 0, "character": 1}}, "context": {"diagnostics": []}},
}  # fmt: skip


@pytest.mark.parametrize("kind", [*PARAMS, "skelb/explain"])
def test_no_request_reads_a_document_that_was_not_opened(client, tmp_path, kind):
    (tmp_path / "secret.txt").write_text("   secret   =   3   ")
    document = {"uri": (tmp_path / "secret.txt").as_uri()}
    method = kind if "/" in kind and kind.startswith("skelb") else f"textDocument/{kind}"
    answer = client.ask(method, textDocument=document, **PARAMS.get(kind, {"position": {"line": 0, "character": 0}}))
    assert "was not opened" in answer["error"]["message"] and "secret   =" not in json.dumps(answer)
    # Nor does a change of it, which opens nothing.
    change = {"textDocument": {**document, "version": 1}, "contentChanges": [{"text": "x"}]}
    client.send(method="textDocument/didChange", params=change)
    assert "error" in client.ask("textDocument/formatting", textDocument=document, **PARAMS["formatting"])


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16", "utf-32"])
def test_positions_are_counted_as_was_agreed(tmp_path, encoding):
    found = Client(tmp_path)
    found.ask("initialize", processId=None, rootUri=None, capabilities={"general": {"positionEncodings": [encoding]}})
    found.send(method="initialized", params={})
    [wrong] = found.open(
        'note "\U0001f980\U0001f980é"  # \u2028 is no line end\nmark yes below "\U0001f980\U0001f980é" color quack'
    )
    assert wrong["range"]["start"]["line"] == 1
    text = 'mark yes below "\U0001f980\U0001f980é" color quack'
    units = {"utf-8": 1, "utf-16": 2, "utf-32": 4}[encoding]
    name = encoding if encoding == "utf-8" else f"{encoding}-le"
    assert wrong["range"]["start"]["character"] == len(text[: text.index("color")].encode(name)) // units
    found.process.kill()


def test_line_ends_stay_and_what_is_built_in_keeps_its_name(client):
    client.open("x   =   close\r\ndraw x\r\n")
    [edit] = client.ask("textDocument/formatting", textDocument={"uri": client.uri}, **PARAMS["formatting"])["result"]
    assert edit["newText"] == "x = close\r\ndraw x\r\n"
    assert client.at("prepareRename", 0, 9) is None and client.at("prepareRename", 0, 0) is not None
    client.open(SCRIPT)


def test_after_a_shutdown_requests_are_refused_and_an_exit_without_one_is_a_failure(tmp_path):
    found = Client(tmp_path)
    found.ask("initialize", processId=None, rootUri=None, capabilities={})
    assert found.ask("shutdown")["result"] is None
    assert "shut down" in found.ask("textDocument/hover", textDocument={"uri": "file:///x"}, position={"line": 0, "character": 0})["error"]["message"]  # fmt: skip
    found.send(method="exit", params=None)
    assert found.process.wait(20) == 0
    other = Client(tmp_path)
    other.ask("initialize", processId=None, rootUri=None, capabilities={})
    other.send(method="exit", params=None)
    assert other.process.wait(20) == 1


def test_links_lead_to_used_scripts_and_places_of_a_name_are_lit(client):
    [link] = client.ask("textDocument/documentLink", textDocument={"uri": client.uri})["result"]
    assert link["target"].endswith("/wave.skelb") and link["range"]["start"] == {"line": 1, "character": 4}
    assert link["range"]["end"]["character"] == 10
    found = client.at("documentHighlight", 5, 6)
    assert [(item["range"]["start"]["line"], item["kind"]) for item in found] == [(3, 3), (5, 2), (6, 2)]


def test_statements_of_several_lines_and_runs_of_comments_and_inputs_fold(client):
    client.change("# one\n# two\n# three\ninput a = 1\ninput b = 2\nx = (a +\n    b +\n    3)\ny = x\n# alone\nz = y\n")
    found = client.ask("textDocument/foldingRange", textDocument={"uri": client.uri})["result"]
    assert [(item["startLine"], item["endLine"]) for item in found] == [(0, 2), (3, 4), (5, 7)]
    assert found[0]["kind"] == "comment"


def test_some_lines_are_laid_out_and_the_others_stay(client):
    text = "a=1\n\n\n\nb  =  sma( close,3 )\nlonger=2\n# c\nd=4\n"
    client.change(text)
    asked = {"start": {"line": 4, "character": 0}, "end": {"line": 5, "character": 3}}
    edits = client.ask("textDocument/rangeFormatting", textDocument={"uri": client.uri}, range=asked, options={"tabSize": 4, "insertSpaces": True})["result"]  # fmt: skip
    assert edited(text, edits) == "a=1\n\n\n\nb      = sma(close, 3)\nlonger = 2\n# c\nd=4\n"


def test_what_is_wrong_can_be_asked_and_symbols_of_open_scripts_found(client):
    client.change("up = closs > 3\n")
    found = client.ask("textDocument/diagnostic", textDocument={"uri": client.uri})["result"]
    assert found["kind"] == "full" and [item["code"] for item in found["items"]] == ["S0201"]
    client.change(SCRIPT)
    names = [item["name"] for item in client.ask("workspace/symbol", query="QUICK")["result"]]
    assert names == ["quick", "draw quick"]


class Other(Client):
    """A client of its own in a folder with files of its own."""

    def __init__(self, folder):
        super().__init__(folder)
        self.ask("initialize", processId=None, rootUri=None, capabilities={})
        self.send(method="initialized", params={})

    def told_of(self, uri):
        while True:
            message = self.receive()
            if message.get("method") == "textDocument/publishDiagnostics" and message["params"]["uri"] == uri:
                return [item["code"] for item in message["params"]["diagnostics"]]


def test_a_used_script_is_the_one_in_the_editor_and_its_users_are_checked_again(tmp_path):
    (tmp_path / "wave.skelb").write_text('title "Wave"\nflow = sma(close, 5)\n')
    (tmp_path / "bad.skelb").write_bytes(b"\xff\xfe\xff")
    client = Other(tmp_path)
    assert client.open('use "Wave" as wave\ndraw wave.flow\n') == []
    wave = (tmp_path / "wave.skelb").as_uri()
    opened = {"uri": wave, "languageId": "skelb", "version": 1, "text": 'title "Wave"\nebb = close\n'}
    client.send(method="textDocument/didOpen", params={"textDocument": opened})
    assert client.told_of(client.uri) == ["S0201"]  # what is in the editor, not what is on the disk
    client.send(method="textDocument/didClose", params={"textDocument": {"uri": wave}})
    assert client.told_of(client.uri) == []
    (tmp_path / "wave.skelb").write_text('title "Wave"\nother = close\n')
    client.send(method="workspace/didChangeWatchedFiles", params={"changes": [{"uri": wave, "type": 2}]})
    assert client.told_of(client.uri) == ["S0201"]
    client.send(method="textDocument/didSave", params={"textDocument": {"uri": client.uri}})
    client.told_of(client.uri)
    client.ask("shutdown")
    client.send(method="exit")
    client.process.wait(10)


def test_titles_and_markets_complete_and_a_bad_file_is_told_once(tmp_path, monkeypatch):
    home = tmp_path / "home"
    monkeypatch.setenv("SKELB_HOME", str(home))
    application = Application(home)
    application.library.save_market("KELP", "", {}, [])
    application.close()
    folder = tmp_path / "scripts"
    folder.mkdir()
    (folder / "wave.skelb").write_text('title "Wave"\nflow = sma(close, 5)\n')
    (folder / "bad.skelb").write_bytes(b"\xff\xfe\xff")
    client = Other(folder)
    client.open('use "')
    assert [item["label"] for item in client.at("completion", 0, 5)["items"]] == ["Wave"]
    client.change('x = close from "')
    assert [item["label"] for item in client.at("completion", 0, 16)["items"]] == ["KELP"]
    client.change('use "')
    client.at("completion", 0, 5)
    warnings = [item["params"]["message"] for item in client.told if item.get("method") == "window/showMessage"]
    assert len(warnings) == 1 and warnings[0].startswith("bad.skelb is left out")
    client.process.kill()
