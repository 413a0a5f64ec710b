"""Picks: rules that say what a step acts on, worked out anew on whatever body comes to it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Bools, Floats
from jukai.core.geometry.elements import (
    alike,
    belonging,
    centres,
    element_normals,
    grown,
    loop_through,
    rows_of,
    strip_across,
)
from jukai.core.geometry.measures import edge_turns
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.base import Note, Picked

__all__ = ["alike_in_history", "element_of", "looks_like", "resolve_pick"]

SHARP = 30.0
"""Degrees, wherever an angle is not given."""
_REACH = 0.05
"""Share of the body's size within which an element picked by hand is looked for."""

_MOST_ROWS = 1000
_MANY = 2_000_000
"""Pairs of wanted and present elements from which a tree finds the near ones."""
_NEAREST = 24

Number = Callable[..., float]


@dataclass(slots=True)
class _Picker:
    """Works out one pick on one body."""

    mesh: Mesh
    kind: str
    number: Number
    where: str
    named: Mapping[str, Any] = field(default_factory=dict)
    notes: list[Note] = field(default_factory=list)
    within: tuple[str, ...] = ()

    def rule(self, raw: Any) -> Bools:
        if not isinstance(raw, dict):
            raise ValueProblem(
                f"{self.where.capitalize()} is no pick.", field=self.where, hint='For example {"rule": "sharper_than"}.'
            )
        if "join" in raw:
            self.only(raw, {"join", "of"})
            return self.joined(raw["join"])
        name = raw.get("rule")
        way = _RULES.get(name) if isinstance(name, str) else None
        if way is None:
            raise ValueProblem(
                f"There is no rule '{str(name)[:40]}'.", field=self.where, hint=f"There is: {', '.join(_RULES)}."
            )
        function, keys = way
        self.only(raw, {"rule", "of", *keys})
        return function(self, raw)

    def only(self, raw: dict[str, Any], keys: set[str]) -> None:
        strange = set(raw) - keys
        if strange:
            rest = sorted(keys - {"rule", "of"})
            raise ValueProblem(
                f"This pick has no '{min(strange)[:40]}'.",
                field=self.where,
                hint=f"It has: {', '.join(rest) or 'nothing else'}.",
            )

    def joined(self, rows: Any) -> Bools:
        if not isinstance(rows, list) or not rows or len(rows) > 100:
            raise ValueProblem("'join' is a list of picks.", field=self.where)
        out = self.rule(rows[0])
        for row in rows[1:]:
            if not isinstance(row, dict) or len(row) != 1 or next(iter(row)) not in ("and_also", "but_not"):
                raise ValueProblem("Further picks are joined by 'and_also' or 'but_not'.", field=self.where)
            ((how, pick),) = row.items()
            other = self.rule(pick)
            out = out | other if how == "and_also" else out & ~other
        return out

    def other(self, raw: Any, otherwise: str) -> Bools:
        """Return the elements of this kind that belong to a pick which may be of another kind."""
        of = raw.get("of", otherwise) if isinstance(raw, dict) else otherwise
        if of not in ("points", "edges", "faces"):
            raise ValueProblem(f"A pick is of points, edges or faces, not of '{str(of)[:20]}'.", field=self.where)
        inner = replace(self, kind=of)
        mask = inner.rule(raw)
        return belonging(self.mesh, mask, of, self.kind)

    # -- numbers ----------------------------------------------------------------------------------
    def value(self, raw: dict[str, Any], key: str, measures: str, default: float | None = None) -> float:
        if raw.get(key) is None:
            if default is None:
                raise ValueProblem(f"This pick needs '{key}'.", field=self.where)
            return default
        return self.number(raw[key], measures=measures, where=self.where)

    def three(self, raw: dict[str, Any], key: str) -> Floats:
        row = raw.get(key)
        if not isinstance(row, list) or len(row) != 3:
            raise ValueProblem(f"'{key}' of a pick is a list of three numbers.", field=self.where)
        return np.array([self.number(x, measures="length", where=self.where) for x in row])

    def direction(self, raw: dict[str, Any]) -> Floats:
        d = self.three(raw, "direction")
        length = float(np.linalg.norm(d))
        if not length > 0:
            raise ValueProblem(
                "The direction of a pick is 0 in all three numbers.", field=self.where, hint="For example [0, 0, 1]."
            )
        return np.asarray(d / length)

    # -- rules ------------------------------------------------------------------------------------
    def of_faces(self, faces: Bools) -> Bools:
        """Return the elements that have such a face."""
        if self.kind == "faces":
            return faces
        con = self.mesh.connectivity
        corners = faces[self.mesh.corner_faces]
        out = np.zeros(con.n_edges if self.kind == "edges" else self.mesh.n_points, dtype=bool)
        out[con.corner_edge[corners] if self.kind == "edges" else self.mesh.corners[corners]] = True
        return out

    def of_edges(self, edges: Bools) -> Bools:
        """Return the elements that have such an edge."""
        if self.kind == "edges":
            return edges
        con = self.mesh.connectivity
        if self.kind == "points":
            out = np.zeros(self.mesh.n_points, dtype=bool)
            out[con.edges[edges].ravel()] = True
        else:
            out = np.zeros(self.mesh.n_faces, dtype=bool)
            out[self.mesh.corner_faces[edges[con.corner_edge]]] = True
        return out

    def everything(self, _: dict[str, Any]) -> Bools:
        return (
            self.mesh.used_points.copy()
            if self.kind == "points"
            else np.ones(rows_of(self.mesh, self.kind), dtype=bool)
        )

    def group(self, raw: dict[str, Any]) -> Bools:
        step, name = raw.get("step"), raw.get("name")
        if not isinstance(step, str) or not isinstance(name, str):
            raise ValueProblem("A pick of a group names its step and the group.", field=self.where)
        faces = self.mesh.group_faces(step, name)
        if not faces.any():
            known = sorted({f"{g} of {s}" for s, g, _ in self.mesh.lineage.rows})
            self.notes.append(
                Note(
                    "warning",
                    f"There is no face of the group '{name}' of step {step} here. There is: {', '.join(known[:12]) or 'none'}.",
                    field=self.where,
                )
            )
        return self.of_faces(faces)

    def facing(self, raw: dict[str, Any]) -> Bools:
        way, within = self.direction(raw), self.value(raw, "within", "angle", SHARP)
        return np.asarray(
            element_normals(self.mesh, self.kind) @ way >= math.cos(math.radians(min(max(within, 0.0), 180.0))) - 1e-12
        )

    def sharper_than(self, raw: dict[str, Any]) -> Bools:
        angle = self.value(raw, "angle", "angle", SHARP)
        two = np.zeros(self.mesh.connectivity.n_edges, dtype=bool)
        con = self.mesh.connectivity
        two[con.corner_edge[(con.twins >= 0) & ~con.same_way(self.mesh.corners)]] = True
        return self.of_edges(two & (edge_turns(self.mesh) > math.radians(angle) + 1e-9))

    def rim(self, _: dict[str, Any]) -> Bools:
        return self.of_edges(self.mesh.connectivity.edge_sides == 1)

    def inside(self, raw: dict[str, Any]) -> Bools:
        at = centres(self.mesh, self.kind)
        shape = raw.get("shape")
        eps = 1e-9 * self.mesh.size
        if shape == "box":
            return np.asarray(
                (np.abs(at - self.three(raw, "centre")) <= np.abs(self.three(raw, "size")) / 2 + eps).all(axis=1)
            )
        if shape == "ball":
            rel = at - self.three(raw, "centre")
            return np.asarray(np.sqrt(np.einsum("ij,ij->i", rel, rel)) <= self.value(raw, "radius", "length") + eps)
        if shape == "half_space":
            return np.asarray((at - self.three(raw, "point")) @ self.direction(raw) >= -eps)
        raise ValueProblem(
            f"'{str(shape)[:40]}' is no shape to pick in.", field=self.where, hint="There is: box, ball, half_space."
        )

    def finish(self, raw: dict[str, Any]) -> Bools:
        name = raw.get("name")
        mesh = self.mesh
        if not isinstance(name, str) or mesh.face_finish is None or name not in mesh.finishes:
            return self.of_faces(np.zeros(mesh.n_faces, dtype=bool))
        return self.of_faces(mesh.face_finish == mesh.finishes.index(name))

    def every_nth(self, raw: dict[str, Any]) -> Bools:
        among = np.flatnonzero(self.rule(raw.get("among", {"rule": "everything"})))
        n, first = round(self.value(raw, "n", "", 2.0)), round(self.value(raw, "first", "", 0.0))
        if n < 1 or first < 0:
            raise ValueProblem(
                f"Every {n}th from {first} picks nothing.", field=self.where, hint="1 is the least n, 0 the first."
            )
        out = np.zeros(rows_of(self.mesh, self.kind), dtype=bool)
        out[among[first::n]] = True
        return out

    def loop_through(self, raw: dict[str, Any]) -> Bools:
        start = self.found([raw.get("start")], "edges")
        edges = np.zeros(self.mesh.connectivity.n_edges, dtype=bool)
        for e in start.tolist():
            edges[loop_through(self.mesh, e)] = True
        return self.of_edges(edges)

    def strip_across(self, raw: dict[str, Any]) -> Bools:
        start = self.found([raw.get("start")], "edges")
        faces = np.zeros(self.mesh.n_faces, dtype=bool)
        edges = np.zeros(self.mesh.connectivity.n_edges, dtype=bool)
        for e in start.tolist():
            crossed, through = strip_across(self.mesh, e)
            edges[crossed] = True
            faces[through] = True
        return edges if self.kind == "edges" else self.of_faces(faces)

    def by_hand(self, raw: dict[str, Any]) -> Bools:
        rows = raw.get("elements")
        if not isinstance(rows, list):
            raise ValueProblem("A pick by hand has a list of elements.", field=self.where)
        out = np.zeros(rows_of(self.mesh, self.kind), dtype=bool)
        out[self.found(rows, self.kind)] = True
        return out

    def named_pick(self, raw: dict[str, Any]) -> Bools:
        name = raw.get("name")
        if not isinstance(name, str) or name not in self.named:
            known = ", ".join(self.named) or "none"
            raise ValueProblem(f"There is no pick '{str(name)[:60]}'.", field=self.where, hint=f"There is: {known}.")
        if name in self.within:
            raise ValueProblem(
                f"The pick '{name}' is made of itself: {' → '.join((*self.within, name))}.", field=self.where
            )
        return replace(self, within=(*self.within, name)).other(self.named[name], self.kind)

    def belonging_to(self, raw: dict[str, Any]) -> Bools:
        return self.other(raw.get("pick"), "faces")

    def grown(self, raw: dict[str, Any]) -> Bools:
        by = round(self.value(raw, "by", "", 1.0))
        if not -_MOST_ROWS <= by <= _MOST_ROWS:
            raise ValueProblem(f"A pick grown by {by}.", field=self.where, hint=f"{_MOST_ROWS} rows are the most.")
        return grown(self.mesh, self.rule(raw.get("pick")), self.kind, by)

    def same_as(self, raw: dict[str, Any]) -> Bools:
        out = np.zeros(rows_of(self.mesh, self.kind), dtype=bool)
        for which in self.found([raw.get("start")], self.kind).tolist():
            out |= alike(self.mesh, self.kind, which)
        return out

    def found(self, rows: Sequence[Any], kind: str) -> NDArray[np.int64]:
        """Return the elements that were picked by hand: of the same history and way of facing, the nearest."""
        if not rows or rows_of(self.mesh, kind) == 0:
            return np.zeros(0, np.int64)
        wanted_at, wanted_way, trails = [], [], []
        for row in rows:
            if not isinstance(row, dict) or not isinstance(row.get("at"), list) or len(row["at"]) != 3:
                raise ValueProblem("An element picked by hand has its place: 'at', three numbers.", field=self.where)
            wanted_at.append(self.three(row, "at"))
            way = row.get("normal")
            wanted_way.append(self.three(row, "normal") if isinstance(way, list) else np.zeros(3))
            trails.append([tuple(t) for t in row.get("lineage") or [] if isinstance(t, list)])
        at, ways = centres(self.mesh, kind), element_normals(self.mesh, kind)
        reach = _REACH * max(self.mesh.size, 1e-300)
        taken: dict[int, int] = {}
        lost: list[tuple[float, float, float]] = []
        fits = _Trails(self.mesh, kind)
        near = _near(at, np.array(wanted_at), reach)
        for i, (here, way, trail) in enumerate(zip(wanted_at, wanted_way, trails, strict=True)):
            rows_ = next(near)
            gap = np.sqrt(((at[rows_] - here) ** 2).sum(axis=1))
            gap = np.where((ways[rows_] @ way < 0.2) & bool(way.any()), np.inf, gap)
            if trail:
                gap = gap + np.where(
                    fits.has(trail)[rows_], 0.0, reach / 2
                )  # another history counts as half as far again
            best = int(np.argmin(gap)) if len(gap) else -1
            if best >= 0 and gap[best] <= reach and int(rows_[best]) not in taken:
                taken[int(rows_[best])] = i
            else:
                lost.append((float(here[0]), float(here[1]), float(here[2])))
        if lost:
            what = {"points": "point", "edges": "edge", "faces": "face"}[kind]
            self.notes.append(
                Note(
                    "warning",
                    f"{len(lost)} picked {what}{'s are' if len(lost) > 1 else ' is'} not there any more.",
                    tuple(lost),
                    field=self.where,
                )
            )
        return np.array(sorted(taken), dtype=np.int64)


def _near(at: Floats, wanted: Floats, reach: float) -> Iterator[NDArray[np.int64]]:
    """Return for each wanted place the elements that may be meant, in order of number."""
    if len(at) * len(wanted) <= _MANY:
        every = np.arange(len(at))
        for _ in wanted:
            yield every
        return
    from scipy.spatial import cKDTree

    tree = cKDTree(at)
    _, rows = tree.query(wanted, k=min(_NEAREST, len(at)), distance_upper_bound=reach)
    for row in rows:
        yield np.sort(row[row < len(at)])


@dataclass(slots=True)
class _Trails:
    """Which elements have a face of some history."""

    mesh: Mesh
    kind: str
    kept: dict[str, Bools] = field(default_factory=dict)

    def has(self, trail: list[tuple[Any, ...]]) -> Bools:
        key = repr(trail)
        if key not in self.kept:
            mesh = self.mesh
            rows = [i for i in range(len(mesh.lineage.rows)) if mesh.lineage.trail(i) == trail]
            faces = (
                np.isin(mesh.face_lineage, rows)
                if mesh.face_lineage is not None
                else np.zeros(mesh.n_faces, dtype=bool)
            )
            self.kept[key] = _Picker(mesh, self.kind, lambda *_, **__: 0.0, "").of_faces(faces)
        return self.kept[key]


_RULES: dict[str, tuple[Callable[[_Picker, dict[str, Any]], Bools], tuple[str, ...]]] = {
    "everything": (_Picker.everything, ()),
    "group": (_Picker.group, ("step", "name")),
    "facing": (_Picker.facing, ("direction", "within")),
    "sharper_than": (_Picker.sharper_than, ("angle",)),
    "rim": (_Picker.rim, ()),
    "inside": (_Picker.inside, ("shape", "centre", "size", "radius", "point", "direction")),
    "finish": (_Picker.finish, ("name",)),
    "every_nth": (_Picker.every_nth, ("among", "n", "first")),
    "loop_through": (_Picker.loop_through, ("start",)),
    "strip_across": (_Picker.strip_across, ("start",)),
    "by_hand": (_Picker.by_hand, ("elements",)),
    "same_as": (_Picker.same_as, ("start",)),
    "grown": (_Picker.grown, ("pick", "by")),
    "belonging_to": (_Picker.belonging_to, ("pick",)),
    "named": (_Picker.named_pick, ("name",)),
}


def resolve_pick(
    raw: Any, mesh: Mesh, kinds: Sequence[str], number: Number, where: str, named: Mapping[str, Any] | None = None
) -> tuple[Picked, list[Note]]:
    """Work out a pick on a body.

    Parameters
    ----------
    raw : the rule as it stands in the bench.
    kinds : what the operator takes: of ``points``, ``edges``, ``faces``; the first if the pick does not say.
    number : works out a number or a formula: ``number(raw, measures=..., where=...)``.
    named : picks of the part by their names.

    Raises
    ------
    ValueProblem
        For an unknown rule or key, or a kind that the operator does not take.
    """
    kind = raw.get("of", kinds[0]) if isinstance(raw, dict) else kinds[0]
    if kind not in kinds:
        raise ValueProblem(
            f"{where.capitalize()}: a pick of {str(kind)[:20]} can't be used here.",
            field=where,
            hint=f"It takes {' or '.join(kinds)}.",
        )
    picker = _Picker(mesh, kind, number, where, named or {})
    mask = picker.rule(raw)
    return Picked(kind, mask), picker.notes


def alike_in_history(mesh: Mesh, kind: str, element: Mapping[str, Any]) -> Bools:
    """Return the elements that have come from where one written down has, and face its way, as far as that is known."""
    out = np.ones(rows_of(mesh, kind), dtype=bool)
    trail = [tuple(t) for t in element.get("lineage") or [] if isinstance(t, list)]
    if trail:
        out &= _Trails(mesh, kind).has(trail)
    way = element.get("normal")
    if isinstance(way, list) and len(way) == 3 and all(isinstance(x, int | float) for x in way) and any(way):
        out &= element_normals(mesh, kind) @ np.array(way, dtype=np.float64) > 0.2
    return out


def element_of(mesh: Mesh, kind: str, which: int) -> dict[str, Any]:
    """Return how an element is written in a pick by hand: where it is, which way it faces, where its first face has come from."""
    out: dict[str, Any] = {"at": [float(f"{x:.9g}") for x in centres(mesh, kind)[which]]}
    if kind != "points":
        out["normal"] = [float(f"{x:.9g}") for x in element_normals(mesh, kind)[which]]
    con = mesh.connectivity
    if kind == "faces":
        corner = mesh.offsets[which]
    elif kind == "edges":
        corner = np.flatnonzero(con.corner_edge == which)[0]
    else:
        corner = con.point_corners[con.point_offsets[which]]
    if mesh.face_lineage is not None:
        row = int(mesh.face_lineage[mesh.corner_faces[corner]])
        if row >= 0:
            out["lineage"] = [list(t) for t in mesh.lineage.trail(row)]
    return out


_ANGLES = (1.0, 5.0, 10.0, 20.0, 30.0, 45.0, 60.0, 75.0, 89.0, 120.0, 150.0)
_WAYS = {
    "up": (0, 0, 1),
    "down": (0, 0, -1),
    "to the right": (1, 0, 0),
    "to the left": (-1, 0, 0),
    "to the front": (0, -1, 0),
    "to the back": (0, 1, 0),
}


def looks_like(mesh: Mesh, picked: Picked) -> list[tuple[str, dict[str, Any]]]:
    """Return rules that pick just these elements, each with words for it: what a pick by hand could as well be.

    Tried are all elements, angles, the rim, the six ways to face and the groups of earlier steps,
    simplest first.
    """
    if not picked.mask.any():
        return []
    rules: list[tuple[str, dict[str, Any]]] = [("all there are", {"rule": "everything"}), ("the rim", {"rule": "rim"})]
    if picked.kind == "edges":
        least = math.degrees(float(edge_turns(mesh)[picked.mask].min()))
        rules += [
            (f"sharper than {a:g}°", {"rule": "sharper_than", "angle": a})
            for a in sorted(_ANGLES, key=lambda a: (a != SHARP, -a))
            if a < least
        ]
    rules += [
        (f"facing {words}", {"rule": "facing", "direction": list(way), "within": 15}) for words, way in _WAYS.items()
    ]
    groups = dict.fromkeys((s, g) for s, g, _ in mesh.lineage.rows)
    rules += [
        (f"of the group {g.replace('_', ' ')} of step {s}", {"rule": "group", "step": s, "name": g}) for s, g in groups
    ]
    first = int(np.flatnonzero(picked.mask)[0])
    if picked.kind == "edges":
        loop = np.zeros(len(picked.mask), dtype=bool)
        loop[loop_through(mesh, first)] = True
        if int(loop.sum()) > 1 and (loop == picked.mask).all():
            rules.append(
                ("the loop through one of them", {"rule": "loop_through", "start": element_of(mesh, "edges", first)})
            )
    if picked.count > 1:
        rules.append(
            ("that are the same as one of them", {"rule": "same_as", "start": element_of(mesh, picked.kind, first)})
        )
    out = []
    picker = _Picker(mesh, picked.kind, lambda raw, **_: float(raw), "pick")
    for words, rule in rules:
        if (picker.rule(rule) == picked.mask).all():
            out.append((words, rule))
            if len(out) == 3:
                break
    return out
