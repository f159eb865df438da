"""Long use: thousands of edits take no more memory and no more descriptors than hundreds; a page that does not read."""

import json
import os

import pytest
from websockets.sync.client import connect

from skelb.demo import DEMO_SCRIPTS
from tests.conftest import Server

SETUP = {"market": "KELP", "timeframe": "15m", "account": "Dockside account"}
EDITS = 5_000 if "SOAK_MINUTES" in os.environ else 150
MOST_GROWTH_MB = 40  # what is kept of the last runs varies with the texts


@pytest.fixture
def own(tmp_path):
    found = Server(tmp_path).start()
    yield found
    found.kill()


def live(server, path="/live"):
    return connect(
        f"ws://127.0.0.1:{server.port}{path}", additional_headers={"x-skelb-token": server.token}, max_size=None
    )


def resident_mb(server):
    with open(f"/proc/{server.process.pid}/status") as found:
        return int(next(line for line in found if line.startswith("VmRSS")).split()[1]) / 1024


def descriptors(server):
    return len(os.listdir(f"/proc/{server.process.pid}/fd"))


def answer_to(socket, number, ask):
    while True:
        told = json.loads(socket.recv())
        if told.get("id") == number and told["answer"] == ask:
            return told


class Typist:
    """One page: every edit is told to the language server and run."""

    def __init__(self, server, text):
        self._live, self._language, self._number = live(server), live(server, "/lsp"), 0
        self._say("initialize", {"capabilities": {}, "processId": None, "rootUri": None}, identity=0)
        json.loads(self._language.recv())
        self._say("initialized", {})
        document = {"uri": "skelb:///page", "languageId": "skelb", "version": 0, "text": text}
        self._say("textDocument/didOpen", {"textDocument": document})

    def _say(self, method, params, identity=None):
        message = {"jsonrpc": "2.0", "method": method, "params": params}
        self._language.send(json.dumps(message if identity is None else {**message, "id": identity}))

    def edit(self, text):
        self._number += 1
        version = {"uri": "skelb:///page", "version": self._number}
        self._say("textDocument/didChange", {"textDocument": version, "contentChanges": [{"text": text}]})
        self._live.send(json.dumps({"id": self._number, "ask": "run", "setup": {**SETUP, "text": text}}))
        told = answer_to(self._live, self._number, "run")
        assert "error" not in told, told
        while True:
            said = json.loads(self._language.recv())
            if said["method"] == "textDocument/publishDiagnostics" and said["params"]["version"] == self._number:
                return

    def leave(self):
        self._live.close()
        self._language.close()


@pytest.mark.law
def test_thousands_of_edits_take_no_more_than_hundreds(own):
    texts = [script.text for script in DEMO_SCRIPTS if script.market == "KELP" and "use " not in script.text]
    typist = Typist(own, "x = close\n")
    settled = None
    for number in range(EDITS):
        if number % 50 == 49:  # now and then the page is loaded anew
            typist.leave()
            typist = Typist(own, "x = close\n")
        if number == max(100, EDITS // 5):
            settled = resident_mb(own), descriptors(own)
        text = texts[number // 25 % len(texts)]
        typist.edit(f"{text}\nnumber_{number} = {number}\n" + ("x = clos\n" if number % 7 == 0 else ""))
    assert resident_mb(own) < settled[0] + MOST_GROWTH_MB
    assert descriptors(own) <= settled[1] + 3
    print(f"{EDITS} edits: {settled[0]:.0f} MB and then {resident_mb(own):.0f} MB")


def test_a_page_that_does_not_read_keeps_nobody_waiting_and_piles_nothing_up(own):
    text = DEMO_SCRIPTS[0].text
    page = Typist(own, text)
    page.edit(text)
    with live(own) as deaf:
        before = resident_mb(own)
        try:
            for number in range(3_000):
                deaf.socket.settimeout(2)
                deaf.send(json.dumps({"id": number, "ask": "run", "setup": {**SETUP, "text": f"{text}\n# {number}"}}))
        except TimeoutError:
            pass  # it is not read from either, while it does not read
        for number in range(5):
            page.edit(f"{text}\n# {number} here")
        assert resident_mb(own) < before + 100
        deaf.socket.close()
    page.leave()
