"""`skelb`: one command per thing to do; `--json` prints one document and nothing else."""

import errno
import sys
from importlib import import_module

from skelb import __version__
from skelb.cli.commands import COMMANDS
from skelb.cli.help import help_of
from skelb.core.compiled import loading
from skelb.core.errors import SkelbError

_WIDEST = max(map(len, COMMANDS))


def run_commands() -> None:
    """Run the command line; every known error is one line on standard error and exit code 2."""
    try:
        code = _run(sys.argv[1:]) or 0
        if not sys.stdout.closed:  # as a server on standard output leaves it
            sys.stdout.flush()  # here, where it is told when it cannot be
        raise SystemExit(code)
    except SkelbError as exc:
        sys.stderr.write(f"skelb: {' '.join(str(exc).split())}\n")
        raise SystemExit(2) from None
    except BrokenPipeError:
        raise SystemExit(0) from None
    except KeyboardInterrupt:
        raise SystemExit(130) from None
    except Exception as exc:  # noqa: BLE001 - a mistake of ours; a user still gets one line, not a traceback
        if isinstance(exc, OSError) and exc.errno in (errno.ENOSPC, errno.EDQUOT):
            sys.stderr.write(f"skelb: {exc.filename or 'what comes out'} could not be written: {exc.strerror}\n")
            raise SystemExit(2) from None
        told = getattr(exc, "format_message", None)  # wrong usage, as the command parser tells it
        if told:
            sys.stderr.write(f"skelb: {' '.join(told().split())} (see skelb --help)\n")
            raise SystemExit(2) from None
        if type(exc).__name__ == "Abort":
            raise SystemExit(130) from None
        sys.stderr.write(
            f"skelb: this should not have happened, and nothing was changed: {type(exc).__name__}: {exc}\n"
        )
        raise SystemExit(2) from None


def _run(arguments: list[str]) -> int | None:
    """Run one command; its exit code, None for 0."""
    if not arguments or arguments[0] in ("--help", "-h", "help"):
        print(f"Usage: skelb COMMAND …\n\n{__doc__}\n\nCommands:")
        for name, (_, said) in COMMANDS.items():
            print(f"  {name:{_WIDEST}}  {said}")
        print("\nskelb COMMAND --help tells what a command takes.")
        return None if arguments else 2
    if arguments[0] == "--version":
        print(f"skelb {__version__}")
        return None
    name, *rest = arguments
    if name not in COMMANDS:
        raise SkelbError(f"there is no command `{name}` (see skelb --help)")
    if "--help" in rest or "-h" in rest:
        print(help_of(arguments), end="")
        return None
    with loading():
        module = import_module(COMMANDS[name][0])
    found: int | None = module.run(name, rest)
    return found
