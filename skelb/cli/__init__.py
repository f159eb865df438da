"""The command line."""

from skelb.cli.main import main

__all__ = ["main"]
