"""GLB: glTF 2.0 (ISO/IEC 12113) in one binary file. Metres and Y up in the file, mm and Z up here."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from jukai.core.geometry.arrays import Array
from jukai.core.geometry.kernels import FEW
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.normals import smooth_fans
from jukai.core.geometry.triangulation import triangulate
from jukai.core.json_data import JsonObject

__all__ = ["CLEAR", "REFRACTS", "GlbMaterial", "GlbPart", "write_glb"]

CLEAR = "KHR_materials_transmission"
REFRACTS = "KHR_materials_ior"


@dataclass(frozen=True, slots=True)
class GlbMaterial:
    """A glTF metal/roughness material; ``colour`` is #rrggbb, ``clear`` its transmission and ``refraction`` its index."""

    name: str
    colour: str = "#b9b4a8"
    metal: float = 0.0
    roughness: float = 0.5
    clear: float = 0.0
    refraction: float = 1.5

    @property
    def extensions(self) -> dict[str, object]:
        """What glTF says of it by extensions; an index of 1.5 is what it takes where none is given."""
        out: dict[str, object] = {}
        if self.clear:
            out[CLEAR] = {"transmissionFactor": self.clear}
            if self.refraction != 1.5:
                out[REFRACTS] = {"ior": self.refraction}
        return out


@dataclass(frozen=True, slots=True, eq=False)
class GlbPart:
    """A named mesh in mm and Z up, with its own finish (an index of the materials, -1 for none).

    ``face_materials`` are the materials of the finishes that single faces have.
    """

    name: str
    mesh: Mesh
    material: int = -1
    face_materials: tuple[int, ...] = ()


class _Blob:
    """Collects the binary chunk."""

    def __init__(self) -> None:
        self.parts: list[object] = []
        self.length = 0
        self.views: list[dict[str, object]] = []
        self.accessors: list[dict[str, object]] = []

    def add(self, table: Any, kind: str, component: int, target: int, *, bounds: bool = False) -> int:
        body = np.ascontiguousarray(table)
        pad = -body.nbytes % 4
        self.parts += [body.data, b"\0" * pad]
        self.views.append({"buffer": 0, "byteOffset": self.length, "byteLength": body.nbytes, "target": target})
        self.length += body.nbytes + pad
        row: dict[str, object] = {
            "bufferView": len(self.views) - 1,
            "componentType": component,
            "count": len(table),
            "type": kind,
        }
        if bounds:
            row |= {k: [float(f(column)) for column in table.T] for k, f in (("min", np.min), ("max", np.max))}
        self.accessors.append(row)
        return len(self.accessors) - 1


def write_glb(parts: Sequence[GlbPart], materials: Sequence[GlbMaterial]) -> bytes:
    """Write parts as GLB: triangles, normals that stay apart at sharp edges, texture coordinates, materials.

    Corners of one point are shared in the file where normal and texture coordinate agree.
    """
    blob = _Blob()
    meshes: list[JsonObject] = []
    nodes: list[JsonObject] = []
    for part in parts:
        primitives = _primitives(blob, part)
        if primitives:
            nodes.append({"name": part.name, "mesh": len(meshes)})
            meshes.append({"name": part.name, "primitives": primitives})
    doc: dict[str, object] = {
        "asset": {"version": "2.0", "generator": "Jukai"},
        "scene": 0,
        "scenes": [{"nodes": list(range(len(nodes)))}] if nodes else [{}],
    }
    if nodes:
        doc |= {
            "nodes": nodes,
            "meshes": meshes,
            "accessors": blob.accessors,
            "bufferViews": blob.views,
            "buffers": [{"byteLength": blob.length}],
        }
    used = sorted({p["material"] for m in meshes for p in m["primitives"] if "material" in p})
    if used:
        for m in meshes:
            for p in m["primitives"]:
                if "material" in p:
                    p["material"] = used.index(p["material"])
        doc["materials"] = [_material(materials[i]) for i in used]
        extensions = sorted({name for i in used for name in materials[i].extensions}, reverse=True)
        if extensions:
            doc["extensionsUsed"] = extensions
    text = json.dumps(doc, separators=(",", ":"), ensure_ascii=False).encode()
    text += b" " * (-len(text) % 4)
    pieces: list[Any] = [len(text).to_bytes(4, "little") + b"JSON" + text]
    if nodes:
        pieces += [blob.length.to_bytes(4, "little") + b"BIN\0", *blob.parts]
    size = 12 + len(pieces[0]) + (8 + blob.length if nodes else 0)
    return b"".join([b"glTF" + (2).to_bytes(4, "little") + size.to_bytes(4, "little"), *pieces])


def _material(m: GlbMaterial) -> dict[str, object]:
    # colours are written linear (IEC 61966-2-1)
    channels = [int(m.colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [round(c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4, 6) for c in channels]
    extra: dict[str, object] = {"extensions": m.extensions} if m.extensions else {}
    return extra | {
        "name": m.name,
        "pbrMetallicRoughness": {
            "baseColorFactor": [*linear, 1.0],
            "metallicFactor": m.metal,
            "roughnessFactor": m.roughness,
        },
    }


def _primitives(blob: _Blob, part: GlbPart) -> list[dict[str, object]]:
    mesh = part.mesh
    tri = triangulate(mesh)
    if len(tri.faces) == 0:
        return []
    vertex, first, fan = _shared_corners(mesh)
    position, normal, uv = _vertices(mesh, first, fan)
    attributes = {"POSITION": blob.add(position, "VEC3", 5126, 34962, bounds=True)}
    attributes["NORMAL"] = blob.add(normal, "VEC3", 5126, 34962)
    if uv is not None:
        attributes["TEXCOORD_0"] = blob.add(uv, "VEC2", 5126, 34962)
    whole = mesh.n_faces == len(tri.faces)  # triangles all: the corners are in order
    ids = (vertex.reshape(-1, 3) if whole else vertex[tri.corners]).astype("<u2" if len(first) < 65_536 else "<u4")
    finish = None if mesh.face_finish is None else mesh.face_finish[tri.faces]
    out = []
    for f in [-1] if finish is None else np.unique(finish).tolist():
        rows = ids if finish is None or (finish == f).all() else ids[finish == f]
        indices = blob.add(rows.reshape(-1, 1), "SCALAR", 5123 if rows.dtype.itemsize == 2 else 5125, 34963)
        row: dict[str, object] = {"attributes": dict(attributes), "indices": indices}
        material = part.face_materials[f] if 0 <= f < len(part.face_materials) else part.material
        if material >= 0:
            row["material"] = material
        out.append(row)
    return out


def _vertices(mesh: Mesh, first: Array, fan: Array) -> tuple[object, object, object]:
    """Return float32 positions (metres, Y up), normals and texture coordinates of the corners ``first``."""
    normals = smooth_fans(mesh).normals
    if len(mesh.corners) > FEW:
        from jukai.core.formats._glb_fast import vertices

        position, normal = vertices(mesh.points, mesh.corners, first, normals, fan)
    else:
        points, n = mesh.points[mesh.corners[first]], normals[fan]
        position = np.stack([points[:, 0], points[:, 2], -points[:, 1]], axis=1) / 1000 + 0.0
        n = np.where(np.asarray(n.any(axis=1))[:, None], n, [0.0, 0.0, 1.0])
        normal = np.stack([n[:, 0], n[:, 2], -n[:, 1]], axis=1) + 0.0
    uv = None
    if mesh.uv is not None:
        own = mesh.uv[first]
        uv = np.stack([own[:, 0], 1 - own[:, 1]], axis=1).astype("<f4")
    return position.astype("<f4"), normal.astype("<f4"), uv


def _shared_corners(mesh: Mesh) -> tuple[Array, Array, Array]:
    """Return (c,) the vertex of each corner, and a corner and the fan of each vertex.

    Corners share a vertex where point, normal and texture coordinate are the same.
    """
    fans = smooth_fans(mesh)
    if mesh.uv is None:
        return fans.of_corner, fans.first, np.arange(len(fans.first), dtype=np.int32)
    if len(mesh.corners) > FEW:
        from jukai.core.formats._glb_fast import share_corners

        return share_corners(fans.of_corner, mesh.uv, len(fans.first))
    order = np.lexsort((mesh.uv[:, 1], mesh.uv[:, 0], fans.of_corner))
    fan, uv = fans.of_corner[order], mesh.uv[order]
    new = np.ones(len(order), dtype=bool)
    new[1:] = (fan[1:] != fan[:-1]) | (uv[1:] != uv[:-1]).any(axis=1)
    vertex = np.zeros(len(order), dtype=np.int32)
    vertex[order] = np.cumsum(new) - 1
    return vertex, order[new], fan[new]
