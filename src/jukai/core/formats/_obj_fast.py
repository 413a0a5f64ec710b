"""Compiled reading of plain OBJ: anything out of the ordinary is left to the careful reader."""

from __future__ import annotations

from typing import Any

import numpy as np

from jukai.core.formats.common import LIMIT, RawMesh
from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import kernel


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
    face_group = np.full(len(sizes), -1, np.int32)
    face_finish = np.full(len(sizes), -1, np.int32)
    for kind, face, start, stop in names.tolist():
        name = " ".join(data[start:stop].decode("utf-8", "replace").split("#")[0].split())[:200] or "default"
        if kind:
            face_finish[face:] = finishes.setdefault(name, len(finishes))
        else:
            face_group[face:] = groups.setdefault(name, len(groups))
    offsets = np.zeros(len(sizes) + 1, np.int32)
    np.cumsum(sizes, out=offsets[1:])
    textured = len(uv) > 0 and len(corner_uv) > 0 and int(corner_uv.min()) >= 0
    return RawMesh(
        points,
        corners,
        offsets,
        uv[corner_uv] if textured else None,
        tuple(groups),
        face_group,
        tuple(finishes),
        face_finish,
    )


def _bounds(size: int) -> tuple[int, int, int, int, int]:
    """Return upper bounds of points, texture points, corners, faces and names in a file of so many bytes.

    The shortest lines are ``v 0 0 0``, ``vt 0`` and ``f 1 2 3``; memory that is not written to costs nothing.
    """
    return size // 8 + 1, size // 5 + 1, size // 2 + 1, size // 8 + 1, min(size // 2 + 1, 100_000)


@kernel
def _parse(text: Array, n_v: int, n_vt: int, n_c: int, n_f: int, n_names: int, limit: float) -> Any:
    points = np.empty((n_v, 3), np.float64)
    uv = np.empty((n_vt, 2), np.float64)
    corners = np.empty(n_c, np.int32)
    corner_uv = np.empty(n_c, np.int32)
    sizes = np.empty(n_f, np.int32)
    names = np.empty((n_names, 4), np.int64)
    powers = np.empty(23, np.float64)
    powers[0] = 1.0
    for k in range(1, 23):
        powers[k] = powers[k - 1] * 10.0
    numbers = np.empty(3, np.float64)
    nv = nvt = nvn = nc = nf = nn = 0
    ok = True
    i = 0
    n = text.shape[0] - 4
    zero = np.uint8(48)
    while i < n and ok:
        c = text[i]
        if c == 10 or c == 13 or c == 32 or c == 9:
            i += 1
            continue
        d, e = text[i + 1], text[i + 2]
        if c == 118 and (d == 32 or d == 9 or ((d == 116 or d == 110) and (e == 32 or e == 9))):
            texture = d == 116
            normal = d == 110
            i += 2 if (texture or normal) else 1
            found = 0
            requested = 2 if texture else 3
            while found < requested:
                while text[i] == 32 or text[i] == 9:
                    i += 1
                negative = text[i] == 45
                if negative or text[i] == 43:
                    i += 1
                start = i
                mantissa = np.int64(0)
                figure = np.uint8(text[i] - zero)
                while figure <= 9:
                    mantissa = mantissa * 10 + figure
                    i += 1
                    figure = np.uint8(text[i] - zero)
                digits = i - start
                scale = 0
                if text[i] == 46:
                    i += 1
                    point = i
                    figure = np.uint8(text[i] - zero)
                    while figure <= 9:
                        mantissa = mantissa * 10 + figure
                        i += 1
                        figure = np.uint8(text[i] - zero)
                    scale = point - i
                    digits += i - point
                if digits == 0:
                    ok = False
                    break
                if digits > 18:
                    # once more with care: only the first 18 that count are kept
                    mantissa = np.int64(0)
                    kept = 0
                    scale = 0
                    behind = False
                    for k in range(start, i):
                        if text[k] == 46:
                            behind = True
                            continue
                        if kept < 18:
                            mantissa = mantissa * 10 + (text[k] - 48)
                            if mantissa > 0:
                                kept += 1
                            if behind:
                                scale -= 1
                        elif not behind:
                            ok = False
                    if not ok:
                        break
                if text[i] == 101 or text[i] == 69:
                    i += 1
                    down = False
                    if text[i] == 45 or text[i] == 43:
                        down = text[i] == 45
                        i += 1
                    power = 0
                    seen = False
                    while 48 <= text[i] <= 57 and power < 10000:
                        power = power * 10 + (text[i] - 48)
                        seen = True
                        i += 1
                    if not seen:
                        ok = False
                        break
                    scale += -power if down else power
                if not (text[i] == 32 or text[i] == 9 or text[i] == 10 or text[i] == 13):
                    ok = False
                    break
                if mantissa == 0:
                    value = 0.0
                elif -22 <= scale <= 22 and mantissa < 9007199254740992:
                    # exact: whole number below 2^53 and a power of ten a double holds (Clinger 1990)
                    value = mantissa / powers[-scale] if scale < 0 else mantissa * powers[scale]
                elif -40 <= scale < -22 or (scale < 0 and scale >= -22):
                    # one rounding more than exact: only for over 15 digits, within one unit in the last place
                    value = float(mantissa)
                    s = -scale
                    while s > 22:
                        value /= powers[22]
                        s -= 22
                    value /= powers[s]
                else:
                    ok = False
                    break
                numbers[found] = -value if negative else value
                found += 1
            if not ok:
                break
            for k in range(found):
                if not abs(numbers[k]) <= limit:
                    ok = False
            if texture:
                uv[nvt, 0], uv[nvt, 1] = numbers[0], numbers[1]
                nvt += 1
            elif normal:
                nvn += 1
            else:
                points[nv, 0], points[nv, 1], points[nv, 2] = numbers[0], numbers[1], numbers[2]
                nv += 1
            while text[i] != 10 and text[i] != 13:
                i += 1
        elif c == 102 and (d == 32 or d == 9):
            i += 1
            size = 0
            while True:
                while text[i] == 32 or text[i] == 9:
                    i += 1
                if text[i] == 10 or text[i] == 13:
                    break
                if nc >= n_c:
                    ok = False
                    break
                corner_uv[nc] = -1
                for which in range(3):
                    backwards = text[i] == 45
                    if backwards:
                        i += 1
                    number = np.int64(0)
                    start = i
                    figure = np.uint8(text[i] - zero)
                    while figure <= 9:
                        number = number * 10 + figure
                        i += 1
                        figure = np.uint8(text[i] - zero)
                    if i - start > 12:
                        ok = False
                        break
                    if i == start:
                        if which != 1 or backwards:
                            ok = False
                    else:
                        count = nv if which == 0 else (nvt if which == 1 else nvn)
                        at = count - number if backwards else number - 1
                        if not 0 <= at < count:
                            ok = False
                        elif which == 0:
                            corners[nc] = at
                        elif which == 1:
                            corner_uv[nc] = at
                    if text[i] == 47:
                        i += 1
                        if which == 2:
                            ok = False
                    else:
                        break
                if not ok or not (text[i] == 32 or text[i] == 9 or text[i] == 10 or text[i] == 13):
                    ok = False
                    break
                for m in range(nc - size, nc):
                    if corners[m] == corners[nc]:
                        ok = False  # a point named twice: for the careful reader
                nc += 1
                size += 1
                if size > 64:
                    ok = False
                    break
            if size < 3:
                ok = False
            if ok:
                sizes[nf] = size
                nf += 1
        elif c == 35:
            while text[i] != 10 and text[i] != 13:
                i += 1
        elif (
            ((c == 103 or c == 111 or c == 115) and (d == 32 or d == 9 or d == 10 or d == 13))
            or (c == 117 and d == 115)
            or (c == 109 and d == 116)
        ):
            kind = 1 if c == 117 else 0
            start = i + (6 if c == 117 else 1)
            while text[i] != 10 and text[i] != 13:
                if text[i] == 92:
                    ok = False
                i += 1
            if c == 103 or c == 111 or c == 117:
                if nn >= n_names:
                    ok = False
                else:
                    names[nn, 0], names[nn, 1], names[nn, 2], names[nn, 3] = kind, nf, start, i
                    nn += 1
        else:
            ok = False
    return (
        ok,
        points[:nv].copy(),
        uv[:nvt].copy(),
        corners[:nc].copy(),
        corner_uv[:nc].copy(),
        sizes[:nf].copy(),
        names[:nn].copy(),
    )
