"""Compiled reading of plain OBJ: anything out of the ordinary is left to the careful reader."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from jukai.core.formats.common import LIMIT, RawMesh
from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.kernels import kernel, no_wraparound, piece


def read_plain_obj(data: bytes) -> RawMesh | None:
    """Return the mesh of a file of nothing but plain ``v``, ``vt``, ``vn``, ``f``, names and comments, or None."""
    text = np.frombuffer(
        data + b"\n\n\n\n", np.uint8
    )  # line ends to run into, so that no loop asks where the file ends
    counts = _bounds(len(data))
    ok, points, uv, corners, corner_uv, sizes, names = _parse(text, *counts, LIMIT)
    if not ok or len(sizes) == 0:
        return None
    groups: dict[str, int] = {}
    finishes: dict[str, int] = {}
    group_rows: list[tuple[int, int]] = []
    finish_rows: list[tuple[int, int]] = []
    for kind, face, start, stop in names.tolist():
        name = " ".join(data[start:stop].decode("utf-8", "replace").split("#")[0].split())[:200] or "default"
        if kind:
            finish_rows.append((face, finishes.setdefault(name, len(finishes))))
        else:
            group_rows.append((face, groups.setdefault(name, len(groups))))
    offsets = np.zeros(len(sizes) + 1, np.int32)
    np.cumsum(sizes, out=offsets[1:])
    textured = len(uv) > 0 and len(corner_uv) > 0 and int(corner_uv.min()) >= 0
    return RawMesh(
        points,
        corners,
        offsets,
        uv[corner_uv] if textured else None,
        tuple(groups),
        _spread(group_rows, len(sizes)),
        tuple(finishes),
        _spread(finish_rows, len(sizes)),
    )


def _spread(rows: list[tuple[int, int]], n_faces: int) -> Ints:
    """Return for each face the number that is named last before it, -1 before the first; ``rows`` are (face, number) in order."""
    table = np.array([(0, -1), *rows], dtype=np.int32)
    return np.repeat(table[:, 1], np.diff(table[:, 0], append=n_faces))


def _bounds(size: int) -> tuple[int, int, int, int, int]:
    """Return upper bounds of points, texture points, corners, faces and names in a file of so many bytes.

    The shortest lines are ``v 0 0 0``, ``vt 0`` and ``f 1 2 3``; memory that is not written to costs nothing.
    """
    return size // 8 + 1, size // 5 + 1, size // 2 + 1, size // 8 + 1, min(size // 2 + 1, 100_000)


_ZERO = np.uint8(48)
_TAB, _LF, _CR, _SPACE, _HASH, _PLUS, _MINUS, _POINT, _SLASH, _BACKSLASH = 9, 10, 13, 32, 35, 43, 45, 46, 47, 92
_E, _F, _G, _M, _N, _O, _S, _T, _U, _V, _BIG_E = 101, 102, 103, 109, 110, 111, 115, 116, 117, 118, 69


class _Read(NamedTuple):
    """Room for what is read; how much of it is filled stands in ``filled``: points, texture points, normals, corners, faces, names."""

    points: Floats
    uv: Floats
    corners: Ints
    corner_uv: Ints
    sizes: Ints
    names: Array
    filled: Array


@no_wraparound
@kernel
def _parse(
    text: Array, n_v: int, n_vt: int, n_c: int, n_f: int, n_names: int, limit: float
) -> tuple[bool, Floats, Floats, Ints, Ints, Ints, NDArray[np.int64]]:
    powers = np.empty(23, np.float64)
    powers[0] = 1.0
    for k in range(1, 23):
        powers[k] = powers[k - 1] * 10.0
    numbers = np.empty(3, np.float64)
    out = _Read(
        np.empty((n_v, 3), np.float64), np.empty((n_vt, 2), np.float64), np.empty(n_c, np.int32), np.empty(n_c, np.int32),
        np.empty(n_f, np.int32), np.empty((n_names, 4), np.int64), np.zeros(6, np.int64),
    )  # fmt: skip
    ok, i, n = True, 0, text.shape[0] - 4
    while i < n and ok:
        c, d, e = text[i], text[i + 1], text[i + 2]
        if c in (_LF, _CR, _SPACE, _TAB):
            i += 1
        elif c == _V and (_blank(d) or ((d in (_T, _N)) and _blank(e))):
            ok, i = _point(text, i, powers, limit, numbers, out)
        elif c == _F and _blank(d):
            ok, i = _face(text, i + 1, n_c, out)
        elif c == _HASH:
            i = _line_end(text, i)
        elif ((c in (_G, _O, _S)) and (_blank(d) or d in (_LF, _CR))) or (c == _U and d == _S) or (c == _M and d == _T):
            ok, i = _name(text, i, n_names, out)
        else:
            ok = False
    nv, nvt, _, nc, nf, nn = out.filled
    # no copies: room that was not written to takes none
    return (
        ok,
        out.points[:nv],
        out.uv[:nvt],
        out.corners[:nc],
        out.corner_uv[:nc],
        out.sizes[:nf],
        out.names[:nn].copy(),
    )


@no_wraparound
@piece
def _blank(c: int) -> bool:
    return c in (_SPACE, _TAB)


@no_wraparound
@piece
def _ends(c: int) -> bool:
    """Return whether a number or a corner may end before this byte."""
    return c in (_SPACE, _TAB, _LF, _CR)


@no_wraparound
@piece
def _line_end(text: Array, i: int) -> int:
    while text[i] != _LF and text[i] != _CR:
        i += 1
    return i


@no_wraparound
@piece
def _point(text: Array, i: int, powers: Array, limit: float, numbers: Array, out: _Read) -> tuple[bool, int]:
    """Read a line of ``v``, ``vt`` or ``vn``; return whether it was plain, and where it ends."""
    texture, normal = text[i + 1] == _T, text[i + 1] == _N
    i += 2 if (texture or normal) else 1
    for k in range(2 if texture else 3):
        while _blank(text[i]):
            i += 1
        ok, i, value = _number(text, i, powers)
        if not ok or not abs(value) <= limit:
            return False, i
        numbers[k] = value
    if texture:
        at = out.filled[1]
        out.uv[at, 0], out.uv[at, 1] = numbers[0], numbers[1]
        out.filled[1] += 1
    elif normal:
        out.filled[2] += 1
    else:
        at = out.filled[0]
        out.points[at, 0], out.points[at, 1], out.points[at, 2] = numbers[0], numbers[1], numbers[2]
        out.filled[0] += 1
    return True, _line_end(text, i)


@no_wraparound
@piece
def _number(text: Array, i: int, powers: Array) -> tuple[bool, int, float]:
    """Read a decimal number; return whether it was plain, where it ends, and its value."""
    negative = text[i] == _MINUS
    if negative or text[i] == _PLUS:
        i += 1
    start = i
    mantissa = np.int64(0)
    figure = np.uint8(text[i] - _ZERO)
    while figure <= 9:
        mantissa = mantissa * 10 + figure
        i += 1
        figure = np.uint8(text[i] - _ZERO)
    digits = i - start
    scale = 0
    if text[i] == _POINT:
        i += 1
        point = i
        figure = np.uint8(text[i] - _ZERO)
        while figure <= 9:
            mantissa = mantissa * 10 + figure
            i += 1
            figure = np.uint8(text[i] - _ZERO)
        scale = point - i
        digits += i - point
    if digits == 0:
        return False, i, 0.0
    if digits > 18:
        ok, mantissa, scale = _first_digits(text, start, i)
        if not ok:
            return False, i, 0.0
    if text[i] == _E or text[i] == _BIG_E:
        i += 1
        down = text[i] == _MINUS
        if down or text[i] == _PLUS:
            i += 1
        power, begun = 0, i
        while 48 <= text[i] <= 57 and power < 10000:
            power = power * 10 + (text[i] - 48)
            i += 1
        if i == begun:
            return False, i, 0.0
        scale += -power if down else power
    if not _ends(text[i]):
        return False, i, 0.0
    value = 0.0
    if mantissa == 0:
        value = 0.0
    elif -22 <= scale <= 22 and mantissa < 9007199254740992:
        # exact: whole number below 2^53 and a power of ten a double holds (Clinger 1990)
        value = mantissa / powers[-scale] if scale < 0 else mantissa * powers[scale]
    elif -40 <= scale < 0:
        # one rounding more than exact: only for over 15 digits, within one unit in the last place
        value = float(mantissa)
        rest = -scale
        while rest > 22:
            value /= powers[22]
            rest -= 22
        value /= powers[rest]
    else:
        return False, i, 0.0
    return True, i, -value if negative else value


@no_wraparound
@piece
def _first_digits(text: Array, start: int, stop: int) -> tuple[bool, np.int64, int]:
    """Read a long number with care: return whether it can be told, its first 18 figures that count, and their power of ten."""
    mantissa = np.int64(0)
    kept = scale = 0
    fraction = False
    for k in range(start, stop):
        if text[k] == _POINT:
            fraction = True
            continue
        if kept < 18:
            mantissa = mantissa * 10 + (text[k] - 48)
            if mantissa > 0:
                kept += 1
            if fraction:
                scale -= 1
        elif not fraction:
            return False, mantissa, scale
    return True, mantissa, scale


@no_wraparound
@piece
def _face(text: Array, i: int, n_c: int, out: _Read) -> tuple[bool, int]:
    """Read the corners of a face; return whether they were plain, and where they end."""
    size = 0
    while True:
        while _blank(text[i]):
            i += 1
        if text[i] == _LF or text[i] == _CR:
            break
        at = out.filled[3]
        if at >= n_c or size == 64:
            return False, i
        ok, i = _corner(text, i, at, out)
        if not ok:
            return False, i
        for m in range(at - size, at):
            if out.corners[m] == out.corners[at]:
                return False, i  # a point named twice: for the careful reader
        out.filled[3] += 1
        size += 1
    if size < 3:
        return False, i
    out.sizes[out.filled[4]] = size
    out.filled[4] += 1
    return True, i


@no_wraparound
@piece
def _corner(text: Array, i: int, at: int, out: _Read) -> tuple[bool, int]:
    """Read ``point/texture/normal``, counted from 1 or, if negative, back from the last; return whether it was plain, and its end."""
    out.corner_uv[at] = -1
    for which in range(3):
        backwards = text[i] == _MINUS
        if backwards:
            i += 1
        number = np.int64(0)
        start = i
        figure = np.uint8(text[i] - _ZERO)
        while figure <= 9:
            number = number * 10 + figure
            i += 1
            figure = np.uint8(text[i] - _ZERO)
        if i - start > 12:
            return False, i
        if i == start:
            if which != 1 or backwards:
                return False, i
        else:
            count = out.filled[which]
            row = count - number if backwards else number - 1
            if not 0 <= row < count:
                return False, i
            if which == 0:
                out.corners[at] = row
            elif which == 1:
                out.corner_uv[at] = row
        if text[i] != _SLASH:
            break
        i += 1
        if which == 2:
            return False, i
    return _ends(text[i]), i


@no_wraparound
@piece
def _name(text: Array, i: int, n_names: int, out: _Read) -> tuple[bool, int]:
    """Note where the name of a group or of a finish stands; return whether it goes on in no other line, and where it ends."""
    c = text[i]
    start = i + (6 if c == _U else 1)
    ok = True
    while text[i] != _LF and text[i] != _CR:
        if text[i] == _BACKSLASH:
            ok = False
        i += 1
    if c in (_G, _O, _U):
        at = out.filled[5]
        if at >= n_names:
            return False, i
        out.names[at, 0], out.names[at, 1], out.names[at, 2], out.names[at, 3] = c == _U, out.filled[4], start, i
        out.filled[5] += 1
    return ok, i
