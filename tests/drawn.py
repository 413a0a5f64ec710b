"""Drawing data read back, as the page reads it (layout: core/geometry/view.py)."""

from __future__ import annotations

import json
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.view import view_bytes


@dataclass(frozen=True)
class Drawn:
    """What the page draws a body from, one row a vertex unless said otherwise."""

    closed: bool
    origin: np.ndarray
    position: np.ndarray
    normal: np.ndarray
    """(v, 4), the fourth the finish"""
    edge: np.ndarray
    face: np.ndarray
    triangles: np.ndarray
    triangle_face: np.ndarray
    sharp: np.ndarray
    """(s, 2, 3)"""
    face_lineage: np.ndarray
    lineage: list[list[object]]
    finishes: list[str]
    form: bytes
    form_length: int


def drawn(mesh: Mesh) -> Drawn:
    """Return what the page would draw of a mesh."""
    return read_view(view_bytes(mesh))


def read_view(data: bytes) -> Drawn:
    """Return the drawing data in these bytes, expanded."""
    head = np.frombuffer(data, "<u4", 12)
    assert data[:4] == b"JKV2"
    v, t, f, p, s, text, names = (int(x) for x in head[1:8])
    form = data[48:64]
    at = 64

    def take(kind: str, *shape: int) -> np.ndarray:
        nonlocal at
        found = np.frombuffer(data, kind, int(np.prod(shape)), at).reshape(shape)
        at += found.nbytes
        return found

    triangles, triangle_face = take("<u4", t, 3), take("<u4", t)
    face, point, fan = take("<u4", v), take("<u4", v), take("<u4", v)
    sharp, face_lineage, edge = take("<u4", s, 2), take("<i4", f), take("u1", v, 4)
    lineage = json.loads(data[at : at + text] or b"[]")
    finishes = json.loads(data[at + text : at + text + names] or b"[]")
    at += text + names
    assert not data[at : at + -at % 8].strip()
    at += -at % 8
    length = at
    magic, points, fans, closed = take("<u4", 4).tolist()
    assert (magic.to_bytes(4, "little"), points) == (b"JKP2", p)
    assert take("u1", 16).tobytes() == form
    origin, position, normal = take("<f8", 3), take("<f4", p, 3), take("i1", fans, 4)
    assert not data[at:].strip()
    assert len(data) % 8 == 0
    normals = normal[fan].copy()
    normals[:, 3] = edge[:, 3]
    edges = edge.copy()
    edges[:, 3] = 0
    return Drawn(closed == 1, origin, position[point], normals, edges, face, triangles, triangle_face, position[sharp], face_lineage,
                 lineage, finishes, form, length)  # fmt: skip
