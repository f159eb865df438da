"""The command line."""

from skelb.cli.commands import COMMANDS
from skelb.cli.main import run_commands

__all__ = ["COMMANDS", "run_commands"]
