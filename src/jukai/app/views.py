"""What the page is told of parts, steps, curves and measures, as plain data."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

from jukai.core.errors import CoreError, ValueProblem
from jukai.core.geometry.crossings import polyline_crossing
from jukai.core.geometry.curve_pieces import Sampled
from jukai.core.geometry.measuring import READINGS, Reading
from jukai.core.notes import Note
from jukai.core.operators.base import Callout
from jukai.core.recipe.bench import Curve, Part
from jukai.core.recipe.curve_steps import deformed_curve
from jukai.core.recipe.evaluate import StepOutcome, placement_numbers
from jukai.core.recipe.measuring import Measured
from jukai.core.recipe.resolve import Resolver, point_ids

__all__ = ["curve_view", "hidden_view", "measure_view", "note_view", "placed_view", "reading_view", "step_view"]


def reading_view(r: Reading) -> dict[str, object]:
    """Return what is read between picked elements as plain data."""
    words, unit = READINGS[r.what]
    return {"what": r.what, "words": words, "unit": unit, "value": r.value, "places": [list(p) for p in r.places]}


def measure_view(m: Measured) -> dict[str, object]:
    """Return a kept measure as plain data."""
    words, unit = READINGS[m.measure.what]
    out: dict[str, object] = {"name": m.measure.name, "what": m.measure.what, "words": words, "unit": unit, "value": None, "places": [], "error": None,
                           "parts": [e.part for e in m.measure.of], "hidden": m.measure.hidden}  # fmt: skip
    if m.reading is not None:
        out |= {"value": m.reading.value, "places": [list(p) for p in m.reading.places]}
    if m.error is not None:
        out["error"] = m.error.as_dict()
    return out


def hidden_view(part: Part) -> dict[str, object]:
    """Return the view of a part that is not worked out."""
    return {"part": part.id, "name": part.name, "hidden": True, "steps": [], "matrix": None, "placed": None, "key": None, "mesh": None, "faces": 0, "points": 0,
            "four_sided": 0, "bounds": None, "stands": None, "volume": None, "mass": None, "groups": {}, "error": None}  # fmt: skip


def placed_view(resolver: Resolver, part: Part) -> dict[str, object]:
    """Return the numbers of a placement, worked out."""
    out: dict[str, object] = {name: row.tolist() for name, row in placement_numbers(part, resolver).items()}
    out["extents"] = {s: resolver.number(v, measures="length", where=s) for s, v in part.placement.extents.items()}
    return out


def _plain(value: object) -> object:
    """Return a value as JSON can hold it."""
    if isinstance(value, tuple | list):
        return [_plain(v) for v in value]
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, np.generic):
        return value.item()
    return value


def _short(rows: ArrayLike) -> list[list[float]]:
    """Return rows of coordinates as plain numbers, no more figures than can be seen: thousands of them may go with each answer."""
    table = np.asarray(rows, dtype=np.float64)
    if not table.size:
        return []
    span = float(np.ptp(table))
    digits = 8 - math.floor(math.log10(span)) if span > 0 else 12
    plain: list[list[float]] = np.round(table, min(max(digits, 0), 15)).tolist()
    return plain


def note_view(n: Note) -> dict[str, object]:
    """Return a note as plain data: its first places, and the value that solves it."""
    solve = None if n.solve is None else dict(zip(("key", "value", "words"), n.solve, strict=True))
    return {
        "level": n.level,
        "text": n.text,
        "places": [list(p) for p in n.places[:50]],
        "field": n.field,
        "solve": solve,
        "lines": _short(n.lines),
        "before": [{"operator": o, "values": dict(v), "words": w} for o, v, w in n.before],
    }


def callout_view(c: Callout) -> dict[str, object]:
    """Return a callout as plain data."""
    return {"target": c.target, "form": c.form, "at": list(c.at), "to": list(c.to), "along": list(c.along), "gain": c.gain,
            "second": list(c.second) if c.second else None, "stopped": c.stopped, "slope": c.slope, "grip": list(c.held_at), "label": c.label}  # fmt: skip


def step_view(o: StepOutcome) -> dict[str, object]:
    """Return what became of a step as plain data."""
    axis = o.result.axis if o.result is not None else None
    return {
        "id": o.step.id, "state": o.state, "shown": dict(o.shown), "used": {k: _plain(v) for k, v in o.used.items()},
        "facts": {} if o.result is None else {k: _plain(v) for k, v in o.result.facts.items()}, "pieces": [] if o.result is None else list(o.result.pieces),
        "notes": [note_view(n) for n in o.notes], "error": o.error.as_dict() if o.error else None,
        "faces_added": o.faces_added, "faces": o.mesh.n_faces if o.mesh is not None else 0,
        "callouts": [callout_view(c) for c in o.result.callouts] if o.result is not None else [],
        "turned": o.result is not None and o.result.turned,
        "run": None if o.result is None or o.result.run is None else np.round(o.result.run, 6).tolist(),
        "lines": [] if o.result is None or o.result.lines is None else _short(o.result.lines),
        "axis": {"point": axis[0].tolist(), "direction": axis[1].tolist()} if axis is not None else None,
    }  # fmt: skip


def _chords(sampled: Sampled) -> float:
    ring = np.concatenate([sampled.points, sampled.points[:1]]) if sampled.closed else sampled.points
    return float(np.linalg.norm(np.diff(ring, axis=0), axis=1).sum())


def _traced_view(resolver: Resolver, curve: Curve) -> dict[str, object] | None:
    """Return the picture under a curve with its numbers worked out."""
    t = curve.traced
    if t is None:
        return None
    at = [resolver.number(x, measures="length", where="picture") for x in t.at]
    wide = resolver.number(t.wide, measures="length", where="picture")
    if not wide > 0:
        raise ValueProblem(f"The picture is {wide:g} mm wide.", field="picture", hint="Give it a width.")
    return {"file": t.file, "at": at, "wide": wide, "tall": wide * t.tall, "plane": t.plane}


def curve_view(resolver: Resolver, curve: Curve) -> dict[str, object]:
    """Return a curve as the drawing board shows it, or what is wrong with it."""
    out: dict[str, object] = {
        "id": curve.id,
        "name": curve.name,
        "kind": curve.kind,
        "closed": curve.closed,
        "length": None,
        "crosses": None,
        "points": [],
        "samples": [],
        "fillets": [],
        "traced": None,
        "steps": [],
        "deformed": [],
        "error": None,
    }
    try:
        out["traced"] = _traced_view(resolver, curve)
        profile = resolver.drawn(curve.id)
    except CoreError as e:
        return out | {"error": e.as_dict()}
    shape, sampled = profile.shape, profile.sampled
    if curve.steps:
        _, steps = deformed_curve(curve, shape, resolver)
        out["steps"] = [
            {"id": s.id, "used": {k: _plain(v) for k, v in s.used.items()}, "shown": dict(s.shown),
             "facts": {k: _plain(v) for k, v in s.facts.items()}, "error": None if s.error is None else s.error.as_dict()}
            for s in steps
        ]  # fmt: skip
        if all(s.error is None for s in steps):
            out["deformed"] = resolver.curve(curve.id).sampled.points.tolist()
    rows = zip(
        point_ids(curve),
        shape.at.tolist(),
        shape.fillet.tolist(),
        shape.legs.tolist(),
        shape.join,
        shape.out.tolist(),
        shape.into.tolist(),
        strict=True,
    )
    out["points"] = [
        {"id": i, "at": at, "fillet": f, "chamfer": c, "join": j, "out": o, "into": n} for i, at, f, c, j, o, n in rows
    ]
    out["samples"] = sampled.points.tolist()
    path = profile.path
    if path.pieces:
        # what is round beside curved pieces is known of a profile's samples alone
        exact = profile.kind == "path" or all(r.radius > 0 for r in path.roundings)
        out["length"] = path.long if exact else _chords(sampled)
    if profile.kind == "path":
        out["fillets"] = [
            {
                "point": profile.point_ids[r.point],
                "asked": r.asked,
                "radius": r.radius,
                "centre": shape.at[r.point].tolist(),
                "cut": r.cut,
            }
            for r in path.roundings
        ]
        return out
    crossing = polyline_crossing(sampled.points, closed=sampled.closed) if len(sampled.points) > 2 else None
    if crossing is not None:
        out["crosses"] = crossing[2].tolist()
    out["fillets"] = [
        {
            "point": profile.point_ids[f.point],
            "asked": f.asked,
            "radius": f.radius,
            "centre": list(f.centre),
            "cut": f.cut,
        }
        for f in sampled.fillets
    ]
    return out
