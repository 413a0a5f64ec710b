"""Reading GLB: glTF 2.0 (ISO/IEC 12113) in one binary file, with all that a file may get wrong."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats._glb_container import check_finite, chunks, data_uri, index_of, node_matrix, to_mm, whole_number
from jukai.core.formats.common import (
    MOST_POINTS,
    RawMesh,
    ReadMesh,
    checkpoint,
    finish_reading,
    plural,
    refuse_too_large,
)
from jukai.core.formats.glb import CLEAR, REFRACTS
from jukai.core.geometry.arrays import Array, Floats
from jukai.core.json_data import JsonObject

__all__ = ["read_glb"]

_COMPONENT = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_MOST_PIECES = 100_000
_EXTENSIONS = {"KHR_materials_unlit", "KHR_texture_transform", CLEAR, REFRACTS}


def read_glb(data: bytes) -> ReadMesh:
    """Read the triangles of all nodes of the scene. Pictures and buffers elsewhere are never fetched."""
    doc, blob = chunks(data)
    return _Document(doc, blob, len(data)).read()


class _Document:
    """Checks every reference before it is followed."""

    def __init__(self, doc: dict[str, object], blob: bytes | None, size: int) -> None:
        self.doc, self.blob, self.size = doc, blob, size
        self.notes: list[str] = []
        self.buffers: dict[int, memoryview] = {}
        self.tables = {
            k: self.table(k) for k in ("meshes", "nodes", "scenes", "accessors", "bufferViews", "buffers", "materials")
        }

    def table(self, key: str) -> list[JsonObject]:
        rows = self.doc.get(key, [])
        if not isinstance(rows, list) or not all(isinstance(r, dict) for r in rows):
            raise FileProblem(f"'{key}' must be a list of objects.")
        return rows

    def read(self) -> ReadMesh:
        self.check_asset()
        if not self.tables["meshes"]:
            raise FileProblem("There is no mesh in the file.")
        placed = self.placed()
        pieces: list[tuple[Floats, Array, Array | None, int, int]] = []
        names: dict[str, int] = {}
        self.refuse_too_much(mesh for mesh, _ in placed)
        for done, (mesh, matrix) in enumerate(placed):
            row = self.tables["meshes"][mesh]
            name = str(row.get("name") or f"mesh {mesh}")[:200]
            group = names.setdefault(name, len(names))
            for primitive in self.primitives(mesh):
                checkpoint(done / len(placed))
                piece = self.primitive(mesh, primitive if isinstance(primitive, dict) else {}, matrix)
                if piece is not None:
                    pieces.append((*piece, group))
        if not pieces:
            raise FileProblem("There is no triangle in the file.")
        return self.joined(pieces, list(names))

    def primitives(self, mesh: int) -> list[Any]:
        rows: Any = self.tables["meshes"][mesh].get("primitives")
        if not isinstance(rows, list) or not rows:
            raise FileProblem(f"Mesh {mesh}: primitives are missing.")
        return rows

    def refuse_too_much(self, placed: Iterable[int]) -> None:
        """Refuse what meshes that are placed often, or name the same numbers often, come to, before any is made."""

        def count(number: object) -> int:
            rows = self.tables["accessors"]
            known = isinstance(number, int) and not isinstance(number, bool) and 0 <= number < len(rows)
            of = rows[number].get("count") if known else 0  # type: ignore[call-overload]
            # more than any are refused where they are read, by their name
            return of if isinstance(of, int) and 0 < of <= MOST_POINTS else 0

        pieces = points = triangles = 0
        each: dict[int, tuple[int, int, int]] = {}
        for mesh in placed:
            if mesh not in each:
                drawn: list[Any] = [p for p in self.primitives(mesh) if isinstance(p, dict)]
                of = [p["attributes"].get("POSITION") if isinstance(p.get("attributes"), dict) else None for p in drawn]
                ids = [count(p["indices"]) if "indices" in p else count(o) for p, o in zip(drawn, of, strict=True)]
                modes = [p.get("mode", 4) for p in drawn]
                each[mesh] = (
                    len(drawn),
                    sum(map(count, of)),
                    sum(n // 3 if mode == 4 else n for n, mode in zip(ids, modes, strict=True)),
                )
            more = each[mesh]
            pieces, points, triangles = pieces + more[0], points + more[1], triangles + more[2]
        if pieces > _MOST_PIECES:
            raise FileProblem(f"The scene draws {pieces} pieces; {_MOST_PIECES} are the most.")
        refuse_too_large(self.size, points, triangles)

    def check_asset(self) -> None:
        asset = self.doc.get("asset")
        version = asset.get("version") if isinstance(asset, dict) else None
        if not isinstance(version, str):
            raise FileProblem("asset.version is missing.")
        if not version.startswith("2."):
            raise FileProblem(f"glTF {version[:20]} is not supported; 2.0 is.")
        needed = self.doc.get("extensionsRequired", [])
        for name in needed if isinstance(needed, list) else []:
            if name not in _EXTENSIONS:
                raise FileProblem(f"The file needs the extension {str(name)[:80]}, which is not supported.")

    def placed(self) -> list[tuple[int, Floats]]:
        """Return (mesh, matrix) of every node of the scene that has a mesh."""
        nodes = self.tables["nodes"]
        scenes = self.tables["scenes"]
        parents = np.zeros(len(nodes), dtype=np.int64)
        for i, node in enumerate(nodes):
            children = node.get("children", [])
            for c in children if isinstance(children, list) else []:
                child = index_of(c, len(nodes), f"Node {i}: child")
                if child == i:
                    raise FileProblem("Nodes run in a ring.")
                parents[child] += 1
                if parents[child] > 1:
                    raise FileProblem(f"Node {child} has more than one parent.")
        if scenes:
            which = index_of(self.doc.get("scene", 0), len(scenes), "scene")
            roots = [index_of(r, len(nodes), f"Scene {which}: node") for r in scenes[which].get("nodes", [])]
        elif nodes:
            roots = [i for i in range(len(nodes)) if parents[i] == 0]
            if not roots:
                raise FileProblem("Nodes run in a ring.")
        else:
            self.notes.append("The file has no scene; its meshes are shown as they are.")
            return [(i, np.eye(4)) for i in range(len(self.tables["meshes"]))]
        if not scenes:
            self.notes.append("The file has no scene; its meshes are shown as they are.")
        out = []
        seen: set[int] = set()
        stack = [(r, np.eye(4)) for r in reversed(roots)]
        while stack:
            i, above = stack.pop()
            if i in seen:
                raise FileProblem("Nodes run in a ring.")
            seen.add(i)
            node = nodes[i]
            matrix = above @ node_matrix(node, i)
            if "mesh" in node:
                out.append((index_of(node["mesh"], len(self.tables["meshes"]), f"Node {i}: mesh"), matrix))
            stack.extend((c, matrix) for c in reversed(node.get("children", [])))
        if not out and parents.any() and len(seen) < len(nodes):
            raise FileProblem("Nodes run in a ring.")
        return out

    def primitive(
        self, mesh: int, row: dict[str, object], matrix: Floats
    ) -> tuple[Floats, Array, Array | None, int] | None:
        mode = row.get("mode", 4)
        if mode not in (0, 1, 2, 3, 4, 5, 6):
            raise FileProblem(f"Mesh {mesh}: mode {mode} is unknown.")
        if mode < 4:
            return None
        attributes = row.get("attributes")
        if not isinstance(attributes, dict) or "POSITION" not in attributes:
            raise FileProblem(f"Mesh {mesh}: POSITION is missing.")
        points = self.accessor(attributes["POSITION"])
        if points.shape[1] != 3:
            raise FileProblem(f"Mesh {mesh}: POSITION must be VEC3.")
        points = points.astype(np.float64)
        check_finite(points)
        if "indices" in row:
            ids = self.accessor(row["indices"])
            if ids.dtype.kind == "f" or ids.shape[1] != 1:
                raise FileProblem(f"Mesh {mesh}: indices must be whole numbers.")
            ids = ids[:, 0].astype(np.int64)
            if len(ids) and ids.max() >= len(points):
                raise FileProblem(f"Mesh {mesh}: point {ids.max()}, there are {len(points)}.")
        else:
            ids = np.arange(len(points))
        uv = None
        if "TEXCOORD_0" in attributes:
            uv = self.accessor(attributes["TEXCOORD_0"]).astype(np.float64)
            if uv.shape != (len(points), 2) or not np.isfinite(uv).all():
                uv = None
            else:
                uv = np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1)
        material = -1
        if "material" in row:
            material = index_of(row["material"], len(self.tables["materials"]), f"Mesh {mesh}: material")
        points = to_mm(points, matrix)
        return points, self.triangles(ids, mode), uv, material

    def triangles(self, ids: Array, mode: int) -> Array:
        if mode == 4:
            rest = len(ids) % 3
            if rest:
                self.notes.append(f"{plural(rest, 'index', 'indices')} at the end left out: not a whole triangle.")
            return ids[: len(ids) - rest].reshape(-1, 3)
        k = np.arange(max(len(ids) - 2, 0))
        if mode == 5:
            odd = (k % 2)[:, None]
            return ids[np.where(odd, np.stack([k + 1, k, k + 2], axis=1), np.stack([k, k + 1, k + 2], axis=1))]
        return ids[np.stack([np.zeros_like(k), k + 1, k + 2], axis=1)]

    def accessor(self, number: object) -> Array:
        accessors = self.tables["accessors"]
        i = index_of(number, len(accessors), "accessor")
        row = accessors[i]
        kind, component = row.get("type"), row.get("componentType")
        if kind not in _WIDTH:
            raise FileProblem(f"Accessor {i}: type '{str(kind)[:20]}' is unknown.")
        if component not in _COMPONENT:
            raise FileProblem(f"Accessor {i}: component type {str(component)[:20]} is unknown.")
        count = row.get("count")
        if isinstance(count, bool) or not isinstance(count, int):
            raise FileProblem(f"Accessor {i}: count is no whole number.")
        if count < 1:
            raise FileProblem(f"Accessor {i}: count {count}.")
        if "bufferView" not in row and count > MOST_POINTS:
            raise FileProblem(f"Accessor {i}: {count} points are over the limit of {MOST_POINTS}.")
        dtype, width = np.dtype(_COMPONENT[component]), _WIDTH[kind]
        if "bufferView" in row:
            offset = whole_number(row.get("byteOffset", 0), f"Accessor {i}: offset")
            table = self.strided(i, row["bufferView"], offset, count, dtype, width)
        else:
            table = np.zeros((count, width), dtype)
        if "sparse" in row:
            table = self.sparse(i, row["sparse"], table, dtype, width)
        if row.get("normalized") and dtype.kind in "iu":
            return table / np.iinfo(dtype).max
        return table

    def strided(self, i: int, view: object, offset: int, count: int, dtype: np.dtype[np.generic], width: int) -> Array:
        data, stride = self.view(view)
        element = dtype.itemsize * width
        if offset % dtype.itemsize:
            raise FileProblem(f"Accessor {i}: offset {offset} is not a multiple of {dtype.itemsize}.")
        stride = stride or element
        if stride < element:
            raise FileProblem(f"Accessor {i}: stride {stride} is less than an element of {element} bytes.")
        if offset + stride * (count - 1) + element > len(data):
            raise FileProblem(f"Accessor {i} reaches past its buffer view.")
        flat = np.frombuffer(data, np.uint8)
        rows = np.lib.stride_tricks.as_strided(flat[offset:], (count, element), (stride, 1), writeable=False)
        return np.ascontiguousarray(rows).view(dtype).reshape(count, width)

    def sparse(self, i: int, row: JsonObject, table: Array, dtype: np.dtype[np.generic], width: int) -> Array:
        try:
            count = whole_number(row["count"], f"Accessor {i}: sparse count", 1)
            ids_row, values_row = row["indices"], row["values"]
            ids_type = np.dtype(_COMPONENT[ids_row["componentType"]])
            ids_data, _ = self.view(ids_row["bufferView"])
            values_data, _ = self.view(values_row["bufferView"])
            at, value_at = (
                whole_number(r.get("byteOffset", 0), f"Accessor {i}: sparse offset") for r in (ids_row, values_row)
            )
        except (KeyError, TypeError, AttributeError):
            raise FileProblem(f"Accessor {i}: its sparse part is broken.") from None
        if at + count * ids_type.itemsize > len(ids_data) or value_at + count * dtype.itemsize * width > len(
            values_data
        ):
            raise FileProblem(f"Accessor {i}: sparse values reach past their buffer view.")
        ids = np.frombuffer(ids_data, ids_type, count, at).astype(np.int64)
        if ids.max() >= len(table):
            raise FileProblem(f"Accessor {i}: sparse values reach past its {len(table)} elements.")
        out = table.copy()
        out[ids] = np.frombuffer(values_data, dtype, count * width, value_at).reshape(count, width)
        return out

    def view(self, number: object) -> tuple[memoryview, int]:
        views = self.tables["bufferViews"]
        i = index_of(number, len(views), "buffer view")
        row = views[i]
        buffer = self.buffer(row.get("buffer"))
        offset = row.get("byteOffset", 0)
        if isinstance(offset, bool) or not isinstance(offset, int) or offset < 0:
            raise FileProblem(f"Buffer view {i}: offset {offset}.")
        length = whole_number(row.get("byteLength"), f"Buffer view {i}: length", 1)
        stride = row.get("byteStride", 0)
        if stride and not (isinstance(stride, int) and 4 <= stride <= 252):
            raise FileProblem(f"Buffer view {i}: stride {stride}; 4 to 252 are allowed.")
        if offset + length > len(buffer):
            raise FileProblem(f"Buffer view {i} reaches past its buffer.")
        return buffer[offset : offset + length], stride or 0

    def buffer(self, number: object) -> memoryview:
        rows = self.tables["buffers"]
        i = index_of(number, len(rows), "buffer")
        if i in self.buffers:
            return self.buffers[i]
        row = rows[i]
        said = whole_number(row.get("byteLength"), f"Buffer {i}: length", 1)
        uri = row.get("uri")
        if uri is None:
            if self.blob is None or i != 0:
                raise FileProblem(f"Buffer {i} has no data.")
            held = self.blob
        else:
            held = data_uri(uri, i)
        if said > len(held):
            raise FileProblem(f"Buffer {i} says {said} bytes, the file holds {len(held)}.")
        self.buffers[i] = memoryview(held)[:said]
        return self.buffers[i]

    def joined(self, pieces: list[tuple[Floats, Array, Array | None, int, int]], names: list[str]) -> ReadMesh:
        shift = np.cumsum([0, *(len(p[0]) for p in pieces)])
        triangles = np.concatenate([p[1] + s for p, s in zip(pieces, shift, strict=False)])
        counts = [len(p[1]) for p in pieces]
        finishes = [str(m.get("name") or f"material {i}")[:200] for i, m in enumerate(self.tables["materials"])]
        corners = triangles.astype(np.int32).ravel()
        uv = None
        if all(p[2] is not None for p in pieces):
            uv = np.concatenate([p[2] for p in pieces])[corners]
        raw = RawMesh(
            np.concatenate([p[0] for p in pieces]), corners, np.arange(0, len(corners) + 1, 3, dtype=np.int32), uv, tuple(names),
            np.repeat(np.array([p[4] for p in pieces], np.int32), counts), tuple(finishes),
            np.repeat(np.array([p[3] for p in pieces], np.int32), counts), self.notes,
        )  # fmt: skip
        return finish_reading(raw, merge=True, has_units=True)
