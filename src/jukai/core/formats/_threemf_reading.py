"""Reading 3MF (3MF Consortium, core specification 1.3): what its model builds, put together."""

from __future__ import annotations

import io
import re
import zipfile
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, replace
from xml.etree import ElementTree as ET

import numpy as np

from jukai.core.errors import FileProblem
from jukai.core.formats._threemf_events import Object, ThreemfModel, parse
from jukai.core.formats.common import (
    RawMesh,
    ReadMesh,
    check_points,
    finish_reading,
    most_points,
    plural,
    refuse_too_large,
)
from jukai.core.formats.threemf import MODEL_TYPE
from jukai.core.geometry.arrays import Floats, Ints

__all__ = ["read_threemf"]

_UNITS = {"micron": 0.001, "millimeter": 1.0, "centimeter": 10.0, "inch": 25.4, "foot": 304.8, "meter": 1000.0}
_MOST_TEXT = 600_000_000
_BLOCK = 1 << 20
_MOST_DEPTH = 16
_MOST_PIECES = 10_000
_TOO_DEEP = f"The objects of the file hold each other in a circle, or more than {_MOST_DEPTH} deep."


def read_threemf(data: bytes) -> ReadMesh:
    """Read the parts that a 3MF file builds, in mm and Z up; base materials become finishes."""
    model = _model(data)
    if model.head.get("requiredextensions"):
        raise FileProblem(
            f"The file needs the extension '{model.head['requiredextensions'][:40]}', which is not supported."
        )
    unit = model.head.get("unit", "millimeter")
    if unit not in _UNITS:
        raise FileProblem(f"Unknown unit '{unit[:40]}'.", hint=f"Known: {', '.join(_UNITS)}.")
    objects, items = model.objects, model.items
    if not objects:
        raise FileProblem("There is no object in the file.")
    notes: list[str] = []
    if not items:
        inner = {c for o in objects.values() for c, _ in o.components}
        items = [(name, np.eye(4)) for name in objects if name not in inner]
        notes.append("The file says nothing of what to build: all of its objects are taken.")
    counted: dict[str, _Count] = {}
    _refuse_too_much(sum((_count(objects, name, counted, ()) for name, _ in items), _Count()), len(data))
    pieces: list[tuple[Object, Floats]] = []
    for name, matrix in items:
        _collect(objects, name, matrix, pieces, counted)
    return _joined(pieces, _Looks(model), _UNITS[unit], notes)


def _model(data: bytes) -> ThreemfModel:
    """Read the model in the package."""
    if not data:
        raise FileProblem("The file is empty.")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as z:
            names = z.namelist()
            target = _target(z) if "_rels/.rels" in names else None
            name = target if target in names else next((n for n in names if n.lower().endswith(".model")), None)
            if name is None:
                raise FileProblem("This is a zip, but there is no 3MF model in it.")
            size = min(z.getinfo(name).file_size, _MOST_TEXT)
            return parse(_unpacked(z, name, _MOST_TEXT), size, most_points(len(data)))
    except zipfile.BadZipFile:
        raise FileProblem("This is no 3MF file: it is no zip, or a broken one.") from None
    except (RuntimeError, EOFError, OSError, ValueError, KeyError, zlib.error) as e:
        raise FileProblem(f"The zip of the file can't be read: {str(e)[:80]}.") from None


def _unpacked(z: zipfile.ZipFile, name: str, most: int) -> Iterator[bytes]:
    """Yield an entry of the package, a block at a time."""
    if z.getinfo(name).compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
        raise FileProblem("The zip of the file is packed in a way that 3MF does not allow.")
    size = 0
    with z.open(name) as f:
        while block := f.read(_BLOCK):
            size += len(block)
            if size > most:
                raise FileProblem(f"Unpacked, the model has more than {most // 1_000_000} MB.")
            yield block


def _target(z: zipfile.ZipFile) -> str | None:
    """Return the name of the model that the package points to."""
    text = b"".join(_unpacked(z, "_rels/.rels", 1_000_000))
    if re.search(rb"<!\s*(DOCTYPE|ENTITY)", text, re.IGNORECASE):
        raise FileProblem("The relations of the file declare a document type; 3MF allows none.")
    try:
        rows = ET.fromstring(text)  # noqa: S314 - entities are refused above and by the size
    except ET.ParseError as e:
        line, column = e.position
        raise FileProblem(f"The relations of the file are no XML: line {line}, column {column + 1}.") from None
    for row in rows:
        if row.get("Type") == MODEL_TYPE:
            return str(row.get("Target", "")).lstrip("/")
    return None


class _Looks:
    """The finishes that a model's lists of base materials hold, and which of them a look is."""

    def __init__(self, model: ThreemfModel) -> None:
        numbers: dict[str, int] = {}
        self._lists = {
            key: [numbers.setdefault(name, len(numbers)) for name in names] for key, names in model.materials.items()
        }
        self.names = tuple(numbers)
        self._of = np.array([self._number(*look) for look in model.looks], dtype=np.int32)

    def _number(self, key: str | None, index: str | None) -> int:
        row = self._lists.get(key or "", [])
        k = int(index) if index is not None and re.fullmatch(r"\d{1,9}", index) else 0
        return row[k] if k < len(row) else -1

    def of(self, o: Object) -> Ints:
        """Return the finish of each triangle of an object, -1 for none."""
        own = self._number(*o.own_look)
        return (
            np.where(o.looks >= 0, self._of[o.looks], own).astype(np.int32)
            if len(self._of)
            else np.full(len(o.looks), own, np.int32)
        )


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


def _count(objects: dict[str, Object], name: str, counted: dict[str, _Count], within: tuple[str, ...]) -> _Count:
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


def _refuse_too_much(total: _Count, file_size: int) -> None:
    if total.pieces > _MOST_PIECES:
        # of numbers beyond all sense the size is enough
        told = f"{total.pieces}" if total.pieces < 10**15 else f"over 10^{len(str(total.pieces)) - 1}"
        raise FileProblem(f"The file builds {told} pieces; {_MOST_PIECES} are the most.")
    refuse_too_large(file_size, total.points, total.triangles)


def _collect(
    objects: dict[str, Object],
    name: str,
    matrix: Floats,
    pieces: list[tuple[Object, Floats]],
    counted: dict[str, _Count],
) -> None:
    found = objects[name]
    if found.points is not None:
        pieces.append((found, matrix))
    for inner, own in found.components:
        if counted[inner].pieces:
            _collect(objects, inner, matrix @ own, pieces, counted)


def _joined(pieces: list[tuple[Object, Floats]], looks: _Looks, unit: float, notes: list[str]) -> ReadMesh:
    if not pieces:
        raise FileProblem("The file builds nothing that has triangles.")
    points, corners, face_group, face_finish = [], [], [], []
    groups: dict[str, int] = {}
    first = 0
    for found, matrix in pieces:
        triangles = found.triangles
        if np.linalg.det(matrix[:3, :3]) < 0:
            triangles = triangles[:, ::-1]
        placed = found.points if (matrix == np.eye(4)).all() else found.points @ matrix[:3, :3].T + matrix[:3, 3]
        points.append(placed)
        corners.append(triangles + first)
        first += len(found.points)
        face_group.append(np.full(len(triangles), groups.setdefault(found.name, len(groups)), np.int32))
        face_finish.append(looks.of(found))
    all_points = np.concatenate(points)
    if unit != 1.0:
        all_points = all_points * unit
    all_corners = np.concatenate(corners).astype(np.int32).reshape(-1)
    raw = RawMesh(
        all_points, all_corners, np.arange(0, len(all_corners) + 1, 3, dtype=np.int32), groups=tuple(groups),
        face_group=np.concatenate(face_group), finishes=looks.names,
        face_finish=np.concatenate(face_finish) if looks.names else None, notes=notes,
    )  # fmt: skip
    if len(pieces) > 1:
        raw.notes.append(f"{plural(len(pieces), 'piece')} put together.")
    return finish_reading(raw, merge=False, has_units=True, explain=lambda: check_points(all_points))
