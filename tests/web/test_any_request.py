"""Every operation of the API, asked anything its description allows: an answer of the documented form, never a failure."""

import json
import os
from pathlib import Path

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)
from starlette.testclient import TestClient

from skelb.service.application import Application
from skelb.web.app import make_app
from tests.conftest import wave_bars

pytestmark = pytest.mark.law

CHECKS = (not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance)
CASES, MOST = 7, 400
DESCRIBED = json.loads((Path(__file__).parents[2] / "docs" / "openapi.json").read_text())
OPERATIONS = [(path, method) for path, methods in DESCRIBED["paths"].items() for method in methods]
SCRIPT = 'title "Sway"\ninput n = 5 from 3 to 60\nenter long when close crosses above sma(close, n)\nsize 2 units\n'


@pytest.fixture(scope="module")
def app(tmp_path_factory):
    application = Application(tmp_path_factory.mktemp("home"))
    application.library.save_account("Plain", {"capital": 100_000})
    application.library.save_market("WAVE", "A wave", {"tick": 0.25}, [wave_bars(300)])
    application.library.save_script(SCRIPT)
    yield make_app(application)
    application.close()


@pytest.fixture(scope="module")
def schema(app):
    return schemathesis.openapi.from_asgi("/openapi.json", app, headers={"host": "127.0.0.1"})


@pytest.mark.parametrize(("path", "method"), OPERATIONS)
def test_any_request_has_an_answer_of_its_documented_form(schema, path, method):
    @given(schema[path][method.upper()].as_strategy())
    @settings(max_examples=MOST if "SOAK_MINUTES" in os.environ else CASES, derandomize="SOAK_MINUTES" not in os.environ,
              suppress_health_check=list(HealthCheck))  # fmt: skip
    def asked(case):
        case.headers = {"host": "127.0.0.1"}
        case.call_and_validate(checks=CHECKS)

    asked()


ODD = {
    "deep": "[" * 20_000 + "]" * 20_000,
    "deep in a field": '{"setup": ' * 900 + "1" + "}" * 900,
    "half a character": '{"text": "title \\"a\\ud83d\\"", "wish": "\\ud83d", "symbol": "\\ud83d", "settings": {"\\ud83d": "\\ud83d"}}',
    "no numbers": '{"settings": {"tick": NaN, "pip": Infinity, "capital": -1e999}, "symbol": "WAVE", "title": ""}',
    "large numbers": f'{{"settings": {{"tick": {"9" * 400}}}, "symbol": "WAVE", "title": "", "number": {"9" * 30}}}',
    "other kinds": '{"setup": [], "text": {}, "vary": "x", "settings": 7, "items": null}',
    "not json": "title = 3",
    "no utf-8": b'{"text": "\xff\xfe"}',
    "nothing": "",
}  # fmt: skip


@pytest.mark.parametrize("body", ODD.values(), ids=ODD)
def test_whatever_a_body_is_it_has_a_problem_as_its_answer(app, body):
    client = TestClient(app, base_url="http://127.0.0.1")
    for path, method in OPERATIONS:
        if method == "get" or path == "/api/imports":
            continue
        where = path.replace("{number}", "1").replace("{point}", "0")
        sent = body if isinstance(body, bytes) else body.encode()
        answer = client.request(method, where, content=sent, headers={"content-type": "application/json"})
        assert answer.status_code < 500, (path, answer.text)
        if answer.status_code >= 400:
            assert answer.headers["content-type"] == "application/problem+json", path
            told = answer.json()
            assert told["status"] == answer.status_code and told["detail"] and told["code"], path


@pytest.mark.parametrize(("method", "path", "status", "code"), [
    ("get", "/api/nowhere", 404, "not_found"), ("delete", "/api/scripts", 405, "no_such_method"),
    ("get", "/api/trials/x", 422, "invalid"), ("get", "/api/trials/9", 404, "not_found"),
])  # fmt: skip
def test_what_is_not_there_is_a_problem_too(app, method, path, status, code):
    answer = TestClient(app, base_url="http://127.0.0.1").request(method, path)
    assert answer.status_code == status and answer.headers["content-type"] == "application/problem+json"
    assert {"type": f"skelb:problem/{code}", "status": status, "code": code}.items() <= answer.json().items()
