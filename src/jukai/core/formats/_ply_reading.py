"""Reading PLY (Turk 1994): text and binary, polygons and texture coordinates kept."""

from __future__ import annotations

import re
from array import array
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jukai.core.errors import FileProblem
from jukai.core.formats._ply_header import Element, Property, check_elements, read_header
from jukai.core.formats.common import (
    NUMBER,
    RawMesh,
    ReadMesh,
    check_points,
    finish_reading,
    offsets_of,
    plural,
)
from jukai.core.formats.lines import Row, Rows
from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import FEW, kernel

__all__ = ["read_ply"]

_UV = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"))
"""Names under which points have texture coordinates."""


@dataclass(slots=True)
class _Found:
    points: Any = None
    corners: Any = None
    sizes: Any = None
    uv: Any = None
    corner_uv: Any = None
    notes: list[str] = field(default_factory=list)


def read_ply(data: bytes) -> ReadMesh:
    """Read a PLY file: points with x, y and z, faces as lists of points; other properties are passed over."""
    if not data:
        raise FileProblem("The file is empty.")
    if not re.match(rb"ply[ \t]*\r?[\n\r]", data[:64]):
        if data[:3] == b"ply" and len(data) < 12:
            raise FileProblem("The file ends inside its header.")
        raise FileProblem("This is no PLY file.")
    order, elements, body = read_header(data)
    check_elements(elements)
    found = _text(data, body, elements) if order == "" else _binary(data, body, elements, order)
    if found.corners is None or len(found.sizes) == 0:
        raise FileProblem(f"{plural(len(found.points), 'point')} but no face.")
    _check_indices(found)
    k = int(found.sizes[0])
    alike = len(found.corners) == k * len(found.sizes) and bool((found.sizes == k).all())
    offsets = np.arange(0, len(found.corners) + 1, k, dtype=np.int32) if alike and k else offsets_of(found.sizes)
    raw = RawMesh(found.points, found.corners, offsets, found.uv, notes=found.notes)
    return finish_reading(raw, merge=False, explain=lambda: check_points(found.points))


def _texture_of(element: Element) -> Property | None:
    """Return the list that has two texture coordinates for each corner of a face (common practice, no source)."""
    return next((p for p in element.properties if p.name == "texcoord" and p.count_type), None)


def _list_of(element: Element) -> Property | None:
    return next((p for p in element.properties if p.name in ("vertex_indices", "vertex_index") and p.count_type), None)


_WORDS = {"vertex": ("point", "points"), "face": ("face", "faces")}


def _short(element: Element, held: int | None = None) -> FileProblem:
    many = _WORDS.get(element.name, (element.name, element.name + "s"))[1]
    end = "the file is too short for that." if held is None else f"but holds {held}."
    return FileProblem(f"The file says {element.count} {many}, {end}")


def _binary(data: bytes, at: int, elements: list[Element], order: str) -> _Found:
    found = _Found()
    for e in elements:
        if all(p.count_type is None for p in e.properties):
            row = np.dtype([(p.name, order + p.type) for p in e.properties])
            if e.count * row.itemsize > len(data) - at:
                if e.count > 10 * max(len(data), 1) or e.name == "vertex":
                    raise FileProblem(
                        "The data does not fit the header: " + _short(e).message[0].lower() + _short(e).message[1:]
                    )
                raise _short(e, (len(data) - at) // row.itemsize)
            table = np.frombuffer(data, row, e.count, at)
            at += e.count * row.itemsize
            if e.name == "vertex":
                if row == np.dtype([(a, order + "f8") for a in "xyz"]):
                    found.points = table.view(order + "f8").reshape(-1, 3).astype(np.float64)
                else:
                    found.points = np.stack([table[a].astype(np.float64) for a in "xyz"], axis=1)
                found.uv = _point_uv(table)
        else:
            at = _binary_lists(data, at, e, order, found)
    if at < len(data):
        found.notes.append(f"{len(data) - at} bytes after the end left out.")
    _corner_uv(found)
    return found


def _point_uv(table: Array) -> Array | None:
    for u, v in _UV:
        if table.dtype.names and u in table.dtype.names and v in table.dtype.names:
            return np.stack([table[u], table[v]], axis=1).astype(np.float64)
    return None


def _take_texture(found: _Found, values: Array, lengths: Array) -> None:
    """Take texture coordinates of corners, where all corners have them."""
    if len(lengths) == len(found.sizes) and (lengths == 2 * found.sizes).all() and np.isfinite(values).all():
        found.corner_uv = values.astype(np.float64).reshape(-1, 2)
    else:
        found.notes.append("Not every corner has texture coordinates: they are left out.")


def _corner_uv(found: _Found) -> None:
    """Texture coordinates of points become those of corners, where these have none of their own."""
    if found.corner_uv is not None:
        found.uv = found.corner_uv
    elif found.uv is not None and found.corners is not None and len(found.corners):
        inside = found.corners.min() >= 0 and found.corners.max() < len(found.uv)
        found.uv = found.uv[found.corners] if inside else None
    else:
        found.uv = None


def _binary_lists(data: bytes, at: int, e: Element, order: str, found: _Found) -> int:
    """Read an element with lists. Rows that all have the length of the first are read at once."""
    listed = _list_of(e) if e.name == "face" else None
    if e.count and len(e.properties) == 1 and e.properties[0].count_type:
        end = _alike(data, at, e, order, found if listed else None)
        if end is not None:
            return end
    if e.count > len(data) - at:
        raise _short(e)
    scan = _scan_rows.choose(e.count, 3000)
    sizes = np.array([np.dtype(q.type).itemsize for q in e.properties], np.int64)
    counts = np.array([np.dtype(q.count_type).itemsize if q.count_type else 0 for q in e.properties], np.int64)
    signed = np.array([bool(q.count_type) and str(q.count_type)[0] == "i" for q in e.properties])
    which = e.properties.index(listed) if listed else -1
    raw = np.frombuffer(data, np.uint8)
    starts, lengths, end, bad, what = scan(raw, at, e.count, sizes, counts, signed, order == ">", which)
    if bad >= 0:
        if what < 0:
            raise FileProblem(f"Face {bad + 1}: {what} corners.")
        if what == 0:
            raise _short(e, bad)
        raise FileProblem(f"Face {bad + 1}: says {what} corners, the file ends before.")
    if listed:
        _take_faces(found, _listed(raw, starts, lengths, listed, order), lengths, listed)
        texture = _texture_of(e)
        if texture:
            which = e.properties.index(texture)
            starts, lengths, *_ = scan(raw, at, e.count, sizes, counts, signed, order == ">", which)
            _take_texture(found, _listed(raw, starts, lengths, texture, order), lengths)
    return int(end)


def _alike(data: bytes, at: int, e: Element, order: str, found: _Found | None) -> int | None:
    """Read rows of one list that all have the length of the first, at once; None when they have not."""
    p = e.properties[0]
    count_type = np.dtype(order + str(p.count_type))
    if at + count_type.itemsize > len(data):
        raise _short(e, 0)
    k = int(np.frombuffer(data, count_type, 1, at)[0])
    if not 0 <= k < 10_000:
        return None
    row = np.dtype([("n", count_type), ("list", order + p.type, (k,))])
    if e.count * row.itemsize > len(data) - at:
        return None
    if row.itemsize == 1 + 4 * k and k in (3, 4) and p.type == "i4" and order == "<" and e.count * k > FEW:
        from jukai.core.formats._ply_fast import rows_alike

        values = rows_alike(data, at, e.count, k)
    else:
        table = np.frombuffer(data, row, e.count, at)
        values = table["list"].reshape(-1) if (table["n"] == k).all() else None
    if values is None:
        return None
    if found is not None:
        _take_faces(found, values, np.full(e.count, k), p)
    return at + e.count * row.itemsize


@kernel
def _scan_rows(
    raw: Array,
    at: int,
    rows: int,
    sizes: Array,
    counts: Array,
    signed: Array,
    big: bool,  # noqa: FBT001
    which: int,
) -> tuple[NDArray[np.int64], NDArray[np.int64], int, int, int]:
    """Walk rows of scalars and lists; return where the requested list of each row stands."""
    starts = np.zeros(rows, np.int64)
    lengths = np.zeros(rows, np.int64)
    n = raw.shape[0]
    for r in range(rows):
        for p in range(sizes.shape[0]):
            length = 1
            if counts[p] > 0:
                if at + counts[p] > n:
                    return starts, lengths, at, r, 0
                length = 0
                for b in range(counts[p]):
                    byte = raw[at + b] if big else raw[at + counts[p] - 1 - b]
                    length = length * 256 + int(byte)
                if signed[p] and length >= 1 << (8 * counts[p] - 1):
                    return starts, lengths, at, r, length - (1 << (8 * counts[p]))
                at += counts[p]
            if at + length * sizes[p] > n:
                return starts, lengths, at, r, length
            if p == which:
                starts[r] = at
                lengths[r] = length
            at += length * sizes[p]
    return starts, lengths, at, -1, 0


def _listed(raw: Array, starts: Array, lengths: Array, prop: Property, order: str) -> Array:
    """Return the entries of a list of each row, one after the other."""
    width = np.dtype(prop.type).itemsize
    gather = _gathered.choose(len(starts), 3000)
    values: Array = gather(raw, starts, lengths * width, int(lengths.sum()) * width)
    return values.view(order + prop.type)


@kernel
def _gathered(raw: Array, starts: Array, sizes: Array, total: int) -> NDArray[np.uint8]:
    """Return the bytes of all rows, one after the other."""
    out = np.empty(total, np.uint8)
    at = 0
    for r in range(starts.shape[0]):
        for i in range(sizes[r]):
            out[at + i] = raw[starts[r] + i]
        at += sizes[r]
    return out


def _take_faces(found: _Found, values: Array, sizes: Array, prop: Property) -> None:
    if prop.type[0] == "f":
        whole = values == np.round(values)
        if not whole.all():
            first = int(np.argmin(whole))
            face = int(np.searchsorted(np.cumsum(sizes), first, side="right"))
            raise FileProblem(f"Face {face + 1}: {values[first]:g} is no point number.")
    found.corners = values if values.dtype == np.int32 else values.astype(np.int64)
    found.sizes = np.asarray(sizes, dtype=np.int64)


def _check_indices(found: _Found) -> None:
    n = len(found.points)
    if len(found.corners) and found.corners.min() >= 0 and found.corners.max() < n:
        found.corners = found.corners.astype(np.int32, copy=False)
        return
    bad = (found.corners < 0) | (found.corners >= n)
    if bad.any():
        at = int(np.argmax(bad))
        face = int(np.searchsorted(np.cumsum(found.sizes), at, side="right"))
        raise FileProblem(f"Face {face + 1}: point {found.corners[at]}, there are 0 to {n - 1}.")
    found.corners = found.corners.astype(np.int32)


def _text(data: bytes, at: int, elements: list[Element]) -> _Found:
    rows = Rows(data, start=at, number=data.count(b"\n", 0, at) + 1)
    found = _Found()
    for e in elements:
        if e.name == "vertex":
            _text_points(rows, e, found)
        elif e.name == "face" and (listed := _list_of(e)):
            texture = _texture_of(e)
            corners, sizes, uv, uv_sizes = array("d"), array("i"), array("d"), array("i")
            for number, words in _text_rows(rows, e):
                lists = _text_face(words, e, listed, number)
                corners.extend(lists[listed.name])
                sizes.append(len(lists[listed.name]))
                if texture:
                    uv.extend(lists[texture.name])
                    uv_sizes.append(len(lists[texture.name]))
            _take_faces(found, np.frombuffer(corners), np.frombuffer(sizes, np.int32), listed)
            if texture:
                _take_texture(found, np.frombuffer(uv), np.frombuffer(uv_sizes, np.int32))
        else:
            for _ in _text_rows(rows, e):
                pass
    left = rows.rest()
    if left:
        found.notes.append(f"{plural(left, 'line')} after the end left out.")
    _corner_uv(found)
    return found


def _text_rows(rows: Rows, e: Element) -> Iterator[Row]:
    """Yield the rows of an element."""
    there = 0
    while there < e.count:
        block = rows.take(e.count - there)
        if not block:
            raise _short(e) if e.count > 100 * max(there, 100) else _short(e, there)
        yield from block
        there += len(block)


def _text_points(rows: Rows, e: Element, found: _Found) -> None:
    if any(p.count_type for p in e.properties):
        raise FileProblem(f"Line {e.line}: points with lists are not supported in text.")
    names = [p.name for p in e.properties]
    columns = [names.index(axis) for axis in "xyz"]
    of_texture = next((pair for pair in _UV if set(pair) <= set(names)), ())
    columns += [names.index(name) for name in of_texture]
    table = array("d")
    for number, words in _text_rows(rows, e):
        if len(words) < len(names):
            raise FileProblem(f"Line {number}: a point needs {len(names)} numbers, found {len(words)}.")
        table.extend([_text_number(words[k], number) for k in columns])
    whole = np.frombuffer(table).reshape(-1, len(columns))
    found.points = np.ascontiguousarray(whole[:, :3])
    found.uv = np.ascontiguousarray(whole[:, 3:]) if of_texture else None


def _text_number(word: bytes, number: int) -> float:
    if word.lower().lstrip(b"+-").startswith((b"nan", b"inf")):
        return float("nan")
    if not NUMBER.fullmatch(word):
        raise FileProblem(f"Line {number}: '{word[:40].decode('latin-1')}' is no number.")
    return float(word)


def _text_face(words: list[bytes], e: Element, listed: Property, number: int) -> dict[str, list[float]]:
    """Return the lists of a face that are used, by their names."""
    at = 0
    lists: dict[str, list[float]] = {}
    for p in e.properties:
        if at >= len(words):
            raise FileProblem(f"Line {number}: the face ends early.")
        if p.count_type is None:
            at += 1
            continue
        k = _text_number(words[at], number)
        if k != int(k) or k < 0:
            raise FileProblem(f"Line {number}: a face of {k:g} corners.")
        if at + 1 + int(k) > len(words):
            raise FileProblem(f"Line {number}: the face says {int(k)} corners, and holds {len(words) - at - 1}.")
        if p is listed or p.name == "texcoord":
            lists[p.name] = [_text_number(w, number) for w in words[at + 1 : at + 1 + int(k)]]
        at += 1 + int(k)
    if at < len(words):
        raise FileProblem(f"Line {number}: a face of {len(lists[listed.name])} corners, then numbers left over.")
    return lists
