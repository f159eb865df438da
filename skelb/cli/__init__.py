"""The command line."""

from skelb.cli import scripts  # the commands on scripts join the others as they load
from skelb.cli.main import app, install_demo, run_commands

__all__ = ["app", "install_demo", "run_commands", "scripts"]
