"""Compiled code that spans several files: decorators for its parts, and for the one function Python calls.

The compiler keeps what it made on disk, and by itself notices edits of one file only. What is made here is kept in a
folder named after the text of all the files that it is made of.
"""

import shutil
from collections.abc import Callable
from hashlib import blake2b
from os import W_OK, access, environ
from pathlib import Path
from typing import Any

import numpy as np
from numba import config, njit, types
from numpy.typing import NDArray

_settings: Any = config
_njit: Any = njit

_OPTIONS: dict[str, Any] = {"nogil": True, "_nrt": False, "error_model": "numpy"}
Function = Callable[..., Any]


def _part(is_inlined: bool) -> Callable[[Function], Function]:
    make = _njit(no_cpython_wrapper=True, no_cfunc_wrapper=True, forceinline=is_inlined, **_OPTIONS)

    def decorate(function: Function) -> Function:
        made = make(function)
        if made is function:  # run without the compiler, to look for a fault
            return function
        typed, compiled = made.get_call_template, made.compile

        def compile_apart(signature: Any) -> Any:
            found = compiled(signature)
            if not is_inlined:  # else every function that calls it would be as large as all that it calls
                for result in made.overloads.values():
                    result.library.get_function(result.fndesc.llvm_func_name).add_function_attribute("noinline")
            return found

        made.get_call_template = lambda args, kws: typed(tuple(map(_widened, args)), kws)
        made.compile = compile_apart
        return made

    return decorate


def _widened(argument: Any) -> Any:
    """The type without the constant in it: else every constant that is passed would make another version."""
    argument = types.unliteral(argument)
    return argument.dtype if isinstance(argument, types.IntEnumMember) else argument


called = _part(is_inlined=False)
"""A part that is compiled once and called. Like all parts it makes no array, so that nothing counts references."""

inlined = _part(is_inlined=True)
"""A part that is put in wherever it is called."""


def without_compiler() -> bool:
    """Whether compiled functions are run as they are written, to look for a fault or to count branches."""
    return bool(_settings.DISABLE_JIT)


def as_records(table: NDArray[Any]) -> NDArray[Any]:
    """A table of records whose fields are attributes, also for code that runs without the compiler."""
    return table.view(np.recarray) if without_compiler() else table


def kept(*sources: str) -> Callable[[Function], Function]:
    """A compiled function that is called from Python and kept on disk until a source changes.

    `sources` are the files, or folders of files, that it is made of, its own among them.
    """
    folders = [source.glob("*.py") if source.is_dir() else [source] for source in map(Path, sources)]
    files = sorted(file for folder in folders for file in folder)
    text = blake2b(digest_size=8)
    for file in files:
        text.update(file.name.encode() + file.read_bytes())

    def decorate(function: Function) -> Function:
        before, _settings.CACHE_DIR = _settings.CACHE_DIR, str(_folder(function, text.hexdigest()))
        try:
            return _njit(cache=True, **_OPTIONS)(function)
        finally:
            _settings.CACHE_DIR = before

    return decorate


def _folder(function: Function, text: str) -> Path:
    """Where the compiled function is kept: beside its file, or with the user's own where that cannot be written."""
    home = Path(function.__code__.co_filename).parent
    beside = home / "__pycache__"
    if not access(beside if beside.is_dir() else home, W_OK):
        own = Path(environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
        beside = own / "skelb" / blake2b(str(home).encode(), digest_size=8).hexdigest()
    found = beside / f"{function.__name__}-{text}"
    if not found.exists():  # what was made of an older text is of no use to anybody
        for old in beside.glob(f"{function.__name__}-*"):
            shutil.rmtree(old, ignore_errors=True)
    return found
