"""`skelb backup` and `skelb restore`: the data folder's file, copied while it is in use, and put back."""

import os
from pathlib import Path
from typing import Annotated

import typer

from skelb.cli.declared import runner
from skelb.service.folder import data_folder, hold_folder
from skelb.store import back_up
from skelb.store import restore as put_back

app = typer.Typer()
run = runner(app)


@app.command()
def backup(file: Annotated[Path, typer.Argument(metavar="FILE", help="Where the copy is written.")]) -> None:
    """Copy everything that is kept into one file, also while Skelb is open."""
    size = back_up(data_folder(), file)
    print(f"{file}: {size / 2**20:,.1f} MB, everything that is kept in {data_folder()}")


@app.command()
def restore(file: Annotated[Path, typer.Argument(metavar="FILE", help="A backup.")]) -> None:
    """Put a backup in the place of what is kept; what was there stays beside it."""
    folder = data_folder()
    hold_folder(folder, f"process {os.getpid()}, which restores a backup")
    kept = put_back(folder, file)
    print(f"{folder} has what {file} holds" + (f"; what was there is {kept.name}" if kept else ""))
