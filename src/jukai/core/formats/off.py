"""OFF, the object file format of Rost 1986: text, polygons kept."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats.common import (
    MOST_POINTS,
    NUMBER,
    RawMesh,
    ReadMesh,
    WriteOptions,
    check_points,
    check_text,
    finish_reading,
    offsets_of,
    plural,
)
from jukai.core.formats.lines import Row, Rows
from jukai.core.formats.text import decimal_rows
from jukai.core.geometry.arrays import Array
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate

__all__ = ["read_off", "write_off"]

_HEAD = re.compile(rb"(ST)?(C)?(N)?(4)?(n)?OFF\b")


def read_off(data: bytes) -> ReadMesh:
    """Read a text OFF file: points, and faces as lists of points; colours, normals and texture are passed over."""
    check_text(data, "OFF")
    rows = Rows(data, comment=b"#")
    n_points, n_faces = _start(rows)
    points = np.concatenate([_points(block) for block in _blocks(rows, n_points, "point")])
    faces = [_faces(block, n_points) for block in _blocks(rows, n_faces, "face")]
    corners, sizes = (np.concatenate(column) for column in zip(*faces, strict=True))
    left = rows.rest()
    notes = [f"{plural(left, 'line')} after the end left out."] if left else []
    raw = RawMesh(points, corners, offsets_of(sizes), notes=notes)
    return finish_reading(raw, merge=False, explain=lambda: check_points(points))


def _blocks(rows: Rows, asked: int, one: str) -> Iterator[list[Row]]:
    """Yield as many rows as the file says there are, a block at a time."""
    there = 0
    while there < asked:
        block = rows.take(asked - there)
        if not block:
            raise FileProblem(f"The file says {plural(asked, one)}, but holds {there}.")
        yield block
        there += len(block)


def _start(rows: Rows) -> tuple[int, int]:
    """Return the points and faces that the file says it has."""
    first = rows.take(1)
    if not first:
        raise FileProblem("The file is empty.")
    number, words = first[0]
    head = _HEAD.fullmatch(words[0])
    if head is None:
        if not all(NUMBER.fullmatch(w) for w in words):
            raise FileProblem("This is no OFF file: its first word is not OFF.")
        rest = words  # the first word may be left out
    else:
        if head[4] or head[5]:
            raise FileProblem(f"Line {number}: points of more than three dimensions are not supported.")
        rest = words[1:]
    if rest and rest[0].upper() == b"BINARY":
        raise FileProblem(f"Line {number}: binary OFF is not supported; text is.")
    if not rest:
        second = rows.take(1)
        if not second:
            raise FileProblem("The file ends before its counts.")
        number, rest = second[0]
    return _counts(rest, number)


def _counts(words: list[bytes], number: int) -> tuple[int, int]:
    if len(words) < 2 or not all(re.fullmatch(rb"\d{1,12}", w) for w in words[:2]):
        raise FileProblem(f"Line {number}: the numbers of points and of faces are expected here.")
    n_points, n_faces = int(words[0]), int(words[1])
    if n_points > MOST_POINTS:
        raise FileProblem(f"Line {number}: {n_points} points; {MOST_POINTS} are the most.")
    if n_faces == 0 or n_points == 0:
        raise FileProblem(f"{plural(n_points, 'point')} but no face." if n_faces == 0 else "There is no point.")
    return n_points, n_faces


def _points(rows: list[Row]) -> Array:
    try:
        return np.array([words[:3] for _, words in rows], dtype=np.float64).reshape(-1, 3)
    except ValueError:
        for number, words in rows:
            if len(words) < 3:
                raise FileProblem(f"Line {number}: a point needs 3 numbers, found {len(words)}.") from None
            for w in words[:3]:
                if not NUMBER.fullmatch(w) and w.lower().lstrip(b"+-")[:3] not in (b"nan", b"inf"):
                    raise FileProblem(f"Line {number}: '{w[:40].decode('latin-1')}' is no number.") from None
        raise


def _faces(rows: list[Row], n_points: int) -> tuple[Array, Array]:
    first = rows[0][1]
    alike = first[0].isdigit() and len(first) == int(first[0]) + 1
    if alike and all(len(words) == len(first) and words[0] == first[0] for _, words in rows):
        try:
            table = np.array([words for _, words in rows], dtype=np.int64)
        except (ValueError, OverflowError):
            table = None
        if table is not None and table[:, 1:].min(initial=0) >= 0 and table[:, 1:].max(initial=0) < n_points:
            return table[:, 1:].astype(np.int32).reshape(-1), table[:, 0]
    corners: list[int] = []
    sizes = []
    for number, words in rows:
        if not words[0].isdigit() or len(words[0]) > 9:
            raise FileProblem(f"Line {number}: '{words[0][:40].decode('latin-1')}' is no number of corners.")
        k = int(words[0])
        if len(words) < k + 1:
            raise FileProblem(f"Line {number}: the face says {k} corners, and holds {len(words) - 1}.")
        for w in words[1 : k + 1]:
            if not re.fullmatch(rb"-?\d{1,18}", w):
                raise FileProblem(f"Line {number}: '{w[:40].decode('latin-1')}' is no point number.")
            if not 0 <= int(w) < n_points:
                raise FileProblem(f"Line {number}: point {int(w)}, there are 0 to {n_points - 1}.")
            corners.append(int(w))
        sizes.append(k)
    return np.array(corners, dtype=np.int32), np.array(sizes, dtype=np.int64)


def write_off(mesh: Mesh, options: WriteOptions) -> bytes:
    """Write a text OFF file, polygons kept unless triangles are asked for."""
    points = np.ascontiguousarray(options.transform(mesh.points))
    if options.triangles:
        tri = triangulate(mesh)
        corners, sizes = tri.points(mesh), np.full(len(tri.faces), 3)
    else:
        corners, sizes = mesh.corners, mesh.sides
    head = f"OFF\n# {options.unit}, {options.up.upper()} up, written by Jukai\n{len(points)} {len(sizes)} 0\n"
    # a space before each line is no part of a number
    body = bytes(decimal_rows(b"", points))
    return head.encode() + body + _face_rows(np.asarray(corners).reshape(-1), np.asarray(sizes))


def _face_rows(corners: Array, sizes: Array) -> bytes:
    out = []
    words = [str(c) for c in corners.tolist()]
    at = 0
    for k in sizes.tolist():
        out.append(f"{k} " + " ".join(words[at : at + k]))
        at += k
    return ("\n".join(out) + "\n").encode()
