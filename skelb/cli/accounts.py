"""Commands on the accounts of the data folder."""

from pathlib import Path
from typing import Annotated

import typer

from skelb.cli.declared import runner
from skelb.cli.options import JsonOption, print_json
from skelb.cli.stored import stored_here
from skelb.service.settings import AccountSettings, account_settings, read_settings_file

app = typer.Typer()
accounts = typer.Typer(help="The accounts of the data folder: what runs begin with and are charged.")
app.add_typer(accounts, name="account")
run = runner(app)

NameArgument = Annotated[str, typer.Argument(metavar="NAME", help="The account's name.")]


@accounts.command("list")
def list_command(json: JsonOption = False) -> None:
    """List all accounts with what differs from an account of 10,000 without costs."""
    with stored_here() as application:
        found = application.library.accounts()
    if json:
        print_json([{"name": name, **settings.model_dump()} for name, settings in found.items()])
        return
    for name, settings in found.items():
        print(f"{name:24}{_in_short(settings)}")


@accounts.command("show")
def show_command(name: NameArgument) -> None:
    """Print an account as JSON, as `save` and `--account` take it."""
    with stored_here() as application:
        print_json(application.library.account(name).model_dump())


@accounts.command("save")
def save_command(
    name: NameArgument, file: Annotated[Path, typer.Argument(metavar="JSON", help="The account's settings.")]
) -> None:
    """Keep an account under a name, a new one or in place of what it was. Runs that are kept keep what they had."""
    settings = account_settings(read_settings_file(file))
    with stored_here() as application:
        application.library.save_account(name, settings.model_dump())
    print(f"{name}: {_in_short(settings)}")


@accounts.command("delete")
def delete_command(name: NameArgument) -> None:
    """Take an account away. Runs and trials that were made with it keep its terms."""
    with stored_here() as application:
        depends = application.keeping.depends("account", name)
        application.keeping.remove("account", name)
    for sentence in depends:
        print(sentence)
    print(f"{name} is deleted")


def _in_short(settings: AccountSettings) -> str:
    told = settings.model_dump(exclude_defaults=True) | {"capital": settings.capital}
    return ", ".join(f"{key.replace('_', ' ')} {value}" for key, value in told.items())
