"""Options that several commands share, and how a document is printed."""

import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import orjson
import typer

FileArgument = Annotated[Path, typer.Argument(metavar="FILE", help="A .skelb script.")]
BarsOption = Annotated[
    list[str] | None, typer.Option("--bars", metavar="[SYMBOL=]CSV", help="Bars: time,open,high,low,close,volume.")
]
StoredOption = Annotated[
    list[str] | None, typer.Option("--stored", metavar="SYMBOL", help="Instead of --bars, a market of the data folder.")
]
MarketOption = Annotated[list[Path] | None, typer.Option("--market", metavar="JSON", help="The market's description.")]
AccountOption = Annotated[
    str | None, typer.Option("--account", metavar="NAME|JSON", help="An account of the data folder, or a file of one.")
]
BasketOption = Annotated[
    str | None,
    typer.Option(
        "--basket", metavar="[NAME]", help="The markets of a basket of the data folder; without a name, all given."
    ),
]
CostsOption = Annotated[
    float,
    typer.Option("--costs", min=0, max=100, help="Times all costs, of the account and the market; 0 is without."),
]
SetOption = Annotated[list[str] | None, typer.Option("--set", metavar="NAME=VALUE", help="A value for an input.")]
TimeframeOption = Annotated[
    str | None, typer.Option("--timeframe", metavar="1h", help="Gather the bars into longer ones.")
]
SidesOption = Annotated[str, typer.Option("--sides", help="long, short or both.")]
FromOption = Annotated[str | None, typer.Option("--from", metavar="DATE", help="First trading day.")]
ToOption = Annotated[str | None, typer.Option("--to", metavar="DATE", help="Last trading day.")]
JsonOption = Annotated[bool, typer.Option("--json", help="Print one JSON document.")]


@dataclass(frozen=True, kw_only=True)
class OnBars:
    """A script on bars."""

    file: FileArgument
    bars: BarsOption = None
    stored: StoredOption = None
    market: MarketOption = None
    timeframe: TimeframeOption = None
    set_: SetOption = None


@dataclass(frozen=True, kw_only=True)
class OnDays(OnBars):
    """And on some of their days."""

    from_: FromOption = None
    to: ToOption = None


@dataclass(frozen=True, kw_only=True)
class OnAccount(OnDays):
    """And traded, with an account and with costs."""

    account: AccountOption = None
    costs: CostsOption = 1.0


@dataclass(frozen=True, kw_only=True)
class OnBasket(OnAccount):
    """And in several markets."""

    basket: BasketOption = None


@dataclass(frozen=True, kw_only=True)
class OnSides(OnAccount):
    """And on the sides that are asked for."""

    sides: SidesOption = "both"


@dataclass(frozen=True, kw_only=True)
class OnBasketSides(OnSides, OnBasket):
    """And in several markets, on the sides that are asked for."""


def json_bytes(document: object) -> bytes:
    """One JSON document, ended by a line's end."""
    return orjson.dumps(document, option=orjson.OPT_SERIALIZE_NUMPY) + b"\n"


def print_json(document: object) -> None:
    """Print one JSON document and nothing else."""
    sys.stdout.buffer.write(json_bytes(document))
    sys.stdout.buffer.flush()
