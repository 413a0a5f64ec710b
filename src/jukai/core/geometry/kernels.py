"""Loops that must be compiled, without paying for the compiler where it is not needed.

A kernel is an ordinary function of scalars and arrays, marked with :func:`kernel`. Calling it
compiles it (numba, cached on disk, lock released); ``plain`` is the same function in Python, for a
handful of elements. numba is imported at the first compiled call and not before, so that a short
command answers at once.

Which of the two runs may depend on the size of the input alone, never on what happens to be
loaded: results must be the same bytes on every run.

What is compiled is kept under a hash of what it is compiled from: the function without its
docstring and comments, the kernels it calls and the numbers it reads. So a change elsewhere, in a
docstring or in another kernel costs nothing, and one in a kernel that others call compiles those
too. Beside each kept file stands a check sum; one that does not agree is thrown away, and the
kernel is compiled anew. ``make bounds`` runs the tests with all indices checked.

A long loop is cut into pieces, :func:`piece`: they are compiled into the kernels that use them, so
that a piece costs nothing at run time, however much it is handed. It makes no array of its own.
Arrays that belong together are handed over as one named tuple.

The compiler asks of each signed index whether it is negative and counts from the end. Where that is
dear (a bevel of all edges takes a fifth to a third longer, writing OBJ a sixth), a kernel is marked
:func:`no_wraparound`: its indices must not be negative then, literal numbers such as ``-1`` apart.
``tests/core/geometry/test_bounds.py`` runs each of these with its indices checked.
"""

from __future__ import annotations

import ast
import copy
import hashlib
import os
from collections.abc import Callable
from functools import cache
from pathlib import Path
from threading import RLock
from types import CodeType, FunctionType
from typing import Any

__all__ = ["FEW", "Kernel", "cache_folder", "forget_others", "kernel", "known", "no_wraparound", "piece", "unsigned"]

FEW = 10_000
"""Corners up to which array expressions answer sooner than loading the compiler."""
_FORM = "1"
"""Raised when the way of compiling changes."""
_LOADING = RLock()
_ALL: list[Kernel] = []


class Kernel:
    """A function compiled at its first call."""

    def __init__(self, function: Callable[..., Any], *, inlined: bool = False) -> None:
        self.plain = function
        self.inlined = inlined
        self.wraparound = True
        self.__doc__ = function.__doc__
        self._compiled: Callable[..., object] | None = None
        self._signatures = 0
        _ALL.append(self)

    def __call__(self, *args: object) -> Any:
        """Run the compiled function; a piece by itself is never compiled."""
        if self.inlined:
            return self.plain(*args)
        run = self.compiled()
        out = run(*args)
        if len(run.overloads) != self._signatures:  # type: ignore[attr-defined]
            self._note_sums(run)
        return out

    def compiled(self) -> Callable[..., object]:
        """Return the compiled function, loading the compiler if it has to be."""
        if self._compiled is not None:
            return self._compiled
        with _LOADING:  # a server may ask from several threads; what is loaded twice is the same
            if self._compiled is None:
                self._compiled = self._load()
        return self._compiled

    @property
    def name(self) -> str:
        """What it is kept under: its name and a hash of all that it is compiled from."""
        return f"{self.plain.__name__}-{_key(self)}"

    def called(self) -> dict[str, Kernel]:
        """Return the kernels that this one calls, by the names it knows them by."""
        known = self.plain.__globals__
        return {n: known[n] for n in self.plain.__code__.co_names if isinstance(known.get(n), Kernel)}

    def _load(self) -> Callable[..., object]:
        os.environ.setdefault("NUMBA_DISABLE_INTEL_SVML", "1")  # the same bytes on every machine
        import numba

        folder = None if self.inlined else cache_folder()
        file = None if folder is None else folder / f"{self.name}.py"
        if file is not None and not file.exists():
            file.write_text(_source(self.plain), encoding="utf-8")
        if file is not None:
            _throw_away_damaged(file)
        inner = {name: k.compiled() for name, k in self.called().items()}
        names = self.plain.__globals__ | inner
        code = self.plain.__code__ if self.wraparound else unsigned(self.plain)
        if not self.wraparound:
            names["_index"] = _as_unsigned()
        # the compiler keeps its results for a file, a name and a line: they must depend on what is compiled alone
        kept = code if file is None else code.replace(co_filename=str(file), co_firstlineno=1)
        function = FunctionType(kept, names, self.plain.__name__, self.plain.__defaults__)
        function.__module__, function.__qualname__ = self.plain.__module__, self.plain.__name__
        # a piece makes no array, so it need not count references to those it is handed: that costs more than its work
        options = {"forceinline": True, "_nrt": False} if self.inlined else {"cache": file is not None}
        compiler: Callable[..., Any] = numba.njit
        loaded: Callable[..., object] = compiler(nogil=True, error_model="numpy", **options)(function)
        return loaded

    def _note_sums(self, run: Any) -> None:
        self._signatures = len(run.overloads)
        folder = cache_folder()
        if folder is not None:
            _write_sums(folder / f"{self.name}.py")

    def choose(self, size: int, few: int = FEW) -> Callable[..., Any]:
        """Return the plain function for up to ``few`` elements, else the compiled one."""
        return self.plain if size <= few else self


@cache
def cache_folder() -> Path | None:
    """Return the folder in which compiled kernels are kept; None where nothing can be written.

    That is ``JUKAI_KERNELS``, the package's own, or one in the user's home.
    """
    given = os.environ.get("JUKAI_KERNELS")
    own = Path(__file__).parents[2] / ".kernels"
    for folder in [Path(given)] if given else [own, Path.home() / ".cache" / "jukai" / "kernels"]:
        try:
            folder.mkdir(parents=True, exist_ok=True)
            trial = folder / f".{os.getpid()}"
            trial.touch()
            trial.unlink()
        except OSError:
            continue
        return folder
    return None


def _key(k: Kernel, within: tuple[Kernel, ...] = ()) -> str:
    """Return a hash of what a kernel is compiled from; kernels it calls count, numbers it reads too."""
    known = k.plain.__globals__
    constants = {n: text for n in _names(k.plain.__code__) if (text := _constant(known.get(n))) is not None}
    inner = {n: _key(other, (*within, k)) for n, other in k.called().items() if other not in within}
    bounds = os.environ.get("NUMBA_BOUNDSCHECK", "")
    options = (bounds, k.inlined, k.wraparound)
    text = repr((_FORM, options, _source(k.plain), sorted(constants.items()), sorted(inner.items())))
    return hashlib.blake2b(text.encode(), digest_size=10).hexdigest()


def _constant(value: object) -> str | None:
    """Return what of a global stands in the compiled code; None for what is no number, text or named tuple."""
    if isinstance(value, bool | int | float | str | tuple):
        return repr(value)
    if isinstance(value, type) and issubclass(value, tuple):
        return repr((value.__name__, getattr(value, "_fields", ())))
    return None


def _names(code: CodeType) -> set[str]:
    inner = [c for c in code.co_consts if isinstance(c, CodeType)]
    return set(code.co_names).union(*(_names(c) for c in inner))


@cache
def _source(function: Callable[..., object]) -> str:
    """Return a function's source without its docstring, comments, annotations and place in the file."""
    first, file = function.__code__.co_firstlineno, function.__code__.co_filename
    found = [d for d in _definitions(file) if d.name == function.__name__ and first <= d.lineno <= first + 2]
    if not found:
        raise TypeError(f"{function.__qualname__} is no function at the top of its module, as a kernel must be")
    definition = found[0]
    body = definition.body
    if (
        body
        and isinstance(body[0], ast.Expr)
        and isinstance(body[0].value, ast.Constant)
        and isinstance(body[0].value.value, str)
    ):
        body = body[1:] or [ast.Pass()]
    # what is changed is copied, no more: copying the whole tree takes most of the time in which a kernel is loaded
    bare = copy.copy(definition)
    bare.args = copy.copy(definition.args)
    bare.args.args = [ast.arg(a.arg) for a in bare.args.args]
    bare.body, bare.decorator_list, bare.returns = body, [], None
    return ast.unparse(bare) + "\n"


@cache
def _definitions(file: str) -> list[ast.FunctionDef]:
    """Return the functions of a module's source."""
    return [d for d in ast.parse(Path(file).read_text(encoding="utf-8")).body if isinstance(d, ast.FunctionDef)]


# -- what is kept, and whether it is whole ----------------------------------------------------------
def _kept(file: Path) -> list[Path]:
    """Return the compiler's files for a kernel: in a folder of its own beside the source, or where it was told to keep them."""
    places = [file.parent / "__pycache__"]
    return sorted(p for place in places if place.is_dir() for p in place.glob(f"{file.stem}.*.nb[ci]"))


def _sums_of(file: Path) -> dict[str, str]:
    return {p.name: hashlib.blake2b(p.read_bytes(), digest_size=16).hexdigest() for p in _kept(file)}


def _write_sums(file: Path) -> None:
    rows = "".join(f"{digest} {name}\n" for name, digest in _sums_of(file).items())
    new = file.with_suffix(f".{os.getpid()}.sums")
    try:
        new.write_text(rows, encoding="utf-8")
        new.replace(file.with_suffix(".sums"))
    except OSError:
        new.unlink(missing_ok=True)


def _throw_away_damaged(file: Path) -> None:
    """Remove what is kept for a kernel unless it is what was written."""
    try:
        rows = file.with_suffix(".sums").read_text(encoding="utf-8").split("\n")
        noted = {name: digest for digest, _, name in (row.partition(" ") for row in rows if row)}
    except (OSError, UnicodeDecodeError):
        noted = {}
    if noted and noted == _sums_of(file):
        return
    for p in _kept(file):
        p.unlink(missing_ok=True)


def known() -> tuple[Kernel, ...]:
    """Return all kernels and pieces of the modules that are imported."""
    return tuple(_ALL)


def forget_others() -> None:
    """Remove what is kept of kernels that are no more, or were compiled from something else; all must be imported by now."""
    folder = cache_folder()
    if folder is None:
        return
    names = {k.name for k in _ALL}
    for p in [*folder.glob("*.*"), *(folder / "__pycache__").glob("*.*")]:
        if p.is_file() and p.name.split(".")[0] not in names:
            p.unlink(missing_ok=True)


# -- indices that are never negative ----------------------------------------------------------------
class _Unsigned(ast.NodeTransformer):
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
    return ast.Call(func=ast.Name(id="_index", ctx=ast.Load()), args=[index], keywords=[])


def unsigned(function: Callable[..., object]) -> CodeType:
    """Return the code of a function with its indices taken as unsigned numbers."""
    tree = ast.fix_missing_locations(_Unsigned().visit(ast.parse(_source(function))))
    made: dict[str, Any] = {}
    exec(compile(tree, function.__code__.co_filename, "exec", dont_inherit=True), {}, made)  # noqa: S102 - our own source
    code: CodeType = made[function.__name__].__code__
    return code


@cache
def _as_unsigned() -> object:
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


def kernel(function: Callable[..., object]) -> Kernel:
    """Mark ``function`` as a loop to be compiled when it is first needed."""
    return Kernel(function)


def piece(function: Callable[..., object]) -> Kernel:
    """Mark ``function`` as a part of kernels, put into each of them where it is called."""
    return Kernel(function, inlined=True)


def no_wraparound(marked: Kernel) -> Kernel:
    """Mark a kernel or piece further: none of its indices is negative, so that none need be asked."""
    marked.wraparound = False
    return marked
