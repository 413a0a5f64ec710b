"""Loops that must be compiled, without paying for the compiler where it is not needed.

A kernel is an ordinary function of scalars and arrays, marked with :func:`kernel`. Calling it
compiles it (numba, cached on disk, lock released); ``plain`` is the same function in Python, for a
handful of elements. numba is imported at the first compiled call and not before, so that a short
command answers at once.

Which of the two runs may depend on the size of the input alone, never on what happens to be
loaded: results must be the same bytes on every run.

An index that a kernel works out must not be negative: counting from the end is left out, which a
fifth of the time would go into (``x[-1]`` written out works). ``make bounds`` runs the tests with
all indices checked.
"""

from __future__ import annotations

import ast
import os
from collections.abc import Callable
from functools import cache
from pathlib import Path
from threading import RLock
from types import FunctionType
from typing import Any

__all__ = ["FEW", "Kernel", "kernel"]

FEW = 10_000
"""Corners up to which array expressions answer sooner than loading the compiler."""


_LOADING = RLock()


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
        with _LOADING:  # a server may ask from several threads; what is loaded twice is the same
            self._compiled = self._load()
        return self._compiled

    def _load(self) -> Callable[..., Any]:
        os.environ.setdefault("NUMBA_DISABLE_INTEL_SVML", "1")  # the same bytes on every machine
        import numba

        known = self.plain.__globals__
        # kernels that this one calls are compiled functions to it
        called = {name: known[name] for name in self.plain.__code__.co_names if isinstance(known.get(name), Kernel)}
        inner = {name: k.compiled() for name, k in called.items()}
        function = _straight(self.plain, known | inner)
        loaded: Callable[..., Any] = numba.njit(cache=True, nogil=True, error_model="numpy")(function)
        return loaded

    def choose(self, size: int, few: int = FEW) -> Callable[..., Any]:
        """Return the plain function for up to ``few`` elements, else the compiled one."""
        return self.plain if size <= few else self


class _Straight(ast.NodeTransformer):
    """Puts ``_index(i)`` in the place of each index ``i`` that is not written out as a number."""

    def visit_Subscript(self, node: ast.Subscript) -> ast.Subscript:
        self.generic_visit(node)
        if isinstance(node.slice, ast.Tuple):
            node.slice.elts = [_marked(e) for e in node.slice.elts]
        else:
            node.slice = _marked(node.slice)
        return node


def _marked(index: ast.expr) -> ast.expr:
    number = index.operand if isinstance(index, ast.UnaryOp) else index
    if isinstance(number, ast.Constant | ast.Slice):
        return index
    call = ast.Call(func=ast.Name(id="_index", ctx=ast.Load()), args=[index], keywords=[])
    return ast.fix_missing_locations(ast.copy_location(call, index))


def _straight(function: Callable[..., Any], names: dict[str, Any]) -> Callable[..., Any]:
    """Return ``function`` with indices that are not counted from the end, in a module of these ``names``."""
    first = function.__code__.co_firstlineno
    file = function.__code__.co_filename
    found = [d for d in _definitions(file) if d.name == function.__name__ and first <= d.lineno <= first + 1]
    if not found:
        raise TypeError(f"{function.__qualname__} is no function at the top of its module, as a kernel must be")
    definition: Any = _Straight().visit(found[0])
    definition.decorator_list = []
    whole = dict(names, _index=_not_from_the_end())
    exec(compile(ast.Module([definition], []), file, "exec", dont_inherit=True), whole)  # noqa: S102 - our own source
    made: FunctionType = whole[function.__name__]
    made.__module__, made.__qualname__, made.__doc__ = function.__module__, function.__qualname__, function.__doc__
    return made


@cache
def _definitions(file: str) -> list[ast.FunctionDef]:
    """Return the functions of a module's source."""
    return [d for d in ast.parse(Path(file).read_text(encoding="utf-8")).body if isinstance(d, ast.FunctionDef)]


@cache
def _not_from_the_end() -> Any:
    """Return what tells the compiler that a whole number is not negative; all else stays what it is."""
    from numba.core import imputils, types
    from numba.extending import intrinsic

    borrowed: Any = imputils.impl_ret_borrowed

    @intrinsic
    def index(_: Any, value: Any) -> Any:
        signed = isinstance(value, types.Integer) and bool(value.signed)  # type: ignore[attr-defined]

        def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            if not signed:
                return borrowed(context, builder, signature.return_type, args[0])
            # as an address: from 32 bits to 64, then the same bits without a sign
            return context.cast(builder, args[0], signature.args[0], types.intp)

        return (types.uintp if signed else value)(value), generate

    return index


def kernel(function: Callable[..., Any]) -> Kernel:
    """Mark ``function`` as a loop to be compiled when it is first needed."""
    return Kernel(function)
