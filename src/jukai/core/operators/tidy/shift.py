"""Moving, turning and scaling picked elements, with a soft reach."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.elements import belonging
from jukai.core.geometry.frames import Frame, frame_along
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.placing import placement_matrix
from jukai.core.notes import Note
from jukai.core.operators.base import (
    Callout,
    CalloutForm,
    Context,
    Example,
    Kind,
    OperatorValues,
    Result,
    operator,
    three,
)
from jukai.core.operators.crossing import crossing_notes
from jukai.core.operators.inputs import AxisSpec
from jukai.core.operators.kinds.axis import axis
from jukai.core.operators.kinds.choice import choice
from jukai.core.operators.kinds.factors import factors
from jukai.core.operators.kinds.length import length
from jukai.core.operators.kinds.move import move as move_
from jukai.core.operators.kinds.pick import AnyPick, pick
from jukai.core.operators.kinds.turns import turns
from jukai.core.picks.picked import Picked

__all__ = ["Values", "shift"]


class Values(OperatorValues):
    """Picked elements that are moved, turned and scaled."""

    pick: AnyPick = pick(
        "What is shifted.",
        of=("points", "edges", "faces"),
        default={"rule": "facing", "direction": [0, 0, 1], "of": "faces"},
    )
    frame: str = choice(
        "In which frame the numbers are.",
        (
            ("own", "in a frame of its own: Z out of what is picked, from its middle"),
            ("part", "in that of the part, from the middle of what is picked"),
            ("axis", "in a frame along an axis"),
        ),
    )
    along: AxisSpec = axis("The axis that is Z of the frame.", default=AxisSpec("z"), relevant='frame == "axis"')
    move: tuple[float, float, float] = move_("How far it is moved.", default=(0.0, 0.0, 0.0))
    turn: tuple[float, float, float] = turns(
        "How far it is turned about X, Y and Z, in that order.", default=(0.0, 0.0, 0.0)
    )
    scale: tuple[float, float, float] = factors("How many times as large it is.", default=(1.0, 1.0, 1.0))
    reach: float = length(
        "How far away points still go along, the less the farther; 0 takes what is picked alone.",
        default=0.0,
        ge=0,
        le=1e6,
    )
    measured: str = choice(
        "How far points are away.",
        (("straight", "in a straight line"), ("on_surface", "along the edges of the body")),
        relevant="reach != 0",
    )


@operator(
    id="shift",
    kind=Kind.CHANGE,
    values=Values,
    sentence="Shift {pick} by {move}, turned by {turn}, scaled by {scale}",
    quiet="All {frame}[ {along}]; a soft reach of {reach}[, {measured}].",
    synonyms=("move", "rotate", "scale", "transform", "soft selection", "proportional", "drag"),
    example=Example(
        (
            ("sheet", {"size": [30, 30], "counts": [8, 8]}),
            (
                "shift",
                {
                    "pick": {"rule": "inside", "of": "faces", "shape": "ball", "centre": [0, 0, 0], "radius": 4},
                    "move": [0, 0, 11],
                    "reach": 14,
                },
            ),
        ),
        seen_from=(-20, 65),
    ),
)
def shift(mesh: Mesh, values: Values, context: Context) -> Result:
    """Move, turn and scale what is picked in a frame; points within a soft reach go along, the less the farther.

    Notes
    -----
    The share that a point at distance d of a reach r goes along is (1 - (d / r)²)²: level at both ends.
    """
    picked: Picked = values.pick
    mask = picked.mask if picked.kind == "points" else belonging(mesh, picked.mask, picked.kind, "points")
    used: dict[str, object] = {"pick": float(picked.count)}
    if not mask.any():
        return Result(mesh, (Note("info", "Nothing is picked: nothing is shifted.", field="pick"),), used={"pick": 0.0})
    if min(abs(v) for v in values.scale) == 0:
        raise ValueProblem(
            "Scaled by 0 what is picked has no size that way.", field="scale", hint="0.001 is next to flat; below 0 mirrors."
        )  # fmt: skip
    context.checkpoint(0.1)
    frame = _frame(mesh, picked, mask, values)
    amount = mask.astype(np.float64) if values.reach == 0 else _amounts(mesh, mask, values)
    local = (mesh.points - frame.origin) @ frame.axes.T
    matrix = placement_matrix(np.array(values.move), np.array(values.turn), np.array(values.scale))
    goes = local @ matrix[:3, :3].T + matrix[:3, 3]
    if not np.any(values.turn) and values.scale == (1.0, 1.0, 1.0):
        moved = mesh.points + amount[:, None] * (np.array(values.move) @ frame.axes)
    else:
        part = amount[:, None]
        mixed = np.where(part == 1, goes, local + part * (goes - local))
        if values.reach and np.any(values.turn):
            mixed = _turned_in_part(local, amount, values)
        moved = mixed @ frame.axes + frame.origin
    points = np.where((amount > 0)[:, None], moved, mesh.points)
    context.checkpoint(0.8)
    notes = []
    if np.prod(values.scale) < 0 and mask.all():
        notes.append(Note("warning", "Mirrored as a whole the part is inside out.", field="scale"))
    out = mesh.with_points(points)
    if not mask.all():
        moved_faces = np.logical_or.reduceat((amount > 0)[mesh.corners], mesh.offsets[:-1])
        notes += crossing_notes(out, moved_faces, "What was shifted has no room", "move")
    return Result(out, tuple(notes), _callouts(mask, frame, values, points), used)


def _turned_in_part(local: Floats, amount: Floats, values: Values) -> Floats:
    """Return places where each point is turned, scaled and moved by its own share of it all."""
    from jukai.core.geometry.frames import sincos

    out = local * (1 + amount[:, None] * (np.array(values.scale) - 1))
    for a in range(3):
        sine, cosine = sincos(amount * values.turn[a])
        u, v = (a + 1) % 3, (a + 2) % 3
        x, y = out[:, u].copy(), out[:, v].copy()
        out[:, u], out[:, v] = cosine * x - sine * y, sine * x + cosine * y
    return np.asarray(out + amount[:, None] * np.array(values.move))


def _frame(mesh: Mesh, picked: Picked, mask: Bools, values: Values) -> Frame:
    middle = _middle(mesh, mask)
    if values.frame == "axis":
        return values.along.frame(mesh)
    if values.frame == "part":
        return frame_along("z", middle)
    faces = picked.mask if picked.kind == "faces" else belonging(mesh, mask, "points", "faces")
    if not faces.any():
        corner = mask[mesh.corners]
        faces = np.zeros(mesh.n_faces, dtype=bool)
        faces[mesh.corner_faces[corner]] = True
    normal = face_normals(mesh)[faces].sum(axis=0) if faces.any() else np.zeros(3)
    if np.linalg.norm(normal) <= 1e-9:
        return frame_along("z", middle)
    normal = normal / np.linalg.norm(normal)
    for name, unit in zip("xyz", np.eye(3), strict=True):
        if abs(float(normal @ unit)) > 1 - 1e-12 and float(normal @ unit) > 0:
            return frame_along(name, middle)
    return frame_along(normal, middle)


def _middle(mesh: Mesh, mask: Bools) -> Floats:
    points = mesh.points[mask]
    return np.asarray((points.min(axis=0) + points.max(axis=0)) / 2)


def _amounts(mesh: Mesh, mask: Bools, values: Values) -> Floats:
    """Return (n,) by how much of it each point goes along."""
    if values.measured == "on_surface":
        from scipy.sparse import csr_matrix
        from scipy.sparse.csgraph import dijkstra

        con = mesh.connectivity
        a, b = con.edges.T
        long = np.maximum(np.linalg.norm(mesh.points[a] - mesh.points[b], axis=1), 1e-300)
        graph = csr_matrix((long, (a, b)), shape=(mesh.n_points, mesh.n_points))
        far = dijkstra(graph, directed=False, indices=np.flatnonzero(mask), min_only=True, limit=values.reach)
    else:
        from scipy.spatial import cKDTree

        far = cKDTree(mesh.points[mask]).query(mesh.points, distance_upper_bound=values.reach)[0]
    near = np.minimum(np.where(np.isfinite(far), far, values.reach) / values.reach, 1.0)
    return np.asarray(np.where(mask, 1.0, (1 - near**2) ** 2))


def _callouts(mask: Bools, frame: Frame, values: Values, points: Floats) -> tuple[Callout, ...]:
    """Return the three distances at what was shifted, each at a point of its own."""
    spots = points[mask]
    middle = spots.mean(axis=0)
    out = []
    for k in range(3):
        # each at a place of its own: those along X and Y where what is shifted ends that way, that along Z in its middle
        far = (spots - middle) @ frame.axes[k] if k < 2 else -np.linalg.norm(spots - middle, axis=1)
        spot = spots[int(np.argmax(np.round(far, 9)))]
        start = spot - values.move[k] * frame.axes[k]
        out.append(Callout(f"values/move/{k}", CalloutForm.LENGTH, three(start), three(spot), three(frame.axes[k])))
    return tuple(out)
