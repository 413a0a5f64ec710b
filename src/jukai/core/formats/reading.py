"""One door for all formats in."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module

from jukai.core.errors import FileProblem
from jukai.core.formats.common import FORMATS, ReadMesh, watched

__all__ = ["MOST_BYTES", "format_of", "read_mesh"]

MOST_BYTES = 512 * 1024 * 1024
_READERS = {"3mf": ("_threemf_reading", "threemf"), "glb": ("_glb_reading", "glb"), "ply": ("_ply_reading", "ply")}
"""Modules of the readers that stand apart from what writes, and what they are called there."""


def format_of(name: str) -> str:
    """Return the format a file name ends with.

    Raises
    ------
    FileProblem
        When it is none of those that can be read.
    """
    ending = name.rsplit(".", 1)[-1].lower() if "." in name else ""
    if ending not in FORMATS:
        known = ", ".join(FORMATS.values())
        raise FileProblem(f"'{name[:80]}' does not end like a mesh file.", hint=f"These can be read: {known}.")
    return ending


def read_mesh(data: bytes, file_format: str, checkpoint: Callable[[float], None] | None = None) -> ReadMesh:
    """Read a mesh.

    Parameters
    ----------
    data : the whole file.
    file_format : ``obj``, ``stl``, ``ply``, ``glb``, ``off`` or ``3mf``.
    checkpoint : called with the fraction done, again and again; it may raise to end the reading.

    Notes
    -----
    Takes time in proportion to the file, and at most 8 times its size and 500 MB of memory.

    Raises
    ------
    FileProblem
        With what is wrong and where; nothing half-read is returned.
    """
    if len(data) > MOST_BYTES:
        raise FileProblem(f"The file has {len(data) // 1_000_000} MB; {MOST_BYTES // 1_000_000} MB are the most.")
    try:
        # loaded when it is needed: a command that reads no mesh does not wait for the parsers
        where, name = _READERS.get(file_format, (file_format, file_format))
        module = import_module(f"jukai.core.formats.{where}")
        with watched(checkpoint):
            out: ReadMesh = getattr(module, f"read_{name}")(data)
    except MemoryError:
        raise FileProblem("The file needs more memory than there is.") from None
    return out
