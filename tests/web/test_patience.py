"""A connection on which nothing comes is closed; one on which something comes, however slowly, is not."""

import json
import socket
import time

from websockets.sync.client import connect

from skelb.web.patience import PATIENCE_S

HALVES = {
    "nothing": "",
    "half a head": "GET /api/start HTTP/1.1\r\nHost: 127.0.0.1\r\n",
    "half a body": "POST /api/scripts HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nX-Skelb-Token: {token}\r\n"
    'Content-Type: application/json\r\nContent-Length: 500\r\n\r\n{{"text": "',
}


def test_half_open_requests_are_closed_and_slow_ones_answered(server):
    begun = time.monotonic()
    opened = {}
    for name, text in HALVES.items():
        opened[name] = socket.create_connection(("127.0.0.1", server.port))
        opened[name].sendall(text.format(port=server.port, token=server.token).encode())
        opened[name].settimeout(PATIENCE_S * 4)
    quiet = connect(
        f"ws://127.0.0.1:{server.port}/live", additional_headers={"x-skelb-token": server.token}, proxy=None
    )
    slow = socket.create_connection(("127.0.0.1", server.port))
    body = json.dumps({"text": "x = close", "wish": "more"}).encode()
    head = (
        f"POST /api/texts/brief HTTP/1.1\r\nHost: 127.0.0.1:{server.port}\r\nX-Skelb-Token: {server.token}\r\n"
        f"Content-Type: application/json\r\nContent-Length: {len(body)}\r\n\r\n"
    )
    for piece in (head[:40].encode(), head[40:].encode() + body[:5], body[5:8], body[8:]):
        slow.sendall(piece)
        time.sleep(PATIENCE_S * 0.4)
    assert slow.recv(4096).startswith(b"HTTP/1.1 200")
    slow.close()
    for name, half in opened.items():
        while half.recv(4096):  # an answer may come before the end: half a body is refused for its want
            pass
        assert time.monotonic() - begun < PATIENCE_S * 3, name
        half.close()
    quiet.send('{"ask": "funnel", "id": 1, "run": "none"}')  # a WebSocket may be as quiet as it likes
    assert json.loads(quiet.recv(timeout=60))["id"] == 1
    quiet.close()
