"""Commands on the baskets of the data folder: markets that are run together."""

from typing import Annotated

import typer

from skelb.cli.declared import runner
from skelb.cli.options import JsonOption, print_json
from skelb.cli.stored import stored_here

app = typer.Typer()
baskets = typer.Typer(help="The baskets of the data folder: markets that share an account.")
app.add_typer(baskets, name="basket")
run = runner(app)

NameArgument = Annotated[str, typer.Argument(metavar="NAME", help="The basket's name.")]


@baskets.command("list")
def list_command(json: JsonOption = False) -> None:
    """List all baskets with their markets."""
    with stored_here() as application:
        found = application.library.baskets()
    if json:
        print_json([{"name": name, "markets": markets} for name, markets in found.items()])
        return
    for name, markets in found.items():
        print(f"{name:24}{', '.join(markets)}")


@baskets.command("save")
def save_command(
    name: NameArgument, symbols: Annotated[list[str], typer.Argument(metavar="SYMBOL...", help="Its markets.")]
) -> None:
    """Keep markets as a basket, a new one or in place of what it was."""
    with stored_here() as application:
        application.library.save_basket(name, symbols)
        found = application.library.baskets()
    print(f"{name}: {', '.join(found[' '.join(name.split())])}")


@baskets.command("delete")
def delete_command(name: NameArgument) -> None:
    """Take a basket away; its markets stay."""
    with stored_here() as application:
        application.keeping.remove("basket", name)
    print(f"{name} is deleted")
