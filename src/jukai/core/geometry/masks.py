"""Masks: how much acts at each point, painted in strokes that lie on a body by place."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.relief import point_normals

__all__ = ["Evened", "Given", "Layer", "Stroke", "painted"]

_KEPT = 4
"""States of a mask that are kept with a mesh: the next stroke begins from the last one."""
_MOVED = 0.02
"""Share of the body's size from which on a place that is off the surface is looked for along the way it faced."""
_TURNED = 0.3
"""Cosine over which a surface that faces away from a stroke fades out of it."""


@dataclass(frozen=True, slots=True, eq=False)
class Stroke:
    """What a brush leaves along places on a body.

    Attributes
    ----------
    places : (k, 3) mm, on the body or near it.
    facing : (k, 3) which way the surface faced there; None where that is not known.
    radius : mm.
    soft : share of the radius over which it fades out, 0 to 1.
    how : ``to`` a value, ``by`` one, or ``even`` so many times.
    """

    places: Floats
    radius: float
    soft: float
    how: str
    amount: float
    facing: Floats | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Given:
    """What picked points are given: a function of what they had."""

    points: Bools
    value: Callable[[Floats], Floats]
    key: str


@dataclass(frozen=True, slots=True, eq=False)
class Evened:
    """All of it evened out so many times."""

    times: int


Layer = Stroke | Given | Evened


def painted(mesh: Mesh, layers: Sequence[Layer], base: float = 0.0) -> Floats:
    """Return (n,) weights from 0 to 1: ``base`` everywhere, then each layer in turn."""
    keys = _keys(layers, base)
    kept: dict[str, Floats] = mesh.cached("painted masks", dict)
    done = next((i for i in range(len(layers), 0, -1) if keys[i] in kept), 0)
    out = np.full(mesh.n_points, float(base))
    if done:
        out = kept[keys[done]] = kept.pop(keys[done])  # the newest of them once more
    for i in range(done, len(layers)):
        out = np.clip(_with(mesh, out, layers[i]), 0.0, 1.0)
    out.setflags(write=False)
    kept[keys[-1]] = out
    while len(kept) > _KEPT:
        kept.pop(next(iter(kept)), None)
    return out


def _keys(layers: Sequence[Layer], base: float) -> list[str]:
    state = hashlib.blake2b(repr(base).encode(), digest_size=12)
    out = [state.hexdigest()]
    for layer in layers:
        match layer:
            case Stroke():
                state.update(layer.places.tobytes() + (b"" if layer.facing is None else layer.facing.tobytes()))
                state.update(repr((layer.radius, layer.soft, layer.how, layer.amount)).encode())
            case Given():
                state.update(layer.points.tobytes() + layer.key.encode())
            case Evened():
                state.update(b"even %d" % layer.times)
        out.append(state.copy().hexdigest())
    return out


def _with(mesh: Mesh, weights: Floats, layer: Layer) -> Floats:
    match layer:
        case Evened():
            return _evened(mesh, weights, np.arange(mesh.n_points), layer.times)
        case Given():
            out = np.array(weights)
            out[layer.points] = layer.value(weights[layer.points])
            return out
    out = np.array(weights)
    points, share = _reached(mesh, layer)
    if layer.how == "even":
        goal = _evened(mesh, weights, points, round(layer.amount))[points]
        out[points] += share * (goal - weights[points])
    elif layer.how == "by":
        out[points] += share * layer.amount
    else:
        out[points] += share * (layer.amount - weights[points])
    return out


def _reached(mesh: Mesh, stroke: Stroke) -> tuple[Array, Floats]:
    """Return the points that a stroke reaches, and how much of it each gets: 1 in its middle, fading to 0 at its radius.

    A surface that faces away from where the stroke runs gets none: a thin wall is not painted through.
    """
    from scipy.spatial import cKDTree

    places, facing = _on_surface(mesh, stroke)
    tree = mesh.cached("tree of points", lambda: cKDTree(mesh.points))
    near = tree.query_ball_point(places, stroke.radius, return_sorted=False)
    points = (
        np.unique(np.concatenate([np.asarray(rows, dtype=np.int64) for rows in near]))
        if len(near)
        else np.zeros(0, np.int64)
    )
    if not len(points):
        return points, np.zeros(0)
    away, which = cKDTree(places).query(mesh.points[points])
    core = stroke.radius * (1 - stroke.soft)
    over = np.clip((away - core) / max(stroke.radius * stroke.soft, 1e-300), 0.0, 1.0)
    share = (1 - over**2) ** 2
    share[away > stroke.radius] = 0.0
    if facing is not None:
        dot = np.einsum("ij,ij->i", point_normals(mesh)[points], facing[which])
        share *= np.clip((dot + _TURNED) / _TURNED, 0.0, 1.0)
    return points, share


def _on_surface(mesh: Mesh, stroke: Stroke) -> tuple[Floats, Floats | None]:
    """Return where a stroke lies on a body, and which way its surface faces there.

    These are the nearest places; where the body has become another one, those that lie along or against the way that the
    surface faced.
    """
    places = stroke.places
    if not mesh.n_faces:
        return places, None
    from jukai.core.geometry._tree import along_normals, near_points
    from jukai.core.geometry.clearance import place

    body = mesh.cached("placed where it is", lambda: place(mesh))
    found, triangle = near_points(body.triangles, body.boxes, np.ascontiguousarray(places))
    off = np.linalg.norm(found - places, axis=1) > _MOVED * mesh.size
    if stroke.facing is not None and off.any():
        rows = np.flatnonzero(off)
        way = np.ascontiguousarray(stroke.facing[rows])
        far, hit = along_normals(body.triangles, np.ascontiguousarray(places[rows]), way)
        good = hit >= 0
        found[rows[good]] = places[rows[good]] + far[good, None] * way[good]
        triangle[rows[good]] = hit[good]
    t = body.triangles[triangle]
    normal = np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0])
    size = np.linalg.norm(normal, axis=1)
    normal[size > 0] /= size[size > 0, None]
    return found, normal


def _evened(mesh: Mesh, weights: Floats, points: Array, times: int) -> Floats:
    """Return weights, each so many times half itself and half the mean of its neighbours; beyond ``points`` they stand still."""
    a, b = mesh.connectivity.edges.T
    if len(points) < mesh.n_points:
        member = np.zeros(mesh.n_points, dtype=bool)
        member[points] = True
        mine = member[a] | member[b]
        a, b = a[mine], b[mine]
    ends, other = np.concatenate([a, b]), np.concatenate([b, a])
    count = np.bincount(ends, minlength=mesh.n_points)
    points = points[count[points] > 0]
    out = np.array(weights)
    for _ in range(times):
        mean = np.bincount(ends, out[other], mesh.n_points)[points] / count[points]
        out[points] = (out[points] + mean) / 2
    return out
