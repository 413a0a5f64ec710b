"""3MF (3MF Consortium, core specification 1.3): a zip with a model of triangles, units and materials."""

from __future__ import annotations

import io
import math
import re
import zipfile
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any
from xml.etree import ElementTree as ET

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats.common import (
    MOST_POINTS,
    NUMBER,
    RawMesh,
    ReadMesh,
    WriteOptions,
    check_points,
    finish_reading,
    plural,
)
from jukai.core.geometry.arrays import Array, Floats, Ints
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.triangulation import triangulate
from jukai.core.xml import attribute

__all__ = ["ThreemfPart", "read_threemf", "write_threemf"]

_CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
_TYPE = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"
_RELATIONS = "http://schemas.openxmlformats.org/package/2006/relationships"
_CONTENT = "http://schemas.openxmlformats.org/package/2006/content-types"
_UNITS = {"micron": 0.001, "millimeter": 1.0, "centimeter": 10.0, "inch": 25.4, "foot": 304.8, "meter": 1000.0}
_UNIT_NAMES = {"mm": "millimeter", "cm": "centimeter", "m": "meter", "in": "inch"}
_MOST_TEXT = 600_000_000
_MOST_DEPTH = 16
_MOST_PIECES = 10_000
_TOO_DEEP = f"The objects of the file hold each other in a circle, or more than {_MOST_DEPTH} deep."
_WORD = NUMBER.pattern.decode()


@dataclass(slots=True)
class _Object:
    """An object of the model: a mesh of its own, or other objects placed."""

    name: str
    points: Any = None
    triangles: Any = None
    finish: Ints | None = None
    components: list[tuple[str, Floats]] = field(default_factory=list)


# -- reading ------------------------------------------------------------------------------------
def read_threemf(data: bytes) -> ReadMesh:
    """Read the parts that a 3MF file builds, in mm and Z up; base materials become finishes."""
    model = _model(data)
    root = _parsed(model)
    if root.tag != f"{{{_CORE}}}model":
        raise FileProblem("The model of the file is no 3MF model.")
    if root.get("requiredextensions"):
        raise FileProblem(
            f"The file needs the extension '{root.get('requiredextensions', '')[:40]}', which is not supported."
        )
    unit = root.get("unit", "millimeter")
    if unit not in _UNITS:
        raise FileProblem(f"Unknown unit '{unit[:40]}'.", hint=f"Known: {', '.join(_UNITS)}.")
    materials, finishes = _materials(root)
    objects = {str(o.get("id")): _object(o, materials) for o in root.iter(_tag("object"))}
    if not objects:
        raise FileProblem("There is no object in the file.")
    notes: list[str] = []
    items = [(str(i.get("objectid")), _matrix(i.get("transform"))) for i in root.iter(_tag("item"))]
    if not items:
        inner = {c for o in objects.values() for c, _ in o.components}
        items = [(name, np.eye(4)) for name in objects if name not in inner]
        notes.append("The file says nothing of what to build: all of its objects are taken.")
    counted: dict[str, _Count] = {}
    _refuse_too_much(sum((_count(objects, name, counted, ()) for name, _ in items), _Count()))
    pieces: list[tuple[_Object, Floats]] = []
    for name, matrix in items:
        _collect(objects, name, matrix, pieces, counted)
    return _joined(pieces, finishes, _UNITS[unit], notes)


def _tag(name: str) -> str:
    return f"{{{_CORE}}}{name}"


def _model(data: bytes) -> bytes:
    """Return the text of the model in the package."""
    if not data:
        raise FileProblem("The file is empty.")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as z:
            names = z.namelist()
            target = _target(z) if "_rels/.rels" in names else None
            name = target if target in names else next((n for n in names if n.lower().endswith(".model")), None)
            if name is None:
                raise FileProblem("This is a zip, but there is no 3MF model in it.")
            return _unpacked(z, name, _MOST_TEXT)
    except zipfile.BadZipFile:
        raise FileProblem("This is no 3MF file: it is no zip, or a broken one.") from None
    except (RuntimeError, EOFError, OSError, ValueError, KeyError, zlib.error) as e:
        raise FileProblem(f"The zip of the file can't be read: {str(e)[:80]}.") from None


def _unpacked(z: zipfile.ZipFile, name: str, most: int) -> bytes:
    if z.getinfo(name).compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
        raise FileProblem("The zip of the file is packed in a way that 3MF does not allow.")
    with z.open(name) as f:
        text = f.read(most + 1)
    if len(text) > most:
        raise FileProblem(f"Unpacked, the model has more than {most // 1_000_000} MB.")
    return text


def _target(z: zipfile.ZipFile) -> str | None:
    """Return the name of the model that the package points to."""
    for row in _parsed(_unpacked(z, "_rels/.rels", 1_000_000)):
        if row.get("Type") == _TYPE:
            return str(row.get("Target", "")).lstrip("/")
    return None


def _parsed(text: bytes) -> ET.Element:
    if re.search(rb"<!\s*(DOCTYPE|ENTITY)", text, re.IGNORECASE):
        raise FileProblem("The model declares a document type; 3MF allows none.")
    try:
        return ET.fromstring(text)  # noqa: S314 - entities are refused above and by the size
    except ET.ParseError as e:
        line, column = e.position
        raise FileProblem(f"The model is no XML: line {line}, column {column + 1}.") from None


def _materials(root: ET.Element) -> tuple[dict[str, list[int]], list[str]]:
    """Return for each list of base materials the numbers of its finishes, and their names."""
    names: list[str] = []
    out: dict[str, list[int]] = {}
    for group in root.iter(_tag("basematerials")):
        row = out.setdefault(str(group.get("id")), [])
        for base in group.iter(_tag("base")):
            name = str(base.get("name") or "default").strip()[:200] or "default"
            if name not in names:
                names.append(name)
            row.append(names.index(name))
    return out, names


def _object(o: ET.Element, materials: dict[str, list[int]]) -> _Object:
    number = str(o.get("id"))
    out = _Object(str(o.get("name") or f"object {number}").strip()[:200] or f"object {number}")
    where = f"Object {number[:20]}"
    mesh = o.find(_tag("mesh"))
    if mesh is None:
        for c in o.iter(_tag("component")):
            out.components.append((str(c.get("objectid")), _matrix(c.get("transform"))))
        return out
    vertices = mesh.find(_tag("vertices"))
    triangles = mesh.find(_tag("triangles"))
    if vertices is None or triangles is None or len(triangles) == 0:
        raise FileProblem(f"{where} has no triangles.")
    if len(vertices) > MOST_POINTS:
        raise FileProblem(f"{where} has {len(vertices)} points; {MOST_POINTS} are the most.")
    out.points = _numbers(vertices, ("x", "y", "z"), where, "point", np.float64)
    out.triangles = _numbers(triangles, ("v1", "v2", "v3"), where, "triangle", np.int64)
    bad = (out.triangles < 0) | (out.triangles >= len(out.points))
    if bad.any():
        row, k = np.argwhere(bad)[0]
        raise FileProblem(
            f"{where}, triangle {row + 1}: point {out.triangles[row, k]}, there are 0 to {len(out.points) - 1}."
        )
    if materials:
        own = _finish(materials, o.get("pid"), o.get("pindex"))
        rows = [
            own if t.get("p1") is None else _finish(materials, t.get("pid") or o.get("pid"), t.get("p1"))
            for t in triangles
        ]
        out.finish = np.array(rows, dtype=np.int32)
    return out


def _finish(materials: dict[str, list[int]], pid: str | None, index: str | None) -> int:
    row = materials.get(pid or "", [])
    k = int(index) if index is not None and index.isdigit() else 0
    return row[k] if k < len(row) else -1


def _numbers(rows: ET.Element, keys: Sequence[str], where: str, what: str, kind: type) -> Array:
    try:
        words = [row.attrib[k] for row in rows for k in keys]
        return np.array([float(w) if kind is np.float64 else int(w) for w in words], dtype=kind).reshape(-1, len(keys))
    except (KeyError, ValueError, OverflowError):
        for i, row in enumerate(rows, 1):
            for k in keys:
                word = row.get(k)
                if word is None:
                    raise FileProblem(f"{where}, {what} {i}: '{k}' is missing.") from None
                if not re.fullmatch(_WORD if kind is np.float64 else r"-?\d{1,12}", word):
                    raise FileProblem(f"{where}, {what} {i}: '{word[:40]}' is no number.") from None
        raise FileProblem(f"{where}: a number of a {what} can't be read.") from None


def _matrix(text: str | None) -> Floats:
    """Return the (4, 4) matrix of a transform, which is written by columns of a matrix for column vectors."""
    if text is None:
        return np.eye(4)
    words = text.split()
    if len(words) != 12 or not all(re.fullmatch(_WORD, w) for w in words):
        raise FileProblem(f"The transform '{text[:60]}' is no list of 12 numbers.")
    out = np.eye(4)
    out[:3, :] = np.array([float(w) for w in words]).reshape(4, 3).T
    if not np.isfinite(out).all():
        raise FileProblem(f"The transform '{text[:60]}' is not finite.")
    return out


@dataclass(frozen=True, slots=True)
class _Count:
    """What an object comes to, with all that it is made of, each as often as it is placed."""

    pieces: int = 0
    points: int = 0
    triangles: int = 0
    deep: int = 0

    def __add__(self, other: _Count) -> _Count:
        return _Count(
            self.pieces + other.pieces, self.points + other.points, self.triangles + other.triangles, max(self.deep, other.deep)
        )  # fmt: skip


def _count(objects: dict[str, _Object], name: str, counted: dict[str, _Count], within: tuple[str, ...]) -> _Count:
    """Return what an object comes to; each is counted once, however often it is placed, and nothing is made."""
    if name in within or len(within) > _MOST_DEPTH:
        raise FileProblem(_TOO_DEEP)
    if name in counted:
        return counted[name]
    found = objects.get(name)
    if found is None:
        raise FileProblem(f"Object '{name[:40]}' is built, but is not there.")
    own = _Count() if found.points is None else _Count(1, len(found.points), len(found.triangles))
    for inner, _ in found.components:
        own += _count(objects, inner, counted, (*within, name))
    if own.deep >= _MOST_DEPTH:  # what it holds may have been counted before it
        raise FileProblem(_TOO_DEEP)
    counted[name] = own = replace(own, deep=own.deep + 1)
    return own


def _refuse_too_much(total: _Count) -> None:
    for number, most, what in (
        (total.pieces, _MOST_PIECES, "pieces"), (total.points, MOST_POINTS, "points"), (total.triangles, 2 * MOST_POINTS, "triangles"),
    ):  # fmt: skip
        if number > most:
            # of numbers beyond all sense the size is enough
            told = f"{number}" if number < 10**15 else f"over 10^{len(str(number)) - 1}"
            raise FileProblem(f"The file builds {told} {what}; {most} are the most.")


def _collect(
    objects: dict[str, _Object],
    name: str,
    matrix: Floats,
    pieces: list[tuple[_Object, Floats]],
    counted: dict[str, _Count],
) -> None:
    found = objects[name]
    if found.points is not None:
        pieces.append((found, matrix))
    for inner, own in found.components:
        if counted[inner].pieces:
            _collect(objects, inner, matrix @ own, pieces, counted)


def _joined(pieces: list[tuple[_Object, Floats]], finishes: list[str], unit: float, notes: list[str]) -> ReadMesh:
    if not pieces:
        raise FileProblem("The file builds nothing that has triangles.")
    points, corners, groups, face_group, face_finish = [], [], [], [], []
    first = 0
    for found, matrix in pieces:
        triangles = found.triangles
        if np.linalg.det(matrix[:3, :3]) < 0:
            triangles = triangles[:, ::-1]
        placed = found.points if (matrix == np.eye(4)).all() else found.points @ matrix[:3, :3].T + matrix[:3, 3]
        points.append(placed)
        corners.append(triangles + first)
        first += len(found.points)
        if found.name not in groups:
            groups.append(found.name)
        face_group.append(np.full(len(triangles), groups.index(found.name), np.int32))
        face_finish.append(np.full(len(triangles), -1, np.int32) if found.finish is None else found.finish)
    all_points = np.concatenate(points)
    if unit != 1.0:
        all_points = all_points * unit
    all_corners = np.concatenate(corners).astype(np.int32).reshape(-1)
    raw = RawMesh(
        all_points, all_corners, np.arange(0, len(all_corners) + 1, 3, dtype=np.int32), groups=tuple(groups),
        face_group=np.concatenate(face_group), finishes=tuple(finishes),
        face_finish=np.concatenate(face_finish) if finishes else None, notes=notes,
    )  # fmt: skip
    if len(pieces) > 1:
        raw.notes.append(f"{plural(len(pieces), 'piece')} put together.")
    return finish_reading(raw, merge=False, has_units=True, explain=lambda: check_points(all_points))


# -- writing ------------------------------------------------------------------------------------
@dataclass(frozen=True, slots=True, eq=False)
class ThreemfPart:
    """A part to be written: its mesh on the bench, the finish of its own and those of single faces, as numbers."""

    name: str
    mesh: Mesh
    finish: int = -1
    finishes: tuple[int, ...] = ()


def write_threemf(parts: Sequence[ThreemfPart], finishes: Sequence[tuple[str, str]], options: WriteOptions) -> bytes:
    """Write parts as objects of one model; ``finishes`` are (name, ``#rrggbb``). The same parts give the same bytes."""
    out = [f'<?xml version="1.0" encoding="UTF-8"?>\n<model unit="{_UNIT_NAMES[options.unit]}" xml:lang="en-GB" xmlns="{_CORE}">\n',
           '<metadata name="Application">Jukai</metadata>\n<resources>\n']  # fmt: skip
    if finishes:
        bases = "".join(f'<base name={attribute(name)} displaycolor="{colour.upper()}"/>' for name, colour in finishes)
        out.append(f'<basematerials id="1">{bases}</basematerials>\n')
    for i, part in enumerate(parts, 2):
        out += _written(part, i, options)
    items = "".join(f'<item objectid="{i}"/>' for i in range(2, len(parts) + 2))
    out.append(f"</resources>\n<build>{items}</build>\n</model>\n")
    return _package("".join(out).encode())


def _written(part: ThreemfPart, number: int, options: WriteOptions) -> list[str]:
    mesh = part.mesh
    tri = triangulate(mesh)
    points = options.transform(mesh.points)
    looks = np.array([*part.finishes, part.finish], dtype=np.int64)
    rows = None if mesh.face_finish is None else looks[mesh.face_finish][tri.faces]
    own = f' pid="1" pindex="{part.finish}"' if part.finish >= 0 else ""
    if rows is not None and part.finish < 0 and (rows >= 0).any():
        own = f' pid="1" pindex="{int(rows[rows >= 0][0])}"'
    vertices = [f'<vertex x="{_text(x)}" y="{_text(y)}" z="{_text(z)}"/>\n' for x, y, z in points.tolist()]
    corners = np.asarray(tri.points(mesh)).reshape(-1, 3).tolist()
    if rows is None:
        faces = [f'<triangle v1="{a}" v2="{b}" v3="{c}"/>\n' for a, b, c in corners]
    else:
        faces = [_triangle(a, b, c, k) for (a, b, c), k in zip(corners, rows.tolist(), strict=True)]
    return [f'<object id="{number}" type="model" name={attribute(part.name)}{own}><mesh>\n<vertices>\n', *vertices, "</vertices>\n<triangles>\n",
            *faces, "</triangles>\n</mesh></object>\n"]  # fmt: skip


def _triangle(a: int, b: int, c: int, finish: int) -> str:
    look = f' pid="1" p1="{finish}"' if finish >= 0 else ""
    return f'<triangle v1="{a}" v2="{b}" v3="{c}"{look}/>\n'


def _text(x: float) -> str:
    return str(int(x)) if x == math.floor(x) and abs(x) < 1e15 else repr(x)


def _package(model: bytes) -> bytes:
    head = '<?xml version="1.0" encoding="UTF-8"?>\n'
    types = (
        f'{head}<Types xmlns="{_CONTENT}"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
    )
    relations = f'{head}<Relationships xmlns="{_RELATIONS}"><Relationship Target="/3D/3dmodel.model" Id="rel0" Type="{_TYPE}"/></Relationships>'
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        for name, body in (
            ("[Content_Types].xml", types.encode()),
            ("_rels/.rels", relations.encode()),
            ("3D/3dmodel.model", model),
        ):
            z.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), body, zipfile.ZIP_DEFLATED)
    return out.getvalue()
