"""The command that opens the web application."""

import contextlib
import errno
import faulthandler
import os
import socket
from pathlib import Path
from threading import Event, Thread
from typing import Annotated

import typer
import uvicorn

from skelb.cli.declared import runner
from skelb.cli.files import UsageError
from skelb.cli.storing import install_demo
from skelb.core.errors import SettingsError
from skelb.service.allocation import keep_loaded_objects
from skelb.service.application import Application
from skelb.service.folder import access_token, data_folder, hold_folder
from skelb.service.importing.watched import WatchedFolder
from skelb.web.app import make_app
from skelb.web.patience import PatientProtocol

app = typer.Typer()
run = runner(app)


@app.command()
def serve(
    host: Annotated[str, typer.Option("--host", help="Address to listen on.")] = "127.0.0.1",
    port: Annotated[int, typer.Option("--port", min=0, max=65_535, help="Port to listen on; 0: a free one.")] = 8765,
    read_only: Annotated[
        bool,
        typer.Option("--read-only", help="Look at a data folder that another Skelb has open; nothing can be saved."),
    ] = False,
    watch: Annotated[
        Path | None,
        typer.Option("--watch", metavar="FOLDER", help="Bring in its files of bars as they come and as they change."),
    ] = None,
    zone: Annotated[str, typer.Option("--zone", help="Zone of times without an offset in watched files.")] = "UTC",
) -> None:
    """Open the application in the browser's reach and print its address."""
    if watch and read_only:
        raise UsageError("--watch writes what comes, --read-only nothing: give one of them")
    listening = _bound(host, port)
    place = f"http://{'[' + host + ']' if ':' in host else host}:{listening.getsockname()[1]}/"
    folder = data_folder()
    if not read_only:
        hold_folder(folder, f"process {os.getpid()}, {place}")
    application = Application(folder, read_only)
    watched = WatchedFolder(application.library, application.imports, watch, zone) if watch else None
    if not read_only:
        install_demo(application)
        faulthandler.enable(
            (folder / "crash.txt").open("a")
        )  # where every thread was, should the machine end the program
    keep_loaded_objects()
    application.prepare()
    ended = Event()
    if watched:
        Thread(target=watched.watch, args=(lambda sentence: print(sentence, flush=True), ended), daemon=True).start()
    token = access_token(folder)
    print(f"Skelb is open at {place}?token={token}", flush=True)
    config = uvicorn.Config(
        make_app(application, host, token), log_level="warning", http=PatientProtocol, ws="websockets-sansio"
    )
    with contextlib.suppress(KeyboardInterrupt):
        uvicorn.Server(config).run([listening])
    ended.set()


def _bound(host: str, port: int) -> socket.socket:
    """The address, taken before anything is said to be open at it. Raises SettingsError when it cannot be."""
    found = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
    found.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        found.bind((host, port))
        found.listen()  # who asks already is answered as soon as the application is ready
    except OSError as exc:
        why = "another program is open there" if exc.errno == errno.EADDRINUSE else exc.strerror
        raise SettingsError(f"port {port} of {host} cannot be taken: {why}; choose another with --port") from exc
    return found
