"""Functions that are compiled when they are first called: what only names them does not load the compiler."""

import gc
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from threading import RLock
from typing import Any

_lock = RLock()


@contextmanager
def loading() -> Iterator[None]:
    """While modules are loaded: what they make stays, so nothing is gained by looking through it for what can go, which
    takes a fifth of the time."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        if was_on:
            gc.enable()


class Compiled:
    """A function that waits to be compiled. Its module's name for it becomes the compiled one at the first call."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        self._function, self._options = function, options
        self._ready: Callable[..., Any] | None = None
        self.__doc__ = function.__doc__

    def __call__(self, *arguments: Any) -> Any:
        return (self._ready or self.ready())(*arguments)

    def ready(self) -> Callable[..., Any]:
        """The compiled function, with those of its module that it calls."""
        with _lock:
            if self._ready is None:
                compile_now = _compiler()
                names = self._function.__globals__
                for name in self._function.__code__.co_names:
                    if isinstance(names.get(name), Compiled):
                        names[name].ready()
                self._ready = compile_now(**self._options)(self._function)
                names[self._function.__name__] = self._ready
            return self._ready


@cache
def _compiler() -> Callable[..., Any]:
    """The compiler's decorator, ready to take up compiled code.

    Loaded here because it takes half a second, and what only checks a script never compiles.
    """
    with loading():
        from numba import njit as compile_now
        from numba.core.registry import cpu_target
        from numba.np import linalg

        # It would look for linear algebra, which takes as long as all the rest; what we compile multiplies no matrix.
        ensure, linalg.ensure_blas = linalg.ensure_blas, _refuse
        try:
            cpu_target.target_context.refresh()  # the first call would do it, while unused objects are looked for
        finally:
            linalg.ensure_blas = ensure
    return compile_now


def _refuse() -> None:
    raise ImportError


def njit(**options: Any) -> Callable[[Callable[..., Any]], Compiled]:
    """As the compiler's own decorator, but for when it compiles."""
    return lambda function: Compiled(function, options)
