"""The command that tells how Skelb is set up here: what a report of trouble should hold."""

import os
import platform
import socket
import sys
import time
from collections.abc import Callable
from importlib.metadata import version
from pathlib import Path
from typing import Annotated

import typer

from skelb import __version__
from skelb.cli.declared import runner
from skelb.cli.options import JsonOption, print_json
from skelb.core.errors import SkelbError
from skelb.service.folder import data_folder, holder_of
from skelb.store import FILE_NAME, Database
from skelb.web.app import STATIC

app = typer.Typer()
run = runner(app)

_LIBRARIES = ("numpy", "numba", "llvmlite", "scipy", "pyarrow", "SQLAlchemy", "fastapi", "uvicorn")


@app.command()
def doctor(
    port: Annotated[int, typer.Option("--port", min=1, max=65_535, help="The port to be served on.")] = 8765,
    json: JsonOption = False,
) -> int | None:
    """Tell versions, the data folder, compiled code and the port; exit code 1 when something is wrong."""
    folder = data_folder()
    told: dict[str, str] = {}
    wrong: dict[str, str] = {}
    checks: dict[str, Callable[[], str]] = {
        "skelb": lambda: __version__,
        "machine": lambda: f"Python {platform.python_version()}, {platform.platform()}, {os.cpu_count()} cores",
        "libraries": lambda: ", ".join(f"{name} {version(name)}" for name in _LIBRARIES),
        "data folder": lambda: _folder(folder),
        "data file": lambda: _data_file(folder),
        "page": lambda: _page(STATIC),
        "compiled code": _compiled,
        "port": lambda: _port(port, folder),
    }
    for name, check in checks.items():
        try:
            told[name] = check()
        except SkelbError as exc:
            wrong[name] = str(exc)
        if not json:
            print(f"{'wrong' if name in wrong else 'well':6}{name:15}{wrong.get(name) or told[name]}")
            sys.stdout.flush()
    if json:
        print_json({"told": told, "wrong": wrong})
    return 1 if wrong else None


def _folder(folder: Path) -> str:
    if not folder.exists():
        return f"{folder}, not there yet"
    if not os.access(folder, os.W_OK):
        raise SkelbError(f"{folder} cannot be written: change that, or name another in SKELB_HOME")
    holder = holder_of(folder)
    crashes = folder / "crash.txt"
    crashed = f", a crash is told of in {crashes}" if crashes.exists() and crashes.stat().st_size else ""
    held = "free" if holder is None else f"open in {holder or 'another Skelb'}"
    return f"{folder}, {held}{crashed}"


def _data_file(folder: Path) -> str:
    path = folder / FILE_NAME
    if not path.exists():
        return f"{path}, not there yet"
    database = Database(folder, read_only=True)
    with database.session() as session:
        whole = session.connection().exec_driver_sql("PRAGMA quick_check").scalar()
    database.close()
    if whole != "ok":
        raise SkelbError(
            f"{path} is damaged ({whole}): put a copy of it in its place, or name another folder in SKELB_HOME"
        )
    return f"{path}, {path.stat().st_size / 1e6:,.1f} MB, whole"


def _page(static: Path) -> str:
    if not (static / "index.html").exists():
        raise SkelbError("the page is not built: `make run` builds it, and a wheel made with `make package` has it")
    return str(static)


def _compiled() -> str:
    from skelb.service.warm import warm_kernels  # loads the compiler

    started = time.perf_counter()
    warm_kernels()
    return f"ready after {time.perf_counter() - started:.1f} s"


def _port(port: int, folder: Path) -> str:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError as exc:
            holder = holder_of(folder)
            if holder is not None and f":{port}/" in holder:
                return f"{port} is served by this data folder's Skelb"
            raise SkelbError(f"port {port} cannot be taken ({exc.strerror}): choose another with --port") from exc
    return f"{port} is free"
