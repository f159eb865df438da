"""The command that writes a strategy as Python, to run where Skelb is not."""

from pathlib import Path
from typing import Annotated

import typer

from skelb.cli.declared import runner
from skelb.cli.files import read_script, scripts_beside, write_file
from skelb.cli.inputs import read_account, settings_of
from skelb.cli.options import FileArgument, SetOption, SidesOption
from skelb.core.errors import SettingsError
from skelb.core.export.python import Instrument, python_of
from skelb.core.language import Setting
from skelb.service.backtest import SIDES
from skelb.service.checking import checked_or_error
from skelb.service.settings import market_settings, read_settings_file

app = typer.Typer()
run = runner(app)


@app.command()
def python(
    file: FileArgument,
    out: Annotated[Path | None, typer.Option("--out", metavar="FILE", help="Where to; printed without.")] = None,
    market: Annotated[
        Path | None, typer.Option("--market", metavar="JSON", help="The market's description as a JSON file.")
    ] = None,
    account: Annotated[
        str | None, typer.Option("--account", metavar="JSON", help="The account: a JSON file, or one that is stored.")
    ] = None,
    set_: SetOption = None,
    sides: SidesOption = "both",
) -> None:
    """Write a strategy as one Python file: `python FILE BARS.csv [--json]` then makes the trades of `backtest`."""
    if sides not in SIDES:
        raise SettingsError(f"sides are {', '.join(SIDES)}, not `{sides}`")
    checked = checked_or_error(read_script(file), Setting(scripts=scripts_beside(file)))
    stated = read_settings_file(market) if market else {}
    described = market_settings(stated).market()
    on = Instrument(described, read_account(account).account(), bool(stated.get("symbol")), "tick" in stated)
    text = python_of(checked, settings_of(set_), on, sides)
    if out is None:
        print(text, end="")
    else:
        write_file(out, text.encode())
        print(f"{out.name}: {text.count(chr(10)):,} lines; `python {out.name} BARS.csv` makes its trades")
