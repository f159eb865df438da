"""The command line."""

from skelb.cli.main import app, install_demo, run_commands

__all__ = ["app", "install_demo", "run_commands"]
