"""A mesh as bytes for the store: plain arrays, no pickles."""

from __future__ import annotations

import io
import json

import numpy as np

from jukai.core.geometry.mesh import Lineage, Mesh
from jukai.core.json_data import JsonObject

__all__ = ["mesh_from_bytes", "mesh_to_bytes"]

_TABLES = ("points", "corners", "offsets", "face_lineage", "face_finish", "face_soft", "uv", "edge_pairs")


def mesh_to_bytes(mesh: Mesh) -> bytes:
    """Return the mesh as a compressed NumPy archive."""
    tables: JsonObject = {name: getattr(mesh, name) for name in _TABLES if getattr(mesh, name) is not None}
    for name, table in mesh.edge_data.items():
        tables[f"edge.{name}"] = table
    for name, table in mesh.point_data.items():
        tables[f"point.{name}"] = table
    head = json.dumps(
        {"lineage": mesh.lineage.rows, "finishes": mesh.finishes, "crease": mesh.crease, "by_area": mesh.by_area}
    )
    out = io.BytesIO()
    np.savez_compressed(out, head=np.frombuffer(head.encode(), np.uint8), **tables)
    return out.getvalue()


def mesh_from_bytes(data: bytes) -> Mesh:
    """Return the mesh of :func:`mesh_to_bytes`."""
    with np.load(io.BytesIO(data), allow_pickle=False) as archive:
        head = json.loads(archive["head"].tobytes().decode())
        tables = {name: archive[name] for name in _TABLES if name in archive}
        edge = {n.removeprefix("edge."): archive[n] for n in archive.files if n.startswith("edge.")}
        point = {n.removeprefix("point."): archive[n] for n in archive.files if n.startswith("point.")}
    rows = tuple((s, g, int(p)) for s, g, p in head["lineage"])
    return Mesh(**tables, lineage=Lineage(rows), finishes=tuple(head["finishes"]), edge_data=edge, point_data=point,
                crease=head.get("crease"), by_area=head.get("by_area", False))  # fmt: skip
