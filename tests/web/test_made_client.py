"""Programs make their client of the API from its description: one made so does with it what a program would."""

import csv
import io
import json
import subprocess
from pathlib import Path

import pytest

from tests.conftest import Server, wave_bars, write_csv

ROOT = Path(__file__).parents[2]
MAKER = ROOT / ".stamps" / "client" / "bin"  # an environment of its own, set up by make
DOCUMENT = ROOT / "docs" / "openapi.json"
# What is text to read is taken for bytes by the maker, where it is told to.
CHOICES = "content_type_overrides:\n  application/jsonl: application/octet-stream\npost_hooks: []\n"


def with_other_python(*command):
    done = subprocess.run(command, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    """The folder of a client that was made without a warning."""
    folder = tmp_path_factory.mktemp("made")
    (folder / "choices.yml").write_text(CHOICES)
    with_other_python(
        MAKER / "openapi-python-client", "generate", "--path", DOCUMENT, "--meta", "none", "--fail-on-warning",
        "--config", folder / "choices.yml", "--output-path", folder / "made",
    )  # fmt: skip
    return folder


def test_the_description_is_a_valid_one_and_every_field_is_described():
    with_other_python(MAKER / "python", "-m", "openapi_spec_validator", DOCUMENT)
    document = json.loads(DOCUMENT.read_text())
    for schema, form in document["components"]["schemas"].items():
        for name, field in form.get("properties", {}).items():
            assert field.get("description"), (schema, name)
    for operation in (item for path in document["paths"].values() for item in path.values()):
        assert operation["description"] and operation["tags"]
        for parameter in operation.get("parameters", []):
            assert parameter.get("description"), (operation["operationId"], parameter["name"])


def test_a_made_client_imports_saves_sweeps_reads_and_exports(made, tmp_path):
    server = Server(tmp_path / "home").start()
    try:
        program = (Path(__file__).parent / "made_client.py").read_text()
        (made / "program.py").write_text(program)
        bars = write_csv(tmp_path / "made.csv", wave_bars(3000))
        found = json.loads(with_other_python(MAKER / "python", made / "program.py", server.url, server.token, bars))
    finally:
        server.kill()
    assert "MADE" in found["markets"] and "Made" in found["scripts"]
    assert (found["rows"], found["version"], found["state"]) == (3000, 1, "done")
    assert len(found["nets"]) == 6 and found["nets"] == sorted(found["nets"], reverse=True)
    rows = list(csv.DictReader(io.StringIO(found["csv"])))
    best = max(rows, key=lambda row: float(row["net_profit"]))
    assert float(best["net_profit"]) == found["nets"][0] and int(float(best["n"])) == found["best"]["n"]
    assert found["parquet"] == "PAR1"
    status, detail = found["refused"]
    assert status == 422 and "`m`" in detail
