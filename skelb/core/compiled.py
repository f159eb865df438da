"""Functions that are compiled when they are first called: what only names them does not load the compiler."""

from collections.abc import Callable
from threading import RLock
from typing import Any

_lock = RLock()


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
                # Loaded here because it takes half a second, and what only checks a script never compiles.
                from numba import njit as compile_now

                names = self._function.__globals__
                for name in self._function.__code__.co_names:
                    if isinstance(names.get(name), Compiled):
                        names[name].ready()
                self._ready = compile_now(**self._options)(self._function)
                names[self._function.__name__] = self._ready
            return self._ready


def njit(**options: Any) -> Callable[[Callable[..., Any]], Compiled]:
    """As the compiler's own decorator, but for when it compiles."""
    return lambda function: Compiled(function, options)
