"""Commands run in forks of one process that has loaded the program: each by itself, without loading it again.

Run as a program, it answers lines of JSON on standard input; `Forker` is the other end.
"""

import atexit
import json
import os
import subprocess
import sys
import tempfile
import traceback
from dataclasses import dataclass
from functools import cache
from importlib import import_module


@dataclass(frozen=True)
class Done:
    """A command that has ended."""

    returncode: int
    stdout: str
    stderr: str


class Forker:
    """Runs commands in forks of a process of its own."""

    def __init__(self):
        self._process = subprocess.Popen(
            [sys.executable, "-m", "tests.cli.forked"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )

    def run(self, arguments, folder, environment):
        with tempfile.TemporaryDirectory() as place:
            asked = {"arguments": list(map(str, arguments)), "folder": str(folder), "environment": environment}
            self._process.stdin.write(json.dumps(asked | {"place": place}) + "\n")
            self._process.stdin.flush()
            code = int(self._process.stdout.readline())
            found = []
            for name in ("out", "err"):
                with open(os.path.join(place, name), encoding="utf-8", newline="") as file:
                    found.append(file.read())
            return Done(code, *found)

    def end(self):
        self._process.stdin.close()
        self._process.wait(timeout=60)


@cache
def forker():
    """One for all tests of a process."""
    found = Forker()
    atexit.register(found.end)
    return found


def serve():
    """Answer until standard input ends."""
    from skelb.cli import COMMANDS
    from skelb.program import main
    from skelb.service.warm import warm_kernels

    for module in {module for module, _ in COMMANDS.values()}:
        import_module(module)
    warm_kernels()
    sys.stdout.flush()
    for line in sys.stdin:
        child = os.fork()
        if child == 0:
            _become(json.loads(line), main)
        _, status = os.waitpid(child, 0)
        print(os.waitstatus_to_exitcode(status), flush=True)


def _become(asked, main):
    """Be the program with these arguments; never returns."""
    for number, name in ((1, "out"), (2, "err")):
        os.dup2(os.open(os.path.join(asked["place"], name), os.O_WRONLY | os.O_CREAT), number)
    os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
    os.chdir(asked["folder"])
    os.environ.clear()
    os.environ.update(asked["environment"])
    sys.argv = ["skelb", *asked["arguments"]]
    code = 1
    try:
        main()
        code = 0
    except SystemExit as exc:
        code = exc.code if isinstance(exc.code, int) else 0 if exc.code is None else 1
    except BaseException:  # noqa: BLE001 - a test finds it on standard error
        traceback.print_exc()
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


if __name__ == "__main__":
    serve()
