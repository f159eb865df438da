"""What is needed to run it: the wheel alone, on a machine without Node; what the program tells of its set-up."""

import json
import os
import re
import socket
import subprocess
import sys
import urllib.request
from pathlib import Path

import pytest

from skelb import __version__
from skelb.service.folder import hold_folder
from skelb.store import FILE_NAME

ROOT = Path(__file__).parent.parent


def doctor(folder, *options, expect=0):
    command = [sys.executable, "-m", "skelb.program", "doctor", "--json", *options]
    done = subprocess.run(command, env={**os.environ, "SKELB_HOME": str(folder)}, capture_output=True, text=True)
    assert done.returncode == expect, done.stderr
    return json.loads(done.stdout)


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    """The wheel in an environment of its own."""
    home = tmp_path_factory.mktemp("installed")
    subprocess.run(["make", "--silent", "package"], cwd=ROOT, check=True, capture_output=True)
    [wheel] = (ROOT / "build" / "package" / "dist").glob("*.whl")
    uv = ROOT / ".venv" / "bin" / "uv"
    subprocess.run([uv, "venv", "--quiet", home / "venv"], check=True)
    subprocess.run([uv, "pip", "install", "--quiet", "--python", home / "venv" / "bin" / "python", wheel], check=True)
    return home


def test_an_installed_wheel_serves_page_guide_and_demo_without_node(installed):
    environment = {
        "PATH": str(installed / "venv" / "bin"),
        "HOME": str(installed),
        "SKELB_HOME": str(installed / "data"),
    }
    program = installed / "venv" / "bin" / "skelb"
    described = subprocess.run([program, "walk", "--help"], env=environment, cwd=installed, stdout=subprocess.PIPE)
    assert b"--windows N" in described.stdout
    command = [program, "serve", "--port", "0"]
    process = subprocess.Popen(command, env=environment, cwd=installed, stdout=subprocess.PIPE, text=True)
    try:
        address = re.search(r"open at (\S+)\?token=(\S+)", process.stdout.readline())

        def asked(place):
            request = urllib.request.Request(address[1] + place, headers={"x-skelb-token": address[2]})
            return urllib.request.urlopen(request).read().decode()

        page = asked("")
        assert "<title>Skelb</title>" in page
        assert asked(re.search(r'src="/(assets/[^"]+\.js)"', page)[1])
        assert "Harbour swell" in asked("api/scripts")
        assert "A running value of your own" in asked("api/guide")
    finally:
        process.terminate()
        process.wait()


def test_the_doctor_tells_what_is_there_and_what_is_wrong(tmp_path):
    fresh = doctor(tmp_path / "none")
    assert (
        fresh["told"]["skelb"] == __version__ and "not there yet" in fresh["told"]["data folder"] and not fresh["wrong"]
    )
    assert not (tmp_path / "none").exists()
    (tmp_path / FILE_NAME).write_bytes(b"no database, whatever it is called" * 40)
    hold_folder(tmp_path, "process 9, http://127.0.0.1:1/")
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        found = doctor(tmp_path, "--port", str(taken.getsockname()[1]), expect=1)
    assert found["told"]["data folder"] == f"{tmp_path}, open in process 9, http://127.0.0.1:1/"
    assert set(found["wrong"]) == {"data file", "port"}
    assert "another folder in SKELB_HOME" in found["wrong"]["data file"] and "--port" in found["wrong"]["port"]


def test_the_program_tells_its_version():
    done = subprocess.run([sys.executable, "-m", "skelb.program", "--version"], capture_output=True, text=True)
    assert done.stdout == f"skelb {__version__}\n"
