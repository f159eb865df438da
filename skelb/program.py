"""The program `skelb`: the command line, and the command that opens the web application."""

import secrets
from threading import Thread
from typing import Annotated

import typer

from skelb.cli import app, install_demo, run_commands
from skelb.service.application import Application, data_folder
from skelb.service.memory import keep_freed_memory, keep_loaded_objects

_LOCAL = ("127.0.0.1", "localhost", "::1")


@app.command()
def serve(
    host: Annotated[
        str, typer.Option("--host", help="Address to listen on; others than this machine need the token.")
    ] = "127.0.0.1",
    port: Annotated[int, typer.Option("--port", min=0, max=65_535)] = 8765,
) -> None:
    """Open the application in the browser's reach and print its address."""
    # Loaded here because the web stack takes a second to load, and no other command needs it.
    import uvicorn

    from skelb.web.app import make_app

    application = Application(data_folder())
    install_demo(application)
    keep_loaded_objects()
    Thread(target=application.prepare, daemon=True).start()
    token = None if host in _LOCAL else secrets.token_urlsafe(16)
    print(f"Skelb is open at http://{host}:{port}/{'?token=' + token if token else ''}", flush=True)
    uvicorn.run(make_app(application, host, token), host=host, port=port, log_level="warning", ws="websockets-sansio")


def main() -> None:
    """Run the program."""
    keep_freed_memory()
    run_commands()


if __name__ == "__main__":
    main()
