"""The program `skelb`."""

import atexit
import os
import sys
import threading

# Ours are the threads that compute; the linear algebra library's would take longer to start than a script to check.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from skelb.cli import run_commands
from skelb.service.allocation import keep_freed_memory


def main() -> None:
    """Run the program."""
    keep_freed_memory()
    try:
        run_commands()
    except SystemExit as end:
        _leave(end.code if isinstance(end.code, int) else 0)


def _leave(code: int) -> None:
    """End with an exit code. Taking apart what was loaded takes longer than many a command: it is left to the system,
    once all that was to be done at the end is done."""
    if any(not thread.daemon and thread is not threading.main_thread() for thread in threading.enumerate()):
        raise SystemExit(code)
    atexit._run_exitfuncs()
    sys.stderr.flush()
    os._exit(code)


if __name__ == "__main__":
    main()
