"""A mesh from a file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from jukai.core.errors import FileProblem, ValueProblem
from jukai.core.formats.common import LIMIT, UNIT_MM, ReadMesh
from jukai.core.formats.reading import format_of, read_mesh
from jukai.core.geometry.mesh import Lineage
from jukai.core.notes import Note
from jukai.core.operators.base import Context, Example, Kind, OperatorValues, Result, operator
from jukai.core.operators.inputs import FileInput
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.file import file

__all__ = ["Values", "imported"]


class Values(OperatorValues):
    """A mesh from a file, never changed itself."""

    file: FileInput = file("An OBJ, STL, PLY, GLB, OFF or 3MF file beside the bench.")
    unit: str = choice(
        "What a number in the file means; GLB and 3MF say so themselves.",
        (("mm", "millimetres"), ("cm", "centimetres"), ("m", "metres"), ("in", "inches")),
    )
    up: str = choice("Which axis of the file points up; GLB and 3MF say so themselves.", (("z", "Z up"), ("y", "Y up")))


@operator(
    id="imported",
    kind=Kind.BLANK,
    values=Values,
    name="Import",
    sentence="Take {file}, in {unit}, {up}",
    synonyms=("import", "open mesh", "load", "mesh file"),
    example=Example(
        (("imported", {"file": "wedge.obj"}),),
        files={
            "wedge.obj": b"v 0 0 0\nv 30 0 0\nv 30 20 0\nv 0 20 0\nv 30 0 22\nv 30 20 22\nf 4 3 2 1\nf 1 2 5\nf 3 4 6\nf 2 3 6 5\nf 1 5 6 4\n"
        },
    ),
)
def imported(values: Values, context: Context) -> Result:
    """Take a mesh from a file as it is, polygons kept where the format has them."""
    try:
        read = _read(values.file, context.checkpoint)
    except FileProblem as e:
        raise FileProblem(f"{values.file.name}: {e.message}", field="file", hint=e.hint) from None
    context.afford(read.mesh.n_faces, field="file")
    notes = [Note("warning", text) for text in read.notes]
    mesh = read.mesh
    if not read.has_units:
        points = mesh.points
        if values.up == "y":
            points = np.stack([points[:, 0], -points[:, 2], points[:, 1]], axis=1) + 0.0
        factor = UNIT_MM[values.unit]
        if factor != 1.0:
            points = points * factor
            if not (np.abs(points) <= LIMIT).all():
                raise ValueProblem(
                    f"In this unit a coordinate is over {LIMIT:g} mm.", field="unit", hint="Choose a smaller unit."
                )
        mesh = mesh if points is mesh.points else mesh.with_points(points)
    names = read.groups or ("faces",)
    lineage, base = Lineage().extended((context.step, name, -1) for name in (*names, "faces"))
    rows = np.where(read.face_group >= 0, read.face_group + base, len(names) + base)
    if mesh.finishes and mesh.face_finish is None:
        mesh = replace(mesh, finishes=())
    low, high = mesh.bounds
    size = " × ".join(f"{x:.4g}" for x in high - low)
    notes.append(Note("info", f"{mesh.n_points} points, {mesh.n_faces} faces, {size} mm."))
    return Result(mesh.with_changes(lineage=lineage, face_lineage=rows.astype(np.int32)), tuple(notes))


_LAST: dict[str, ReadMesh] = {}


def _read(file: FileInput, checkpoint: Callable[[float], None]) -> ReadMesh:
    """Read a file, or give again what was read from the same bytes last: unit and axis are changed more often than the file."""
    file_format = format_of(file.name)
    key = file.hash + file_format
    held = _LAST.get(key)
    if held is None:
        held = read_mesh(file.read(), file_format, checkpoint)
        _LAST.clear()
        _LAST[key] = held
    return held
