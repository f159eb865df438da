"""The web face: the live loop, imports, trials, and what it refuses."""

import itertools
import json
import time
from dataclasses import replace
from urllib.parse import quote

import numpy as np
import pytest
from starlette.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from skelb.service.application import Application
from skelb.web import served
from skelb.web.app import make_app
from tests.conftest import wave_bars, write_csv
from tests.service.conftest import wait_for

SCRIPT = 'title "Sway"\ninput n = 5 from 3 to 9 step 2\nx = sma(close, n)\nup = close crosses above x\ndraw x color long when close > x else short\ndraw n in "Panel"\nmark up below ring "at {close}"\nshade x to close\nlevel 3 in "Panel"\nenter long when up\nexit after 4 bars\nsize 2 units\n'
LOCAL = {"host": "127.0.0.1"}
SETUP = {"text": SCRIPT, "market": "WAVE", "timeframe": "15m", "account": "Plain"}


@pytest.fixture
def client(tmp_path):
    application = Application(tmp_path)
    application.library.save_account("Plain", {"capital": 100_000})
    application.library.save_market("WAVE", "", {"tick": 0.25}, [wave_bars(2000)])
    with TestClient(make_app(application), base_url="http://127.0.0.1") as found:
        yield found


def ask(socket, **question):
    socket.send_json(question)
    while (answer := socket.receive_json())["answer"] == "progress":
        pass
    return answer


def test_a_bar_is_explained_and_the_script_read_on_it(client):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        run = ask(socket, id=1, ask="run", setup=SETUP)["run"]
        bar = run["trades"]["entry_bar"][3] - 1  # the bar whose close gave the signal
        found = ask(socket, id=2, ask="explain", run=run["key"], bar=bar)
        assert found["answer"] == "explain" and found["bar"] == bar
        lines = {SCRIPT[: line["end"]].rsplit("\n", 1)[-1].split()[0]: line for line in found["lines"]}
        assert lines["up"]["text"] == "yes" and lines["enter"]["text"] == "enters long at the next open"
        assert lines["x"]["tone"] == "number"
        assert {SCRIPT[mark["start"] : mark["end"]]: mark["tone"] for mark in found["marks"]} == {
            "close crosses above x": "yes",
            "up": "yes",
        }
        assert found["why"] == ["long “up”: enters long at the next open"]
        assert found["waiting"] == ["long entry at the next open: up"]
        assert "no longer held" in ask(socket, id=3, ask="explain", run="gone", bar=1)["error"]
        assert "not one of the run's dates" in ask(socket, id=4, ask="explain", run=run["key"], bar=2000)["error"]


def test_a_record_reads_as_its_numbers(client):
    text = "band = bollinger(close, 5, 2)\nside = close - band.mid\ndraw side\ndraw band.upper, band.lower\n"
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        run = ask(socket, id=1, ask="run", setup=SETUP | {"text": text})["run"]
        early, later = (ask(socket, id=2, ask="explain", run=run["key"], bar=bar)["lines"][0] for bar in (2, 50))
        window = ask(socket, id=3, ask="window", run=run["key"], first=50, last=50, columns=10)
        assert early == {"end": 29, "text": "upper unknown, mid unknown, lower unknown", "tone": "unknown"}
        upper = window["lines"]["line1"]["value"][0]
        assert later["text"].startswith(f"upper {upper:,.2f}, mid ") and later["tone"] == "number"


def test_the_live_loop_runs_and_windows_keep_extremes(client):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        answer = ask(socket, id=1, ask="run", setup=SETUP)
        assert answer["sound"]
        run = answer["run"]
        assert run["figures"]["all"]["trades"] == len(run["trades"]["net"]) > 50
        assert sum(run["trades"]["net"]) == pytest.approx(run["figures"]["all"]["net_profit"])
        fine = ask(socket, id=2, ask="window", run=run["key"], first=100, last=199, columns=500)
        coarse = ask(socket, id=3, ask="window", run=run["key"], first=0, last=1999, columns=100)
        assert fine["step"] == 1 and len(fine["x"]) == 100
        assert coarse["step"] == 20 and len(coarse["x"]) == 100
        whole = ask(socket, id=4, ask="window", run=run["key"], first=0, last=1999, columns=5000)
        for column in range(100):
            part = slice(column * 20, column * 20 + 20)
            assert coarse["high"][column] == max(whole["high"][part]) and coarse["low"][column] == min(
                whole["low"][part]
            )
            assert coarse["lanes"]["up"][column] == pytest.approx(sum(whole["lanes"]["up"][part]) / 20)
            known = [value for value in whole["lines"]["line0"]["value"][part] if value is not None]
            assert coarse["lines"]["line0"]["high"][column] == max(known)
        assert [mark["label"] for mark in fine["marks"]] == [
            f"at {fine['close'][mark['bar'] - 100]:g}" for mark in fine["marks"]
        ]
        assert whole["equity"]["value"][-1] == pytest.approx(100_000 + run["figures"]["all"]["net_profit"])


def test_mistakes_run_nothing_and_problems_come_back_as_sentences(client):
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        broken = ask(socket, id=1, ask="run", setup={**SETUP, "text": "enter long when close"})
        assert broken["run"] is None and not broken["sound"]
        assert "whole number" in ask(socket, id=2, ask="run", setup={**SETUP, "inputs": {"n": 2.5}})["problem"]
        assert "no market" in ask(socket, id=3, ask="run", setup={**SETUP, "market": "NONE"})["error"]
        assert "not a timeframe" in ask(socket, id=4, ask="run", setup={**SETUP, "timeframe": "7q"})["error"]
        assert ask(socket, id=5, ask="run", setup={"text": 3})["error"]
        assert ask(socket, id=6, ask="window", run="none", first=0, last=9, columns=9)["error"]
        assert ask(socket, id=7, ask="run", setup={**SETUP, "inputs": {"gone": 3}})["run"]


def test_a_script_of_5000_lines_runs(client):
    lines = ["a0 = close", *(f"a{i} = a{i - 1} + (open if a{i - 1} > {i} else high) / {i}" for i in range(1, 4990))]
    text = "\n".join(
        ['title "Long"', *lines, "enter long when a4989 > prior(a4989)", "exit after 3 bars", "size 1 units"]
    )
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        answer = ask(socket, id=1, ask="run", setup={**SETUP, "text": text})
    assert answer["run"]["figures"]["all"]["trades"] > 50


def test_import_shows_then_stores_once(client, tmp_path):
    data = write_csv(tmp_path / "new bars.csv", wave_bars(300)).read_bytes() + b"x,1,2,3,4,5\n"
    preview = client.post("/api/imports", params={"name": "new bars.csv"}, content=data).json()
    assert (preview["rows"], preview["refused_count"], preview["timeframe"]) == (300, 1, "15m")
    assert all(market["symbol"] != "NEW" for market in client.get("/api/markets").json())
    body = {"token": preview["token"], "symbol": "NEW", "settings": {"tick": 0.25}}
    assert client.post("/api/imports/store", json={**body, "settings": {"tick": -1}}).status_code == 422
    assert client.post("/api/imports/store", json=body).json()["bars"][0]["rows"] == 300
    again = client.post("/api/imports/store", json=body)
    assert again.status_code == 404 and "no longer waiting" in again.json()["detail"]
    assert (
        "holds no bar"
        in client.post("/api/imports", params={"name": "a.csv"}, content=b"time,open,high,low,close\n").json()["detail"]
    )


def test_a_trial_from_plan_to_open_cell(client):
    body = {"setup": SETUP, "vary": ["n"], "objective": "net_profit", "min_trades": 1}
    assert client.post("/api/trials/plan", json=body).json()["total"] == 4
    number = client.post("/api/trials", json=body).json()["id"]
    for _ in range(6000):
        state = client.get(f"/api/trials/{number}").json()
        if state["state"] == "done":
            break
        time.sleep(0.02)
    surface = client.get(f"/api/trials/{number}/surface", params={"objective": "net_profit"}).json()
    cell = client.get(f"/api/trials/{number}/runs/2").json()
    assert cell["inputs"] == {"n": 7.0} and surface["values"][2] == cell["figures"]["net_profit"]
    with client.websocket_connect("/live", headers=LOCAL) as socket:
        run = ask(socket, id=1, ask="run", setup={**SETUP, "inputs": cell["inputs"]})["run"]
    assert run["figures"]["all"] == cell["figures"]
    assert client.get("/api/trials/99").status_code == 404
    assert client.get(f"/api/trials/{number}/runs/77").status_code == 404
    assert client.get(f"/api/trials/{number}/against").status_code == 404
    assert client.post(f"/api/trials/{number}/looks", json={"point": 1}).status_code == 409
    assert client.get(f"/api/trials/{number}/table", params={"least": ["trades"]}).status_code == 422
    assert client.get(f"/api/trials/{number}/surface", params={"held": ["n:nan"]}).status_code == 422
    assert client.get(f"/api/trials/{number}/surface", params={"x": "zz"}).status_code == 422
    assert client.post("/api/trials", json={**body, "vary": ["zz"]}).status_code == 422


def test_a_kept_run_keeps_its_figures(client):
    kept = client.post("/api/runs", json={"setup": SETUP}).json()
    assert client.get(f"/api/runs/{kept['number']}").json()["figures"] == kept["figures"]


@pytest.mark.parametrize(
    "headers", [{"host": "evil.example"}, {"origin": "http://evil.example"}, {"sec-fetch-site": "cross-site"}]
)
def test_foreign_hosts_and_origins_are_refused(client, headers):
    assert client.get("/api/start", headers=headers).status_code == 403
    with pytest.raises(WebSocketDisconnect), client.websocket_connect("/live", headers={**LOCAL, **headers}):
        pass


@pytest.mark.parametrize("kind", ["run", "trial", "script", "market"])
@pytest.mark.parametrize("name", ["9" * 18, "9" * 19, "9" * 400, "-1", "x"])
def test_what_no_number_or_name_means_is_not_found(client, kind, name):
    assert client.get("/api/depends", params={"kind": kind, "name": name}).status_code == 404


@pytest.mark.parametrize(
    "name", ["..", "../../x.csv", "a\0b.csv", "long" * 100 + ".csv", "\ud800.csv", "🌊" * 300, "", "   "]
)
def test_a_file_may_have_any_name(client, tmp_path, name):
    data = write_csv(tmp_path / "some.csv", wave_bars(30)).read_bytes()
    query = quote(name, errors="surrogatepass")
    answer = client.post(f"/api/imports?name={query}", content=data)
    assert answer.status_code == 200 and answer.json()["rows"] == 30 and len(answer.json()["name"]) <= 60
    assert client.post(f"/api/imports?name={query}&zone=nope", content=data).status_code == 422


def test_a_file_that_is_too_large_is_refused_while_it_comes(client, monkeypatch):
    monkeypatch.setattr(served, "MOST_BYTES", 3_000_000)
    came, told = [], []

    async def receive():  # a file without an end
        came.append(1)
        return {"type": "http.request", "body": b"x" * 1_000_000, "more_body": True}

    async def send(message):
        told.append(message)

    scope = {"type": "http", "asgi": {"version": "3.0"}, "http_version": "1.1", "method": "POST", "scheme": "http",
             "path": "/api/imports", "raw_path": b"/api/imports", "query_string": b"name=big.csv", "root_path": "",
             "headers": [(b"host", b"127.0.0.1")], "client": ("127.0.0.1", 1), "server": ("127.0.0.1", 80)}  # fmt: skip
    client.portal.call(client.app, scope, receive, send)
    assert told[0]["status"] == 413 and b"more than 2 MB" in told[1]["body"] and len(came) == 4
    assert (b"content-type", b"application/problem+json") in told[0]["headers"]


def test_a_token_is_required_where_one_is_set(tmp_path):
    with TestClient(make_app(Application(tmp_path), token="secret"), base_url="http://127.0.0.1") as guarded:
        refused = guarded.get("/api/start")
        assert refused.status_code == 403 and "the address that `skelb serve` printed" in refused.json()["detail"]
        assert guarded.get("/").text.startswith("Skelb opens for whoever started it")
        for wrong in ("wrong", "", "sécret"):
            assert guarded.get("/api/start", headers={"x-skelb-token": wrong.encode()}).status_code == 403
            assert guarded.get("/api/start", params={"token": wrong}).status_code == 403
            assert guarded.get("/api/start", headers={"cookie": f"skelb_token={wrong}".encode()}).status_code == 403
        assert guarded.post("/api/texts/format?token=secret", json={"text": ""}).status_code == 403
        with pytest.raises(WebSocketDisconnect), guarded.websocket_connect("/live", headers=LOCAL):
            pass
        with guarded.websocket_connect("/live", headers={**LOCAL, "x-skelb-token": "secret"}):
            pass
        sent = guarded.get("http://127.0.0.1//elsewhere.example/?face=walk&token=secret", follow_redirects=False)
        assert sent.status_code == 303 and sent.headers["location"] == "/elsewhere.example/?face=walk"
        assert "HttpOnly" in sent.headers["set-cookie"] and "SameSite=Strict" in sent.headers["set-cookie"]
        assert guarded.get("/api/start?token=secret").status_code == 200
        assert guarded.get("/api/start").status_code == 200  # the page's further requests carry the cookie
        guarded.cookies.clear()
        others = 'a={"x": 1, "y": [2]}; b@d[]=é; skelb_token=secret; c'  # as other programs on this machine set them
        assert guarded.get("/api/start", headers={"cookie": others.encode()}).status_code == 200


@pytest.mark.parametrize("path", ["/%00", "/" + "a" * 300, "/" + "a/" * 3_000, "/..%2f..%2fetc/passwd", "/%ff%fe"])
def test_a_path_that_no_file_can_have_is_a_place_of_the_page(client, path):
    answer = client.get(path)
    assert answer.status_code == 200 and answer.text.startswith("<!doctype html>")


def test_bound_to_every_address_any_name_is_served_with_the_token_only(tmp_path):
    app = make_app(Application(tmp_path), host="0.0.0.0", token="secret")
    with TestClient(app, base_url="http://lighthouse.local") as guarded:
        assert guarded.get("/api/start").status_code == 403
        assert guarded.get("/api/start?token=secret").status_code == 200


def test_answers_forbid_foreign_scripts_and_errors_are_problem_json(client):
    answer = client.post("/api/scripts", json={"text": "x = 3"})
    assert "script-src 'self'" in answer.headers["content-security-policy"]
    assert answer.headers["content-type"] == "application/problem+json" and "title" in answer.json()["detail"]
    assert client.post("/api/scripts", content=b"{").status_code == 422
    assert (
        client.get("/../../etc/passwd").status_code in (200, 404)
        and "root:" not in client.get("/../../etc/passwd").text
    )


class Page:
    """The page's side of the language server's socket."""

    def __init__(self, socket):
        self.socket = socket
        assert "capabilities" in self.ask("initialize", {"processId": None, "rootUri": None, "capabilities": {}})
        self.say("initialized", {})

    def say(self, method, params):
        self.socket.send_json({"jsonrpc": "2.0", "method": method, "params": params})

    def ask(self, method, params):
        self.socket.send_json({"jsonrpc": "2.0", "id": 1, "method": method, "params": params})
        while (answer := self.socket.receive_json()).get("id") != 1:
            pass
        return answer["result"]

    def diagnostics(self):
        while (message := self.socket.receive_json()).get("method") != "textDocument/publishDiagnostics":
            pass
        return message["params"]["diagnostics"]


def test_the_page_speaks_with_a_language_server_of_its_own(client):
    client.app.state.application.library.save_script('title "Wave"\nflow = sma(close, 5)\n')
    text = 'use "Wave" as wave\nenter long when close > wave.flow\nstop 5 pips\nx = close from "'
    with (
        client.websocket_connect("/lsp", headers=LOCAL) as socket,
        client.websocket_connect("/lsp", headers=LOCAL) as other,
    ):
        page, second = Page(socket), Page(other)
        document = {"uri": "skelb:///page", "languageId": "skelb", "version": 1, "text": text}
        page.say("textDocument/didOpen", {"textDocument": document})
        assert [item["code"] for item in page.diagnostics()] == ["S0104"]
        here = {"textDocument": {"uri": "skelb:///page"}, "position": {"line": 3, "character": 16}}
        assert [item["label"] for item in page.ask("textDocument/completion", here)["items"]] == ["WAVE"]
        page.say("skelb/place", {"market": "WAVE", "timeframe": "15m"})
        assert [item["code"] for item in page.diagnostics()] == ["S0305", "S0104"]  # this market states no pip
        second.say("textDocument/didOpen", {"textDocument": {**document, "text": "draw closs"}})
        assert [item["code"] for item in second.diagnostics()] == ["S0201"]


@pytest.mark.parametrize(
    "message", ["not json", "[]", "{}", '{"jsonrpc": "2.0", "method": "nonsense"}', '{"method": "skelb/place"}']
)
def test_odd_messages_to_the_language_server_end_nothing_else(client, message):
    with client.websocket_connect("/lsp", headers=LOCAL) as socket:
        socket.send_text(message)
        Page(socket)  # it goes on answering
    assert client.get("/api/start").status_code == 200


def test_every_page_of_the_guide_opens_and_pictures_come_from_demo_bars(client):
    client.app.state.application.library.save_market("KELP", "", {"tick": 0.25}, [wave_bars(2000)])
    rows = client.get("/api/guide").json()
    groups = {row["group"] for row in rows}
    assert {"How to", "Rules", "Averages", "Names of the bar", "Figures", "What the checker says"} <= groups
    for row in rows:
        page = client.get("/api/guide/entry", params={"id": row["id"]}).json()
        assert page["text"] and page["title"]
    picture = client.get("/api/guide/picture", params={"id": "function/bollinger"}).json()
    assert len(picture["close"]) == 140 and [line["name"] for line in picture["lines"]] == [
        "bollinger_is.upper",
        "bollinger_is.mid",
        "bollinger_is.lower",
    ]
    assert client.get("/api/guide/entry", params={"id": "nothing"}).status_code == 404
    assert client.get("/api/guide/picture", params={"id": "code/S0101"}).status_code == 404


def test_a_conversion_is_proven_over_the_api(client):
    bars = wave_bars(600)
    mean = np.convolve(bars.close, np.ones(5) / 5, "full")[:600]
    mean[:4] = np.nan
    client.app.state.application.library.save_market("REF", "", {"tick": 0.25}, [replace(bars, columns={"mean": mean})])
    setup = {**SETUP, "market": "REF", "text": "mine = sma(close, 5)\nother = sma(close, 6)\n"}
    names = client.post("/api/texts/conversion/names", json={"setup": setup}).json()
    assert names == {"names": ["mine", "other"], "columns": ["mean"]}
    equal = client.post("/api/texts/conversion", json={"setup": setup, "name": "mine", "column": "mean"}).json()
    assert equal["equal"] and equal["compared"] == 596
    found = client.post("/api/texts/conversion", json={"setup": setup, "name": "other", "column": "mean"}).json()
    assert not found["equal"] and found["first"]["bar"] == 5 and len(found["chart"]["difference"]) == 160


def test_a_strategy_is_written_as_python_or_refused_with_its_line(client):
    written = client.post("/api/texts/python", json={"setup": SETUP}).json()["text"]
    assert "class Strategy:" in written and 'symbol="WAVE"' in written and "capital=100000.0" in written
    compile(written, "written.py", "exec")
    far = SETUP | {"text": 'x = close from "WAVE" on 1d\nenter long when close > x\n'}
    written = client.post("/api/texts/python", json={"setup": far}).json()["text"]
    assert "class WaveOn1d:" in written and '    "WAVE": Market(' in written
    forming = SETUP | {"text": 'x = close from "WAVE" on 1d forming\nenter long when close > x\n'}
    refused = client.post("/api/texts/python", json={"setup": forming})
    assert refused.status_code == 422 and "line 1" in refused.json()["detail"]


def test_texts_are_read_back_briefed_and_judged(client):
    told = client.post("/api/texts/readback", json={"setup": SETUP}).json()["text"]
    assert "It enters long at the next bar's open when `up`." in told
    text = client.post("/api/texts/brief", json={"text": SCRIPT, "wish": "Trade less."}).json()["text"]
    assert "Trade less." in text and "crosses above" in text and "HOW IT RUNS" not in text
    told = client.post("/api/texts/brief", json={"text": SCRIPT, "setup": SETUP}).json()["text"]
    assert "HOW IT RUNS NOW\n  Market WAVE on 15m" in told and "Finding (" in told and "Net by month of exit" in told
    for wrong in ({"market": "NONE"}, {"from_date": "2044-01-01"}):
        told = client.post("/api/texts/brief", json={"text": SCRIPT, "setup": SETUP | wrong}).json()["text"]
        assert "It cannot be run: " in told
    wrong = client.post("/api/texts/wrong", json={"text": "up = closse > open\nx = (1"}).json()
    assert wrong["errors"] == 2 and "line 1, `up = closse > open`" in wrong["text"]


def test_a_script_in_another_notation_is_brought_over(client):
    text = 'var n = ask.count(12, "Length")\na = calc.expMean(bars.close, n)\nif (a > 3) { trade.sell() }\nloop(4)'
    first = client.post("/api/texts/bring", json={"text": text}).json()
    assert (first["sure"], first["asked"], first["left"]) == (2, 1, 1)
    assert "a = ema(close, n)" in first["text"] and "enter short when a > 3" in first["text"]
    [question] = first["questions"]
    assert question["line"] == 3 and question["chosen"] == 0 and len(question["choices"]) == 2
    second = client.post("/api/texts/bring", json={"text": text, "answers": {question["id"]: 1}}).json()
    assert "exit long when a > 3" in second["text"] and second["questions"][0]["chosen"] == 1
    for body in ({"text": "x" * 200_001}, {"text": text, "answers": {"sell": "one"}}):
        assert client.post("/api/texts/bring", json=body).status_code == 422
    odd = client.post("/api/texts/bring", json={"text": text, "answers": {question["id"]: 77, "none": -1}})
    assert odd.status_code == 200 and odd.json()["text"] == first["text"]


def test_what_is_brought_over_runs_where_the_setup_says(client):
    text = 'a = sma(close, 5)\nup = close > a[1]\nif (up) buy()\nif (close < a) sell()\nplot(a, "a")'
    body = {"text": text, "setup": SETUP | {"text": "no script at all"}}
    ran = client.post("/api/texts/bring/run", json=body).json()
    whole = client.post("/api/texts/bring", json={"text": text}).json()["text"]
    kept = client.post("/api/runs", json={"setup": SETUP | {"text": whole}}).json()["figures"]["all"]
    assert (ran["trades"], ran["net"]) == (kept["trades"], pytest.approx(kept["net_profit"])) and ran["trades"] > 3
    assert ran["columns"] == [] and ran["picture"]["lines"][0]["name"] == "a"
    last = ran["berths"][-1]
    assert 0 <= last["first"] <= last["last"] < len(ran["picture"]["close"]) and last["side"] in (1, -1)
    other = client.post("/api/texts/bring/run", json=body | {"answers": {"sell": 1}}).json()
    assert other["trades"] != ran["trades"] or other["net"] != ran["net"]
    plain = client.post("/api/texts/bring/run", json=body | {"text": "plot(close)"}).json()
    assert (plain["trades"], plain["net"], plain["berths"]) == (None, None, [])
    wrong = client.post("/api/texts/bring/run", json=body | {"setup": SETUP | {"market": "NONE"}})
    assert wrong.status_code == 404 and "NONE" in wrong.json()["detail"]


def test_a_stress_comes_run_by_run_and_a_row_that_cannot_be_says_why(client):
    bars = replace(wave_bars(800), columns={"mood": np.ones(800)})
    client.app.state.application.library.save_market("MOODY", "", {}, [bars])
    asked = {"setup": {**SETUP, "market": "MOODY", "text": SCRIPT + "enter long when column(\"mood\") > 2\nstop 3 points\n"},
             "others": [{"market": "WAVE", "timeframe": "15m"}]}  # fmt: skip
    answer = client.post("/api/doubt/stress", json=asked)
    steps = [json.loads(line) for line in answer.text.splitlines()]
    total, done = steps[0]["total"], [step["done"] for step in steps]
    assert done == sorted(done) and done[0] == 1 and done[-1] == total
    assert max(b - a for a, b in itertools.pairwise(done)) < total / 10  # it is told all the way how far it is
    rows = {step["row"]["name"]: step["row"] for step in steps if step["row"]}
    assert rows["as it is"]["figures"]["trades"] > 0 and rows["as it is"]["error"] == ""
    assert rows["WAVE 15m"]["figures"] is None and "mood" in rows["WAVE 15m"]["error"]
    assert [step["verdict"] is not None for step in steps] == [False] * (len(steps) - 1) + [True]
    refused = client.post("/api/doubt/stress", json={"setup": {**SETUP, "text": "enter long when"}})
    assert refused.status_code == 422 and "line 1" in refused.json()["detail"]


def test_a_practice_is_begun_looked_at_paused_and_taken_away(client):
    body = {"setup": SETUP, "feed": {"kind": "replay", "pace": 0}}
    number = client.post("/api/practices", json=body).json()["number"]
    wait_for(lambda: client.get(f"/api/practices/{number}").json()["line"]["state"] != "running")
    shown = client.get(f"/api/practices/{number}").json()
    assert shown["line"]["message"] == "the feed has come to its end" and shown["picture"]["close"]
    assert shown["drift"]["trades"] == shown["line"]["trades"] and len(shown["drift"]["bands"]) == 4
    kept = client.get(f"/api/runs/{shown['run']}").json()
    assert kept["setup"]["to_date"] < "2030" and client.get("/api/runs").json()["runs"][0]["tags"] == ["practice"]
    events = client.get(f"/api/practices/{number}/events", params={"most": 5}).json()
    assert len(events) == min(5, shown["event_count"])
    assert client.get("/api/practices").json()[0]["number"] == number
    assert client.put(f"/api/practices/{number}/pace", json={"pace": 60}).status_code == 200
    assert client.post(f"/api/practices/{number}/pause").status_code == 200
    assert client.get(f"/api/practices/{number}").json()["line"]["state"] == "paused"
    assert client.post(f"/api/practices/{number}/go-on").status_code == 200
    assert client.post(f"/api/practices/{number}/stop").status_code == 200
    assert client.post("/api/removals", json={"kind": "practice", "name": str(number)}).status_code == 200
    assert client.get("/api/practices").json() == [] and client.get(f"/api/practices/{number}").status_code == 404
    assert client.post("/api/removals/back", json={"kind": "practice", "name": str(number)}).status_code == 200
    assert client.get("/api/practices").json()[0]["state"] == "paused"
    for wrong in ({"feed": {"kind": "pigeon"}}, {"feed": {"kind": "replay", "pace": -1}}, {"since": "soon"}):
        assert client.post("/api/practices", json=body | wrong).status_code == 422
    for way in ("pause", "go-on", "stop"):
        assert client.post(f"/api/practices/999/{way}").status_code == 404
