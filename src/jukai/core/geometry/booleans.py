"""Bodies united, subtracted and intersected; faces that stay flat come back as the polygons that they were."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jukai.core.errors import MeshProblem
from jukai.core.geometry._booleans import grow_discs, in_order, outlines, texture_at
from jukai.core.geometry._slices import follow_chains
from jukai.core.geometry.arrays import Array, Bools, Floats, concatenated_ranges
from jukai.core.geometry.components import components, lowest
from jukai.core.geometry.measures import face_normals
from jukai.core.geometry.mesh import Lineage, Mesh
from jukai.core.geometry.rebuilding import corners_of
from jukai.core.geometry.triangulation import Triangulation, triangulate

__all__ = ["Cutter", "combine", "grown", "refuse_open"]

_FLAT = 1e-9
"""Share of a body's size by which the points of a flat face may miss its plane."""
_FEW = 300
"""Triangles up to which plain Python answers sooner than loading the compiler."""


@dataclass(frozen=True, slots=True, eq=False)
class Cutter:
    """Another body that takes part: where it stands as the first one sees it, and the finish of its faces that have none."""

    mesh: Mesh
    finish: str | None = None


def refuse_open(mesh: Mesh, name: str) -> None:
    """Refuse a body that encloses nothing; ``name`` is what its errors call it.

    Raises
    ------
    MeshProblem
        With the places of open edges, or of those of three faces and more.
    """
    con = mesh.connectivity
    rims, many = con.edge_sides == 1, con.edge_sides > 2
    against = np.zeros(con.n_edges, dtype=bool)
    against[mesh.against] = True
    for bad, what, hint in (
        (np.array([not mesh.n_faces]), "is empty", "Switch on a shape in it."),
        (rims, f"is open: {int(rims.sum())} rim edges", "Fill its holes, or thicken it, first."),
        (many, "has edges of three faces and more", "Weld it, or delete faces within it, first."),
        (against, "has faces that look opposite ways", "Make its faces look outward first."),
    ):
        if bad.any():
            middles = mesh.points[con.edges[np.flatnonzero(bad)[:50]]].mean(axis=1) if con.n_edges else np.zeros((0, 3))
            places = [(float(x), float(y), float(z)) for x, y, z in middles]
            raise MeshProblem(f"{name} {what}: it encloses nothing.", hint=hint, places=places)


def combine(mesh: Mesh, others: Sequence[Cutter], how: str, step: str, *, cut_finish: str | None = None) -> Mesh:
    """Return the union, difference or intersection of closed bodies.

    Parameters
    ----------
    how : ``union``, ``subtract`` (all others from the first) or ``intersect``.
    cut_finish : of the faces that a cut leaves.

    Notes
    -----
    The work is manifold3d's (E. Lalish), of which each triangle says the face that it was a part of. Triangles of one flat
    face become one polygon again; one with holes in it becomes several. Groups: ``cut`` (faces of the others, of a difference
    or an intersection) and ``added`` (of a union), with the groups that they had.
    """
    import manifold3d

    bodies = [mesh, *(o.mesh for o in others)]
    cuts = [triangulate(b) for b in bodies]
    first = int(manifold3d.Manifold.reserve_ids(len(bodies)))
    made = []
    for i, (b, t) in enumerate(zip(bodies, cuts, strict=True)):
        made.append(
            manifold3d.Manifold(
                manifold3d.Mesh64(
                    np.array(b.points),  # it takes no array that is locked
                    np.ascontiguousarray(b.corners[t.corners], dtype=np.uint64),
                    run_index=np.array([0, 3 * len(t.faces)], dtype=np.uint64),
                    run_original_id=np.array([first + i], dtype=np.uint32),
                    face_id=t.faces.astype(np.uint64),
                )
            )
        )
    for i, m in enumerate(made):
        if m.status() != manifold3d.Error.NoError:
            raise MeshProblem(
                f"Body {i + 1} of {len(made)} is not sound enough to be combined.", hint="Look at its soundness report."
            )
    op = {
        "union": manifold3d.OpType.Add,
        "subtract": manifold3d.OpType.Subtract,
        "intersect": manifold3d.OpType.Intersect,
    }[how]
    done = manifold3d.Manifold.batch_boolean(made, op)
    out = done.to_mesh64()
    points = np.array(out.vert_properties)[:, :3]
    tri = np.array(out.tri_verts, dtype=np.int64)
    merge_from, merge_to = np.array(out.merge_from_vert, np.int64), np.array(out.merge_to_vert, np.int64)
    if len(merge_from):
        number = np.arange(len(points))
        number[merge_from] = merge_to
        tri = number[tri]
    runs = np.array(out.run_index, np.int64) // 3
    ids = np.array(out.run_original_id, np.int64) - first
    body = np.repeat(ids, np.diff(runs))
    face = np.array(out.face_id, np.int64)
    full = _encloses(points, tri, max(b.size for b in bodies), done.volume())
    if not full.all():
        tri, body, face = tri[full], body[full], face[full]
    return _polygons(bodies, cuts, others, points, tri, body, face, how, step, cut_finish)


def _polygons(
    bodies: Sequence[Mesh], cuts: Sequence[Triangulation], others: Sequence[Cutter], points: Floats, tri: Array, body: Array,
    face: Array, how: str, step: str, cut_finish: str | None,
) -> Mesh:  # fmt: skip
    counts = np.array([b.n_faces for b in bodies])
    base = np.cumsum(counts) - counts
    key = base[body] + face  # one number for each face of all bodies
    number = np.bincount(key, minlength=int(counts.sum()))
    order = in_order.choose(len(key), _FEW)(key, np.concatenate([[0], np.cumsum(number)]))
    tri, key = tri[order], key[order]
    # a bent face that was cut stays in triangles; one that was not has as many as it was cut into
    joins = number == np.concatenate([b.sides for b in bodies]) - 2
    for i, b in enumerate(bodies):
        cut = np.flatnonzero((number > 0)[base[i] : base[i] + counts[i]] & ~joins[base[i] : base[i] + counts[i]])
        joins[base[i] + cut] = _are_flat(b, cut)
    loops, loop_key, rest, rest_key = _joined(tri, key, joins, len(points))
    corners = np.concatenate([loops[0], rest.ravel()])
    sides = np.concatenate([loops[1], np.full(len(rest), 3)])
    parent = np.concatenate([loop_key, rest_key])
    used = np.zeros(len(points), dtype=bool)
    used[corners] = True
    place = np.cumsum(used) - 1
    offsets = np.concatenate([[0], np.cumsum(sides)]).astype(np.int32)
    of_body = np.searchsorted(base, parent, side="right") - 1
    local = parent - base[of_body]
    lineage, rows = _histories(bodies, of_body, local, step, "added" if how == "union" else "cut")
    names, finishes = _finishes(bodies, others, of_body, local, cut_finish)
    uv = _texture(bodies, cuts, (points, corners, offsets), of_body, local)
    soft = None
    if any(b.face_soft is not None for b in bodies):
        soft = np.concatenate([b.soft() for b in bodies])[parent]
    first = bodies[0]
    return Mesh(
        points[used], place[corners].astype(np.int32), offsets, lineage=lineage, face_lineage=rows, finishes=names, face_finish=finishes,
        face_soft=soft, uv=uv, crease=first.crease, by_area=first.by_area,
    )  # fmt: skip


def _encloses(points: Floats, tri: Array, size: float, whole: float) -> Bools:
    """Return which triangles are of a piece that encloses something: bodies that but touch share a face of no thickness."""
    if not len(tri):
        return np.zeros(0, dtype=bool)
    label = lowest(len(points), tri[:, [0, 1]].ravel(), tri[:, [1, 2]].ravel())[tri[:, 0]]
    if (label == label[0]).all() and abs(whole) > 1e-12 * size**3:
        return np.ones(len(tri), dtype=bool)
    piece = np.unique(label, return_inverse=True)[1]
    p = points[tri] - points[tri[0, 0]]
    volume = np.bincount(piece, (p[:, 0] * np.cross(p[:, 1], p[:, 2])).sum(axis=1) / 6)
    return np.asarray(np.abs(volume[piece]) > 1e-12 * size**3)


def _are_flat(mesh: Mesh, faces: Array) -> Bools:
    """Return which of some faces lie in a plane."""
    if not len(faces):
        return np.zeros(0, dtype=bool)
    corner, sides = corners_of(mesh, faces), mesh.sides[faces]
    first = mesh.points[mesh.corners[mesh.offsets[faces]]]
    rel = mesh.points[mesh.corners[corner]] - np.repeat(first, sides, axis=0)
    off = np.abs((rel * np.repeat(face_normals(mesh)[faces], sides, axis=0)).sum(axis=1))
    return np.asarray(np.maximum.reduceat(off, np.cumsum(sides) - sides) <= _FLAT * max(mesh.size, 1e-300))


def _joined(tri: Array, key: Array, joins: Bools, n: int) -> tuple[tuple[Array, Array], Array, Array, Array]:
    """Join triangles of the same face: return loops (corners, sides) with their faces, and triangles that stay, with theirs."""
    starts = np.concatenate([[0], np.cumsum(np.bincount(key, minlength=len(joins)))])
    found, sides, done = outlines.choose(len(tri), _FEW)(tri, starts, joins)
    faces = np.flatnonzero(done)
    left = ~done[key]
    stays = left & ~joins[key]
    rest, rest_key = tri[stays], key[stays]
    more = left & joins[key]
    loops, lengths, loop_key = [found], [sides[faces]], [faces]
    if more.any():
        for rows, of in zip((loops, lengths, loop_key), _large(tri[more], key[more], n), strict=True):
            rows.append(of)
    return (np.concatenate(loops), np.concatenate(lengths)), np.concatenate(loop_key), rest, rest_key


def _large(t: Array, k: Array, n: int) -> tuple[Array, Array, Array]:
    """The same for faces of many triangles, and for those with holes: corners, sides, faces."""
    # nodes are points of one face: two faces never share one
    faces, group = np.unique(k, return_inverse=True)
    nodes, node = np.unique((group[:, None] * n + t).ravel(), return_inverse=True)
    node = node.reshape(-1, 3)
    start, end = node.ravel(), np.roll(node, -1, axis=1).ravel()
    m = len(nodes)
    border = ~np.isin(start * m + end, end * m + start)
    run, offsets, closed = follow_chains(start[border], end[border], m)
    loop_group = (nodes[run] // n)[offsets[:-1]]
    loops = np.bincount(loop_group, minlength=len(faces))
    pieces = _connected(t, group, nodes, node)
    seen = np.bincount(run, minlength=m)
    twice = np.zeros(len(faces), dtype=bool)
    twice[(nodes // n)[seen > 1]] = True
    inner = np.bincount((nodes // n)[seen == 0], minlength=len(faces)) > 0
    # pieces apart from each other have a loop each; more loops than pieces are holes
    plain = (loops == pieces) & ~twice & ~inner
    good = plain[loop_group] & closed
    lengths = np.diff(offsets)[good]
    corners = nodes[run[concatenated_ranges(offsets[:-1][good], lengths)]] % n
    holed = np.flatnonzero(~plain[group])
    more, more_sides, more_key = grown(t[holed], k[holed])
    return (
        np.concatenate([corners, more]),
        np.concatenate([lengths, more_sides]),
        np.concatenate([faces[loop_group[good]], more_key]),
    )


def _connected(t: Array, group: Array, nodes: Array, node: Array) -> Array:
    """Return into how many pieces, joined by edges, the triangles of each group fall."""
    m = len(nodes)
    start, end = node.ravel(), np.roll(node, -1, axis=1).ravel()
    low, high = np.minimum(start, end), np.maximum(start, end)
    edge = low * m + high
    order = np.argsort(edge, kind="stable")
    same = np.flatnonzero(edge[order][1:] == edge[order][:-1])
    label = components(len(t), order[same] // 3, order[same + 1] // 3)
    pairs = np.unique(label)
    first = np.full(int(label.max(initial=0)) + 1, -1, dtype=np.int64)
    first[label[::-1]] = group[::-1]
    return np.bincount(first[pairs], minlength=int(group.max(initial=0)) + 1)


def grown(t: Array, key: Array) -> tuple[Array, Array, Array]:
    """Return polygons without holes that triangles make up: each grows from a triangle as long as it stays a disc."""
    if not len(t):
        none = np.zeros(0, dtype=np.int64)
        return none, none, none
    points, local = np.unique(t, return_inverse=True)
    run = grow_discs.choose(len(t), _FEW)
    piece = run(local.reshape(-1, 3).astype(np.int64), key, len(points))
    m = len(points)
    start, end = local.reshape(-1, 3), np.roll(local.reshape(-1, 3), -1, axis=1)
    wide = np.int64(m)
    forward = (piece[:, None] * wide + start) * wide + end
    back = (piece[:, None] * wide + end) * wide + start
    border = ~np.isin(forward, back)
    nodes, number = np.unique(
        np.concatenate([(piece[:, None] * wide + start)[border], (piece[:, None] * wide + end)[border]]),
        return_inverse=True,
    )
    half = len(number) // 2
    chain, offsets, _ = follow_chains(number[:half], number[half:], len(nodes))
    of_piece = nodes[chain[offsets[:-1]]] // wide
    piece_key = np.zeros(int(piece.max()) + 1, dtype=np.int64)
    piece_key[piece] = key
    return points[nodes[chain] % wide], np.diff(offsets), piece_key[of_piece]


def _histories(bodies: Sequence[Mesh], of_body: Array, local: Array, step: str, group: str) -> tuple[Lineage, Array]:
    """Return the histories: faces of the first body keep theirs, those of others are ``group``, below the groups that they had."""
    lineage = bodies[0].lineage
    rows = np.full(len(of_body), -1, dtype=np.int64)
    for i, b in enumerate(bodies):
        mine = of_body == i
        own = b.face_lineage if b.face_lineage is not None else np.full(b.n_faces, -1, np.int32)
        if i == 0:
            rows[mine] = own[local[mine]]
            continue
        each, which = np.unique(own[local[mine]], return_inverse=True)
        table: list[tuple[str, str, int]] = []
        base = len(lineage.rows)
        ends = []
        for row in each.tolist():
            parent = -1
            for _, name in b.lineage.trail(row):
                table.append((step, name, parent))
                parent = base + len(table) - 1
            table.append((step, group, parent))
            ends.append(base + len(table) - 1)
        lineage, _ = lineage.extended(table)
        rows[mine] = np.array(ends, dtype=np.int64)[which] if len(each) else rows[mine]
    return lineage, rows.astype(np.int32)


def _finishes(
    bodies: Sequence[Mesh], others: Sequence[Cutter], of_body: Array, local: Array, cut_finish: str | None
) -> tuple[tuple[str, ...], Array | None]:
    names = list(bodies[0].finishes)
    out = np.full(len(of_body), -1, dtype=np.int32)

    def number(name: str) -> int:
        if name not in names:
            names.append(name)
        return names.index(name)

    for i, b in enumerate(bodies):
        mine = of_body == i
        if b.face_finish is not None:
            lookup = np.array([*(number(name) for name in b.finishes), -1], dtype=np.int32)
            out[mine] = lookup[b.face_finish[local[mine]]]
        given = cut_finish if i and cut_finish is not None else others[i - 1].finish if i else None
        if given is not None:
            bare = mine if cut_finish is not None else mine & (out < 0)
            out[bare] = number(given)
    return tuple(names), None if (out < 0).all() and not names else out


def _texture(
    bodies: Sequence[Mesh],
    cuts: Sequence[Triangulation],
    new: tuple[Floats, Array, Array],
    of_body: Array,
    local: Array,
) -> Floats | None:
    """Return texture coordinates of the corners of new faces (points, corners, offsets), by their place in the triangle of the old."""
    if bodies[0].uv is None:
        return None
    out = np.zeros((len(new[1]), 2))
    run = texture_at.choose(len(out), _FEW)
    for i, (b, cut) in enumerate(zip(bodies, cuts, strict=True)):
        if b.uv is not None:
            starts = np.concatenate([[0], np.cumsum(np.maximum(b.sides - 2, 0))])
            faces = np.where(of_body == i, local, -1)
            run(new, faces, b.points, b.corners, cut.corners, starts, b.uv, out)
    return out
