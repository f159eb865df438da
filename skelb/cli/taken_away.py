"""The command that writes a strategy as Python, to run where Skelb is not."""

from pathlib import Path
from typing import Annotated

import typer

from skelb.cli.declared import runner
from skelb.cli.files import read_script, scripts_beside, write_file
from skelb.cli.inputs import read_account, settings_of
from skelb.cli.options import FileArgument, SetOption, SidesOption
from skelb.core.bars import Market
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
    markets: Annotated[
        list[Path] | None,
        typer.Option(
            "--market",
            metavar="JSON",
            help="The market's description as a JSON file; again for a market that `from` reads, with its symbol.",
        ),
    ] = None,
    account: Annotated[
        str | None, typer.Option("--account", metavar="JSON", help="The account: a JSON file, or one that is stored.")
    ] = None,
    set_: SetOption = None,
    sides: SidesOption = "both",
) -> None:
    """Write a strategy as one Python file: `python FILE BARS.csv [--json]` then makes the trades of `backtest`.

    Bars of markets that its rules read are given to it as --from SYMBOL=CSV.
    """
    if sides not in SIDES:
        raise SettingsError(f"sides are {', '.join(SIDES)}, not `{sides}`")
    checked = checked_or_error(read_script(file), Setting(scripts=scripts_beside(file)))
    stated, *of_others = [read_settings_file(path) for path in markets or []] or [{}]
    others = {str(settings.get("symbol", "")): market_settings(settings).market() for settings in of_others}
    if "" in others:
        raise SettingsError("the description of a market that `from` reads says its symbol: add it to the JSON file")
    described = market_settings(stated).market()
    on = Instrument(
        described,
        read_account(account).account(),
        bool(stated.get("symbol")),
        "tick" in stated,
        lambda symbol: others.get(symbol) or Market(symbol),
    )
    text = python_of(checked, settings_of(set_), on, sides)
    if out is None:
        print(text, end="")
    else:
        write_file(out, text.encode())
        print(f"{out.name}: {text.count(chr(10)):,} lines; `python {out.name} BARS.csv` makes its trades")
