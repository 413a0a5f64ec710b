"""The lines of a text file, a block at a time, so that what is held of it beside the file stays small."""

from __future__ import annotations

from collections.abc import Iterator

from jukai.core.errors import FileProblem
from jukai.core.formats.common import checkpoint

__all__ = ["Row", "Rows", "lines_of"]

Row = tuple[int, list[bytes]]
"""The number of a line in the file, and its words."""

_BLOCK = 1 << 20
LONGEST = 16 << 20
"""Bytes that a line may have; its words take some twenty times as much."""
_ROWS, _BYTES = 20_000, 4 << 20
"""Lines, and bytes of them, that are split into words at once."""


def lines_of(data: bytes, start: int = 0, number: int = 1) -> Iterator[tuple[int, bytes]]:
    """Yield the lines of a text with their numbers, as ``bytes.splitlines`` parts them.

    Raises
    ------
    FileProblem
        At a line of more than 16 MB.
    """
    at = start
    while at < len(data):
        checkpoint(at / len(data))
        end = _block_end(data, at, number)
        for line in data[at:end].splitlines():
            yield number, line
            number += 1
        at = end


def _block_end(data: bytes, at: int, number: int) -> int:
    """Return where a block of whole lines ends."""
    size = _BLOCK
    while at + size < len(data):
        for mark in (b"\n", b"\r"):
            end = data.rfind(mark, at, at + size) + 1
            if end > 0:
                return end + 1 if mark == b"\r" and data[end : end + 1] == b"\n" else end
        if size >= LONGEST:
            raise FileProblem(f"Line {number} is longer than {LONGEST >> 20} MB.")
        size *= 2
    return len(data)


class Rows:
    """The lines of a text that have words, in order; what follows ``comment`` in a line is none of it."""

    def __init__(self, data: bytes, *, start: int = 0, number: int = 1, comment: bytes = b"") -> None:
        self._lines = lines_of(data, start, number)
        self._comment = comment

    def take(self, most: int) -> list[Row]:
        """Return the next rows: at least one of those there are, at most so many, and no more than are split at once."""
        out: list[Row] = []
        size = 0
        comment = self._comment
        while len(out) < min(most, _ROWS) and size < _BYTES:
            for number, line in self._lines:
                words = (line.split(comment, 1)[0] if comment and comment in line else line).split()
                if words:
                    out.append((number, words))
                    size += len(line)
                    break
            else:
                break
        return out

    def rest(self) -> int:
        """Return how many rows are left, and pass over them."""
        left = 0
        while block := self.take(_ROWS):
            left += len(block)
        return left
