"""Loops that must be compiled, without paying for the compiler where it is not needed.

A kernel is an ordinary function of scalars and arrays, marked with :func:`kernel`. Calling it
compiles it (numba, cached on disk, lock released); ``plain`` is the same function in Python, for a
handful of elements. numba is imported at the first compiled call and not before, so that a short
command answers at once.

Which of the two runs may depend on the size of the input alone, never on what happens to be
loaded: results must be the same bytes on every run.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from types import FunctionType
from typing import Any

__all__ = ["FEW", "Kernel", "kernel"]

FEW = 10_000
"""Corners up to which array expressions answer sooner than loading the compiler."""


class Kernel:
    """A function compiled at its first call."""

    def __init__(self, function: Callable[..., Any]) -> None:
        self.plain = function
        self.__doc__ = function.__doc__
        self._compiled: Callable[..., Any] | None = None

    def __call__(self, *args: Any) -> Any:
        """Run the compiled function."""
        return self.compiled()(*args)

    def compiled(self) -> Callable[..., Any]:
        """Return the compiled function, loading the compiler if it has to be."""
        if self._compiled is not None:
            return self._compiled
        os.environ.setdefault("NUMBA_DISABLE_INTEL_SVML", "1")  # the same bytes on every machine
        import numba

        plain = self.plain
        # kernels that this one calls are compiled functions to it
        known = plain.__globals__
        called = {name: known[name] for name in plain.__code__.co_names if isinstance(known.get(name), Kernel)}
        if called:
            inner = {name: k.compiled() for name, k in called.items()}
            whole = FunctionType(plain.__code__, known | inner, plain.__name__, plain.__defaults__)
            whole.__module__, whole.__qualname__, whole.__doc__ = plain.__module__, plain.__qualname__, plain.__doc__
            plain = whole
        self._compiled = numba.njit(cache=True, nogil=True, error_model="numpy")(plain)
        return self._compiled

    def choose(self, size: int, few: int = FEW) -> Callable[..., Any]:
        """Return the plain function for up to ``few`` elements, else the compiled one."""
        return self.plain if size <= few else self


def kernel(function: Callable[..., Any]) -> Kernel:
    """Mark ``function`` as a loop to be compiled when it is first needed."""
    return Kernel(function)
