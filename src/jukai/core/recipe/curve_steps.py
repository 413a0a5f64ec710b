"""Curves that go through deforming steps before anything is made from them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from jukai.core.errors import CoreError, ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.curve_pieces import CurveShape, bezier
from jukai.core.geometry.curve_segments import Segment, segments_of
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.base import Context, Operator
from jukai.core.operators.registry import get_operator

if TYPE_CHECKING:
    from jukai.core.recipe.bench import Curve, Step
    from jukai.core.recipe.resolve import Resolver

__all__ = ["BENDS_CURVES", "CurveStep", "deformed_curve", "refuse_other"]

BENDS_CURVES = ("bend", "taper", "twist", "stretch", "undulate")
"""What a curve can go through: maps of space. A relief needs a surface."""
_PIECES = 16
"""Into how many pieces each of a curve's is cut: cubics through their ends miss the map by far less than a chord does."""
_MOST = 4000
_STEP = 1e-4
"""Parameter from a place to those that its slope is told by."""


@dataclass(frozen=True, slots=True)
class CurveStep:
    """What became of a step of a curve; of one that failed ``error`` says why."""

    id: str
    used: Mapping[str, object] = field(default_factory=dict)
    shown: Mapping[str, float] = field(default_factory=dict)
    facts: Mapping[str, float | str] = field(default_factory=dict)
    error: CoreError | None = None


def refuse_other(operator: str) -> None:
    """Refuse an operator that a curve can't go through."""
    if operator not in BENDS_CURVES:
        raise ValueProblem(
            f"A curve can't go through '{get_operator(operator).name.lower()}'.",
            hint=f"There is: {', '.join(BENDS_CURVES)}.",
        )


def deformed_curve(curve: Curve, shape: CurveShape, resolver: Resolver) -> tuple[CurveShape, list[CurveStep]]:
    """Return a curve once it has gone through its steps, in cubic pieces, and what became of each step.

    A profile lies upright in the plane Y = 0 meanwhile, across along X; what leaves the plane is laid back into it.
    The first step that fails ends it: the curve is as it was before that one, and the error is told.
    """
    told: list[CurveStep] = []
    for step in curve.steps:
        if not step.on:
            told.append(CurveStep(step.id))
            continue
        try:
            refuse_other(step.operator)
            shape, outcome = _through(shape, step, get_operator(step.operator), resolver)
        except CoreError as e:
            told.append(CurveStep(step.id, error=e))
            break
        told.append(outcome)
    return shape, told


def _through(shape: CurveShape, step: Step, op: Operator, resolver: Resolver) -> tuple[CurveShape, CurveStep]:
    from jukai.core.recipe.resolve import Inputs

    segments = segments_of(shape)
    if not segments:
        raise ValueProblem("The curve has no length.", hint="Move its points apart.")
    pieces = max(1, min(_PIECES, _MOST // len(segments)))
    places = np.arange(pieces + 1) / pieces
    # each place, and two beside it on the curve that its slope is told by
    first = np.clip(places - _STEP, 0.0, 1.0 - 2 * _STEP)
    asked = np.concatenate([places, first, first + _STEP, first + 2 * _STEP])
    rows = np.concatenate([_in_space(_points(s, asked)) for s in segments])
    n = len(rows)
    mesh = Mesh(rows, np.arange(n, dtype=np.int32), np.array([0, n], dtype=np.int32))
    resolved = resolver.step(step, op, Inputs(mesh))
    result = op.apply(mesh, resolved.values, Context(step.id))
    flat = shape.at.shape[1] == 2
    moved = result.mesh.points[:, [0, 2]] if flat else result.mesh.points
    moved = moved.reshape(len(segments), 4, pieces + 1, -1)
    at, a, b, c = moved[:, 0], moved[:, 1], moved[:, 2], moved[:, 3]
    # of the parabola through three places beside each other
    u = ((places - first) / _STEP)[None, :, None]
    slope = ((b - a) + (u - 0.5) * (c - 2 * b + a)) / _STEP
    reach = slope / (3 * pieces)
    outcome = CurveStep(step.id, dict(result.used), dict(resolved.shown), dict(result.facts))
    return _joined(at, reach, closed=shape.closed, like=shape), outcome


def _joined(at: Floats, reach: Floats, *, closed: bool, like: CurveShape) -> CurveShape:
    """Return segments (k, m + 1, d) with the handles at their places as one curve of cubic pieces."""
    k, m, d = at.shape
    points = np.concatenate([at[:, :-1].reshape(-1, d), *([] if closed else [at[-1:, -1]])])
    out = np.zeros_like(points)
    into = np.zeros_like(points)
    n = len(points)
    ahead = np.arange(k * (m - 1))
    out[ahead] = reach[:, :-1].reshape(-1, d)
    into[(ahead + 1) % n] = -reach[:, 1:].reshape(-1, d)
    return CurveShape(
        points, np.zeros(n), ("bezier",) * n, out, into, closed,
        max(like.size, 1e-300) / 500 if like.tolerance is None else like.tolerance,
    )  # fmt: skip


def _points(s: Segment, t: Floats) -> Floats:
    if s.inner is not None:
        return bezier(np.array([s.p, *s.inner, s.q]), t)
    if s.circle is None:
        return np.asarray(s.p + (s.q - s.p) * t[:, None])
    if hasattr(s.circle, "point"):
        return np.asarray(s.circle.point(t))
    angle = s.circle.start + s.circle.sweep * t
    return np.asarray(s.circle.centre + s.circle.radius * np.column_stack([np.cos(angle), np.sin(angle)]))


def _in_space(rows: Floats) -> Floats:
    return rows if rows.shape[1] == 3 else np.column_stack([rows[:, 0], np.zeros(len(rows)), rows[:, 1]])
