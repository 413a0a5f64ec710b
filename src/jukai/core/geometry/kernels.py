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
        if self._compiled is None:
            os.environ.setdefault("NUMBA_DISABLE_INTEL_SVML", "1")  # the same bytes on every machine
            import numba

            self._compiled = numba.njit(cache=True, nogil=True, error_model="numpy")(self.plain)
        return self._compiled(*args)

    def choose(self, size: int, few: int = FEW) -> Callable[..., Any]:
        """Return the plain function for up to ``few`` elements, else the compiled one."""
        return self.plain if size <= few else self


def kernel(function: Callable[..., Any]) -> Kernel:
    """Mark ``function`` as a loop to be compiled when it is first needed."""
    return Kernel(function)
