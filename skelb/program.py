"""The program `skelb`."""

import os

# Ours are the threads that compute; the linear algebra library's would take longer to start than a script to check.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from skelb.cli import run_commands
from skelb.service.allocation import keep_freed_memory


def main() -> None:
    """Run the program."""
    keep_freed_memory()
    run_commands()


if __name__ == "__main__":
    main()
