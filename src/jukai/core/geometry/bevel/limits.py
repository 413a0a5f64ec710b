"""How wide strips may be: until a side of a face is gone, or a corner meets a side across its face."""

from __future__ import annotations

import hashlib
import math
from dataclasses import replace

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.bevel.building import CHECKED, build
from jukai.core.geometry.bevel.results import Rounded, Sectors
from jukai.core.geometry.bevel.rings import Rings
from jukai.core.geometry.components import components
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.measures import signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.soundness import folded_faces

__all__ = ["cleared", "limited", "searched"]

_FEW = 400
_EASY = 1.05
"""A new body of up to so many faces is searched for strips that run through each other although no face is used up: always
if few edges are picked, else where the widths are all that the faces leave room for, or more."""
_ROUNDS = 12
_TRIES, _NEARBY = 14, 5
_LESS = 0.7
_CLOSER = 4
_PLACES = 50
_RUN = 30.0
"""Degrees by which edges that share a limit may turn at most where they meet."""


def limited(rings: Rings, width: Floats, first: Sectors, limit: Floats) -> tuple[Floats, Bools, Sectors]:
    """Return widths that fit, which edges were limited, and the sectors at these widths.

    A limit on one strip moves the places where its neighbours meet, so it is asked again until all
    sides are left; from the fourth time on each limit is taken a little lower than it need be. Edges that
    run on end to end share their least limit, so that the border stays parallel.

    Parameters
    ----------
    first, limit : the sectors at the widths asked for, and the limits found there.
    """
    asked = width
    run = _runs(rings)
    out = first
    for turn in range(_ROUNDS):
        if turn:
            rings.tell(0.4)
            out = rings.sectors(width)
            limit, _ = rings.limits(out, width)
        if not (rings.picked & (limit < width * (1 - 1e-12))).any():
            break
        shared = np.full(len(limit), np.inf)
        wide = rings.picked & (asked > 0)  # an edge that asks for nothing, as a flat one by radius, limits no other
        np.minimum.at(shared, run[wide], limit[wide] / asked[wide])
        limit = np.where(wide, shared[run], np.inf) * np.where(wide, asked, 1.0)
        over = rings.picked & (limit < width * (1 - 1e-12))
        width = np.where(over, limit * (1 if turn < 3 else 0.9), width)
    else:
        out = rings.sectors(width)
    return width, rings.picked & (width < asked * (1 - 1e-9)), out


def searched(picked: int, faces: int, fits: float) -> bool:
    """Return whether a new body is searched for crossings; the search takes longer than the bevel."""
    return faces <= CHECKED and (picked <= _FEW or fits < _EASY)


def cleared(rings: Rings, out: Rounded, step: str) -> Rounded:
    """Return ``out``, or narrower strips where they run through each other inside the body.

    Raises
    ------
    MeshProblem
        When no width keeps them apart.

    Notes
    -----
    What meets across the inside, as the strips of two edges that face each other, no face tells: the new body is
    searched for crossings, and the widths near them are lowered, then raised as far as they stay apart.
    """
    winding = _winding(rings.mesh)
    places = _faults(out, winding)
    if len(places) == 0 or len(_crossings(rings.mesh, winding)) or bool((rings.mesh.connectivity.edge_sides > 2).any()):
        return out
    run, first = _runs(rings), out.width
    share = np.ones(len(first))
    bad = share
    good: Rounded | None = None
    for turn in range(_TRIES):
        bad = share
        # strips ever narrower than those beside them can do harm themselves: after a while all are lowered
        near = _near(rings, places, first * share) if turn < _NEARBY else np.flatnonzero(rings.picked)
        least = np.ones(len(first))
        np.minimum.at(least, run[near], _LESS)
        share = share * np.where(rings.picked, least[run], 1.0)
        one = _at(rings, out, first * share, step)
        places = _faults(one, winding)
        if len(places) == 0:
            good = one
            break
    if good is None and rings.options.mitre:
        # strips of very different widths: creases would cross where patches do not
        rings.options = replace(rings.options, mitre=False)
        return cleared(rings, _at(rings, out, first, step), step)
    if good is None:
        x, y, z = places[0].tolist()
        raise MeshProblem(
            f"Strips run through each other at ({x:.4g}, {y:.4g}, {z:.4g}), however narrow they are.",
            hint="Leave an edge there out of the pick, or let strips run on past their neighbours.",
            places=[(float(x), float(y), float(z)) for x, y, z in places[:_PLACES]],
        )
    for _ in range(_CLOSER):
        middle = np.sqrt(share * bad)
        one = _at(rings, out, first * middle, step)
        if len(_faults(one, winding)):
            bad = middle
        else:
            share, good = middle, one
    return good


def _at(rings: Rings, out: Rounded, width: Floats, step: str) -> Rounded:
    """Return the body at narrower widths than those that ``out`` has."""
    less = rings.picked & (width < out.width * (1 - 1e-9))
    lost = float((width[less] / out.width[less]).min()) if less.any() else 1.0
    one = build(rings, rings.sectors(width), width, step, touching=True)
    return replace(one, width=width, stopped=out.stopped | less, fits=min(out.fits, 1.0) * lost)


def _faults(out: Rounded, winding: float) -> Floats:
    """Return places where a new body crosses or touches itself along an edge, or a face came out the other way round."""
    con = out.mesh.connectivity
    many = out.mesh.points[con.edges[con.edge_sides > 2]].reshape(-1, 2, 3).mean(axis=1)
    return np.concatenate([_crossings(out.mesh, winding, out.fresh), out.turned, many])


def _crossings(mesh: Mesh, winding: float, fresh: Bools | None = None) -> Floats:
    """Return places where faces of a body cross each other or themselves; a middle if it looks the other way or is gone.

    With ``fresh`` (f,) only where one of these is one of the two: the others are as they were in the body before.
    """
    if mesh.n_faces == 0:
        return np.zeros((1, 3))
    folded = folded_faces(mesh)
    places = [self_crossings(mesh, fresh).places, mesh.points[mesh.corners[mesh.offsets[folded]]]]
    if _winding(mesh) * winding < 0:
        places.append(mesh.bounds.mean(axis=0)[None])
    return np.concatenate(places)


def _winding(mesh: Mesh) -> float:
    """Return 1 for a closed body that looks outward, -1 for one that looks inward, 0 for an open one."""
    return float(np.sign(signed_volume(mesh))) if bool((mesh.connectivity.twins >= 0).all()) else 0.0


def _near(rings: Rings, places: Floats, width: Floats) -> Ints:
    """Return the picked edges whose strips reach the places; all of them if none does."""
    mesh, edges = rings.mesh, np.flatnonzero(rings.picked)
    ends = mesh.points[mesh.connectivity.edges[edges]]
    line = ends[:, 1] - ends[:, 0]
    square = np.maximum(np.einsum("ij,ij->i", line, line), 1e-300)
    close = np.zeros(len(edges), dtype=bool)
    for p in places[:_PLACES]:
        along = np.clip(np.einsum("ij,ij->i", p - ends[:, 0], line) / square, 0, 1)
        off = p - ends[:, 0] - along[:, None] * line
        close |= np.einsum("ij,ij->i", off, off) <= (2 * width[edges]) ** 2
    return np.asarray(edges[close] if close.any() else edges, dtype=np.int32)


def _runs(rings: Rings) -> Ints:
    """Return (e,) a number for all picked edges that run on end to end, turning by less than 30°, with no other between them.

    They are kept with the body: while a width is dragged, body and pick stay what they are.
    """
    pick = hashlib.blake2b(rings.picked.tobytes(), digest_size=12).hexdigest()
    return rings.mesh.cached(f"runs of {pick}", lambda: _find_runs(rings))


def _find_runs(rings: Rings) -> Ints:
    mesh, con = rings.mesh, rings.mesh.connectivity
    edges = np.flatnonzero(rings.picked)
    ends = con.edges[edges].ravel()
    of = np.repeat(edges, 2)
    order = np.argsort(ends, kind="stable")
    ends, of = ends[order], of[order]
    first = np.flatnonzero(np.diff(ends, prepend=-1) > 0)
    two = first[np.diff(np.append(first, len(ends))) == 2]
    a, b, p = of[two], of[two + 1], ends[two]

    def away(e: Array) -> Floats:
        other = con.edges[e].sum(axis=1) - p
        d = mesh.points[other] - mesh.points[p]
        return np.asarray(d / np.maximum(np.sqrt((d * d).sum(axis=1)), 1e-300)[:, None])

    straight = (away(a) * away(b)).sum(axis=1) < -math.cos(math.radians(_RUN))
    return components(con.n_edges, a[straight], b[straight])
