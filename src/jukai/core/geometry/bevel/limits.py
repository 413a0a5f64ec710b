"""How wide strips may be: until a side of a face is gone, or a corner meets a side across its face."""

from __future__ import annotations

import hashlib
import math
from dataclasses import replace
from typing import Protocol

import numpy as np

from jukai.core.geometry.arrays import Array, Bools, Floats, Ints
from jukai.core.geometry.bevel.building import CHECKED, build
from jukai.core.geometry.bevel.results import Rounded, Sectors
from jukai.core.geometry.bevel.rings import Rings
from jukai.core.geometry.components import components
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.measures import face_normals, signed_volume
from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.pairs import overlapping_boxes
from jukai.core.geometry.selecting import faces_of
from jukai.core.geometry.soundness import faces_without_area, folded_edges, folded_faces

__all__ = [
    "Strips",
    "Trials",
    "cleared",
    "crossed",
    "crossed_nearby",
    "limited",
    "searched",
    "standing_out",
    "stands_out",
    "unopened",
]

_FEW = 400
_EASY = 1.05
"""A new body of up to so many faces is searched for strips that run through each other although no face is used up: always
if few edges are picked, else where the widths are all that the faces leave room for, or more."""
_ROUNDS = 12
_TRIES, _NEARBY = 14, 5
_LESS = 0.7
_CONVEX, _FLAT, _OUT = 2_000_000, 1e-9, 1e-6
"""How many points times faces are looked at whether they stand out; share of the size from which strips that were made in
turn do, which are then made at the same time, and from which those that stop do, which are then narrowed."""
_BESIDE = 2000
"""How many stopped elements of a large body are looked at for crossings beside them."""
_CLOSE = (1 - 1e-4, 0.99, 0.95, 0.9)
"""Shares of the widths that are tried where faces came to lie edge on edge."""
_LEAST = (1e-3, 1e-4, 1e-5)
"""Shares of the widths that are tried before it is said that none would do."""
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


class Trials(Protocol):
    """Edges or points that are being bevelled, at other widths again.

    Attributes
    ----------
    mesh : the body before.
    picked : the elements that are bevelled.
    """

    mesh: Mesh
    picked: Bools

    def together(self) -> Ints:
        """Return a number for each element; those of one number share their least limit."""
        ...

    def near(self, places: Floats, width: Floats) -> Ints:
        """Return the picked elements whose new faces reach the places; all of them if none does."""
        ...

    def at(self, width: Floats, *, raw: bool = False) -> Rounded:
        """Return the body at narrower widths; ``raw`` with what shrank to nothing left in it."""
        ...


def cleared(trials: Trials, out: Rounded) -> Rounded:
    """Return ``out``, or the body at narrower widths where its new faces run through each other inside it.

    Where no width keeps them apart, that with the fewest crossings is returned, and says so.

    Notes
    -----
    What meets across the inside, as the strips of two edges that face each other, no face tells: the new body is
    searched for crossings, and the widths near them are lowered, then raised as far as they stay apart.
    """
    winding = _winding(trials.mesh)
    places = np.concatenate([crossed(trials.mesh, out), standing_out(trials.mesh, out.mesh)])
    if len(places) == 0:
        return out
    contacts = not _touches(trials.mesh)
    run, first = trials.together(), out.width
    share = np.ones(len(first))
    bad = share
    good: Rounded | None = None
    best, fewest = out, len(places)
    for turn in range(_TRIES + len(_LEAST)):
        bad = share
        if turn < _TRIES:
            # those ever narrower than the ones beside them can do harm themselves: after a while all are lowered
            near = trials.near(places, first * share) if turn < _NEARBY else np.flatnonzero(trials.picked)
            least = np.ones(len(first))
            np.minimum.at(least, run[near], _LESS)
            share = share * np.where(trials.picked, least[run], 1.0)
        else:
            share = np.where(trials.picked, _LEAST[turn - _TRIES], 1.0)
        one = _narrower(trials, out, first * share)
        found = _faults(one, winding, contacts, trials.mesh)
        if len(found) == 0:
            good = one
            break
        places = found
        if len(found) < fewest:
            best, fewest = replace(one, crosses=found), len(found)
    if good is None:
        return replace(best, never=True, crosses=best.crosses if best is not out else crossed(trials.mesh, out))
    for _ in range(_CLOSER):
        middle = np.sqrt(share * bad)
        one = _narrower(trials, out, first * middle)
        if len(_faults(one, winding, contacts, trials.mesh)):
            bad = middle
        else:
            share, good = middle, one
    return good


def crossed(mesh: Mesh, out: Rounded) -> Floats:
    """Return places where the new body crosses itself, unless the body before it did so already."""
    winding = _winding(mesh)
    places = _faults(out, winding, contacts=True)
    if len(places) == 0:
        return places
    if len(_crossings(mesh, winding, contacts=False)) or bool((mesh.connectivity.edge_sides > 2).any()):
        return np.zeros((0, 3))
    return _faults(out, winding, contacts=False) if _touches(mesh) else places


def _touches(mesh: Mesh) -> bool:
    """Return whether faces of a body lie on each other before anything is done to it, as those of two bodies may."""
    return len(self_crossings(mesh, contacts=True).pairs) > len(self_crossings(mesh).pairs)


def crossed_nearby(mesh: Mesh, out: Rounded) -> Floats:
    """Return places where a body too large to be searched crosses itself beside the elements that are stopped."""
    rows = np.flatnonzero(out.stopped)[:_BESIDE]
    if len(rows) == 0 or out.mesh.n_faces == 0:
        return np.zeros((0, 3))
    edges = len(out.stopped) == mesh.connectivity.n_edges
    ends = mesh.points[mesh.connectivity.edges[rows]] if edges else mesh.points[rows][:, None]
    wide = 2 * out.width[rows][:, None]
    at = out.mesh.points[out.mesh.corners]
    low, high = (f.reduceat(at, out.mesh.offsets[:-1], axis=0) for f in (np.minimum, np.maximum))
    count = len(rows)
    beside = np.arange(count + len(low)) < count
    pairs = overlapping_boxes(
        np.concatenate([ends.min(axis=1) - wide, low]), np.concatenate([ends.max(axis=1) + wide, high]), chosen=beside
    )
    near = np.zeros(len(low), dtype=bool)
    near[pairs[pairs[:, 1] >= count, 1] - count] = True
    return self_crossings(faces_of(out.mesh, near), contacts=True).places


def stands_out(mesh: Mesh, made: Mesh) -> bool:
    """Return whether a body stands out over the planes of the convex one that it was cut from; never over one that is not convex."""
    return len(standing_out(mesh, made, _FLAT)) > 0


def standing_out(mesh: Mesh, made: Mesh, share: float = _OUT) -> Floats:
    """Return the points (n, 3) of a body that stand out over the planes of the convex one before it by more than a ``share`` of its size."""
    if mesh.n_faces * max(mesh.n_points, made.n_points) > _CONVEX:
        return np.zeros((0, 3))
    middle, normals = mesh.bounds.mean(axis=0), face_normals(mesh)
    level = np.einsum("ij,ij->i", mesh.points[mesh.corners[mesh.offsets[:-1]]] - middle, normals)

    def over(points: Floats) -> Floats:
        return np.asarray(((points - middle) @ normals.T - level).max(axis=1, initial=0.0))

    convex = mesh.cached("convex", lambda: bool(over(mesh.points).max(initial=0.0) <= _FLAT * mesh.size))
    return made.points[over(made.points) > share * mesh.size] if convex else np.zeros((0, 3))


def unopened(trials: Trials, out: Rounded) -> Rounded:
    """Return ``out``, or the body at the next narrower widths that leave no edge with more than two faces.

    Strips that run on over others may come to lie on them edge on edge by chance, and the points there become one.
    """
    if int(trials.mesh.connectivity.edge_sides.max(initial=0)) > 2:
        return out
    one = out
    for share in _CLOSE:
        if int(one.mesh.connectivity.edge_sides.max(initial=0)) <= 2:
            return one
        one = _narrower(trials, out, np.where(trials.picked, out.width * share, out.width))
    raw = trials.at(out.width, raw=True)
    return replace(raw, width=out.width, stopped=out.stopped, fits=out.fits)


def _narrower(trials: Trials, out: Rounded, width: Floats) -> Rounded:
    """Return the body at narrower widths than those that ``out`` has."""
    less = trials.picked & (width < out.width * (1 - 1e-9))
    lost = float((width[less] / out.width[less]).min()) if less.any() else 1.0
    return replace(trials.at(width), width=width, stopped=out.stopped | less, fits=min(out.fits, 1.0) * lost)


class Strips:
    """The strips of edges, to be tried at other widths."""

    def __init__(self, rings: Rings, step: str) -> None:
        self.rings, self.step, self.mesh, self.picked = rings, step, rings.mesh, rings.picked

    def together(self) -> Ints:
        """Return a number for each edge, the same for those that run on end to end."""
        return _runs(self.rings)

    def near(self, places: Floats, width: Floats) -> Ints:
        """Return the picked edges whose strips reach the places; all of them if none does."""
        return _near(self.rings, places, width)

    def at(self, width: Floats, *, raw: bool = False) -> Rounded:
        """Return the body with strips of these widths; ``raw`` with what shrank to nothing left in it."""
        return build(self.rings, self.rings.sectors(width), width, self.step, touching=True, raw=raw)


def _faults(out: Rounded, winding: float, contacts: bool, before: Mesh | None = None) -> Floats:
    """Return places where a new body crosses or touches itself along an edge, or a face came out the other way round."""
    con = out.mesh.connectivity
    many = out.mesh.points[con.edges[con.edge_sides > 2]].reshape(-1, 2, 3).mean(axis=1)
    outside = np.zeros((0, 3)) if before is None else standing_out(before, out.mesh)
    return np.concatenate([_crossings(out.mesh, winding, out.fresh, contacts=contacts), out.turned, many, outside])


def _crossings(mesh: Mesh, winding: float, fresh: Bools | None = None, *, contacts: bool) -> Floats:
    """Return places where faces of a body cross each other or themselves, or with ``contacts`` lie on each other; a middle if it looks the other way or is gone.

    With ``fresh`` (f,) only where one of these is one of the two: the others are as they were in the body before.
    """
    if mesh.n_faces == 0:
        return np.zeros((1, 3))
    # a face whose outline crosses itself, also one like a bow, of which one half looks back
    folded = np.union1d(folded_faces(mesh), faces_without_area(mesh))
    folded = folded if fresh is None else folded[fresh[folded]]
    places = [self_crossings(mesh, fresh, contacts=contacts).places, mesh.points[mesh.corners[mesh.offsets[folded]]]]
    back = folded_edges(mesh)
    if len(back):
        if fresh is not None:
            con = mesh.connectivity
            new = np.zeros(con.n_edges, dtype=bool)
            new[con.corner_edge[fresh[mesh.corner_faces]]] = True
            back = back[new[back]]
        places.append(mesh.points[mesh.connectivity.edges[back]].mean(axis=1))
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
