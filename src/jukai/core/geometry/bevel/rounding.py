"""Edges become strips, corners become patches or creases: the bevel."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.bevel.building import build, overhang
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.limits import (
    Strips,
    cleared,
    crossed,
    crossed_nearby,
    limited,
    searched,
    stands_out,
    unopened,
)
from jukai.core.geometry.bevel.order import OVER, Order, onward, wider_first
from jukai.core.geometry.bevel.results import Rounded, Sectors
from jukai.core.geometry.bevel.rings import Rings
from jukai.core.geometry.measures import edge_turns
from jukai.core.geometry.mesh import Mesh

__all__ = ["Bevel", "count_faces", "offsets_for", "round_edges"]

_TURNS = 3
"""Widths one after the other: a corner has few; where all are limited differently more would take long for little."""
_ALL = 1 - 1e-9
"""Share of its width from which a strip has all of it."""
_TOUCHING = 1 + 1e-6
"""Share of the widths that fits up to which faces may touch themselves."""


def offsets_for(turn: Floats, width: Floats, measured: str) -> Floats:
    """Return how far the border of a strip lies from the old edge, along each face.

    Parameters
    ----------
    turn : angle in radians by which the faces turn at the edge.
    width : mm, along each face (``leg``), straight across the strip (``face``) or radius of the arc.
    """
    half = np.minimum(turn / 2, np.pi / 2 - 1e-6)
    if measured == "face":
        return np.asarray(width / (2 * np.cos(half)))
    return np.asarray(width * np.tan(half)) if measured == "radius" else width


def count_faces(mesh: Mesh, picked: Bools, segments: int) -> int:
    """Return the faces to be expected, a little more than there will be."""
    ends = np.bincount(mesh.connectivity.edges[picked].ravel(), minlength=1)
    corners = ends[ends > 2]
    return (
        mesh.n_faces + int(picked.sum()) * segments + int(corners.sum()) * max(1, segments * segments // 4 + segments)
    )


def round_edges(
    mesh: Mesh,
    picked: Bools,
    width: Floats,
    options: Bevel,
    step: str,
    tell: Callable[[float], None] = lambda _: None,
    measured: str = "leg",
    gives: Bools | None = None,
    turns: int = _TURNS,
) -> Rounded:
    """Round edges of a mesh.

    Parameters
    ----------
    picked : (e,) the edges to round; each must have two faces that run opposite ways along it.
    width : (e,) mm from the edge to the strip's border along each face.
    step : names the new faces in the lineage: groups ``strips`` and ``corners``.
    tell : hears from 0 to 1 how far it is, and may raise to stop.
    measured : what widths are compared by where several meet in a corner (``offsets_for``).
    gives : (e,) edges whose strips give way to the widths of those that they run on from; None for none.
    turns : how often at most some strips are made before others.

    Raises
    ------
    MeshProblem
        When an edge can't be rounded, with its place.

    Notes
    -----
    Round each point the borders of the strips meet in the faces between them (offset lines of a
    straight skeleton, Aichholzer et al. 1995); a strip is limited where a side of a face would
    shrink to nothing, which for faces that are not hollow is where its first neighbours meet.
    Where strips of different widths meet in a corner, the widest are made first, and the narrower ones
    follow their borders (``order``).
    """
    con = mesh.connectivity
    _refuse(mesh, picked)
    if not picked.any():
        return Rounded(mesh, np.zeros(con.n_edges, bool), width, np.zeros((0, 3)), np.zeros(mesh.n_faces, bool))
    tell(0.1)
    rings = Rings(mesh, picked, options, tell, gives)
    tell(0.3)
    at, asked = _fitted(rings, width)
    # strips that run on over others leave no border to follow
    room = turns > 0 and (options.stop or asked.fits >= 1)
    order = None if not room else wider_first(rings, at, _compared(rings, asked.width, measured), asked.width)
    if order is None:
        return _together(rings, at, asked, step)
    if options.mitre:
        out = _together(rings, at, asked, step)
        if out.patched == 0 and not out.never:
            return out  # strips of different widths meet in creases as equal ones do
    return _ordered(rings, order, at, asked, step, measured, turns - 1)


class _Asked(NamedTuple):
    """Widths as far as the faces leave room for them, which edges were limited, and the share of what was asked for that fits."""

    width: Floats
    stopped: Bools
    fits: float


def _together(rings: Rings, at: Sectors, asked: _Asked, step: str) -> Rounded:
    """Return the body with all strips made at the same time."""
    width, stopped, fits = asked
    out = replace(build(rings, at, width, step, touching=fits < _TOUCHING), fits=fits, stopped=stopped, width=width)
    if fits < _TOUCHING or not rings.options.stop:
        out = unopened(Strips(rings, step), out)
    if not searched(len(rings.edges), out.mesh.n_faces, fits):
        return replace(out, searched=False, crosses=crossed_nearby(rings.mesh, out))
    if not rings.options.stop:
        return replace(out, crosses=crossed(rings.mesh, out))
    found = cleared(Strips(rings, step), out)
    if not (found.never and rings.options.mitre):
        return found
    # strips of very different widths: creases would cross where patches do not
    rings.options = replace(rings.options, mitre=False)
    return _together(rings, rings.sectors(width), asked, step)


def _ordered(rings: Rings, order: Order, at: Sectors, asked: _Asked, step: str, measured: str, turns: int) -> Rounded:
    """Return the body with the widest strips first; or with all at the same time or the two widest first, where that leaves wider strips."""
    best, most = None, 0.0
    # a strip that is wider than a chord of the section that it follows would use that up
    ways: list[Callable[[], Order | None]] = [
        lambda: order,
        lambda: None,
        lambda: wider_first(rings, at, _compared(rings, asked.width, measured), asked.width, pairs=True),
    ]
    over = float(overhang(rings, at, asked.width).max(initial=0.0)) > OVER
    for together, way in zip((False, not over, False), ways, strict=True):
        turn = way()
        if turn is None and not together:
            continue
        out = _together(rings, at, asked, step) if turn is None else _in_turn(rings, turn, asked, step, measured, turns)
        least = _least(rings, asked, out) * (1.0 if turn is None else turn.share)
        if not out.never and not stands_out(rings.mesh, out.mesh) and least > most:
            best, most = out, least
        if most > _ALL:
            break
    return _together(rings, at, asked, step) if best is None else best


def _least(rings: Rings, asked: _Asked, out: Rounded) -> float:
    """Return the least share that a strip has kept of its width, as far as the faces leave room for it."""
    return float((out.width[rings.edges] / asked.width[rings.edges]).min())


def _in_turn(rings: Rings, order: Order, asked: _Asked, step: str, measured: str, turns: int) -> Rounded:
    """Return the body with the strips of ``order`` made first, and the others along their borders."""
    mesh, picked, options, tell = rings.mesh, rings.picked, rings.options, rings.tell
    width = asked.width
    early = Rings(mesh, order.first, options, lambda done: tell(done / 2))
    early.follow = order.follow
    one = _together(early, *_fitted(early, width), step)
    kept, further, each = onward(order, one, _compared(rings, width, measured))
    con = one.mesh.connectivity
    waiting = np.zeros(con.n_edges, dtype=bool)
    then = np.zeros(con.n_edges)
    offset = offsets_for(edge_turns(one.mesh)[further], each, measured)
    rows = np.concatenate([further, kept[kept >= 0]])
    then[rows] = np.concatenate([offset, width[order.narrow[kept >= 0]]])
    waiting[rows] = (then[rows] > 0) & (con.edge_sides[rows] == 2)
    gives = np.zeros(con.n_edges, dtype=bool)
    gives[further] = True
    two = round_edges(one.mesh, waiting, then, options, step, lambda done: tell(0.5 + done / 2), measured, gives, turns)
    have = np.where(order.first, one.width, width)
    have[order.narrow[kept >= 0]] = two.width[kept[kept >= 0]]
    out = Rounded(
        two.mesh, picked & (asked.stopped | (have < width * (1 - 1e-9))), have, np.concatenate([one.tapered, two.tapered]),
        np.ones(two.mesh.n_faces, dtype=bool), min(asked.fits, one.fits, two.fits), one.mitred + two.mitred,
        one.patched + two.patched + len(np.unique(order.at)), np.concatenate([one.turned, two.turned]), one.searched and two.searched,
        one.never or two.never, np.concatenate([one.crosses, two.crosses]),
    )  # fmt: skip
    return replace(out, crosses=crossed(mesh, out)) if out.searched and not options.stop else out


def _compared(rings: Rings, width: Floats, measured: str) -> Floats:
    """Return (e,) what widths along the faces are by the measure; 0 where it has none."""
    one = offsets_for(rings.turn, np.ones(len(width)), measured)
    return np.divide(width, one, out=np.zeros(len(width)), where=one > 0)


def _fitted(rings: Rings, width: Floats) -> tuple[Sectors, _Asked]:
    """Return widths as far as there is room for them, and the sectors there; ``rings`` keep how strips end in them."""
    at = rings.sectors(width)
    limit, fits = rings.limits(at, width)
    stopped = np.zeros(len(width), dtype=bool)
    rings.tell(0.4)
    if rings.options.stop and fits < 1:
        width, stopped, at = limited(rings, width, at, limit)
    elif fits < 1:
        # what runs on over the ends of others would fall together with them there
        rings.across = False
        at = rings.sectors(width)
    return at, _Asked(width, stopped, fits)


def _refuse(mesh: Mesh, picked: Bools) -> None:
    con = mesh.connectivity
    bad = con.edge_sides != 2
    bad[mesh.against] = True
    wrong = np.flatnonzero(bad & picked)
    if len(wrong) == 0:
        return
    e = wrong[0]
    sides = int(con.edge_sides[e])
    at = mesh.points[con.edges[e]].mean(axis=0)
    what = f"{sides} faces" if sides > 2 else "one face only" if sides == 1 else "two faces that look opposite ways"
    more = f" ({len(wrong)} such edges are picked)" if len(wrong) > 1 else ""
    raise MeshProblem(
        f"The edge at ({at[0]:.4g}, {at[1]:.4g}, {at[2]:.4g}) has {what}{more}: there is no strip between two faces.",
        hint="Leave it out of the pick, or mend the body there first.",
        places=[tuple(float(x) for x in mesh.points[con.edges[e]].mean(axis=0)) for e in wrong[:50]],
    )
