"""A small ink drawing of what an operator does, from the example in its file."""

from __future__ import annotations

import numpy as np

from jukai.core.errors import ValueProblem
from jukai.core.geometry.arrays import Floats
from jukai.core.geometry.hidden_lines import Eye, turned_eye, visible_lines
from jukai.core.geometry.mesh import Mesh
from jukai.core.operators.base import Example, Operator
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.evaluate import evaluate

__all__ = ["INKS", "example_bench", "example_drawing"]

INKS = {"paper": ("#1d2420", "#1f6a43"), "dusk": ("#e9ebe0", "#8fd0a5")}
"""Ink and accent of the two looks."""
_HEIGHT, _EDGE, _GAP = 56.0, 3.0, 16.0
"""px: of the picture, left free around, and between before and after."""


def example_bench(example: Example) -> Bench:
    """Return the bench of an example: part ``p1`` is what it shows, ``p0`` what stands beside it."""
    curves: list[dict[str, object]] = [
        {"id": "c1", "name": "Profile", "closed": example.closed, "points": list(example.profile)},
        {"id": "c2", "name": "Path", "kind": "path", "points": list(example.path)},
        {"id": "c2", "name": "Second", "closed": True, "points": list(example.second)},
    ]
    rows = (("p0", example.beside), ("p1", example.steps))
    parts = [
        {"id": name, "name": name, "recipe": [{"id": f"s{i}", "operator": op, "values": dict(v)} for i, (op, v) in enumerate(steps, 1)]}
        for name, steps in rows
        if steps
    ]  # fmt: skip
    return Bench.model_validate({"name": "Example", "curves": [c for c in curves if c["points"]], "parts": parts})


def example_drawing(op: Operator, look: str) -> str:
    """Return an SVG: of a shape the shape, of a change the body before and after it.

    Raises
    ------
    ValueProblem
        For an operator without an example, or a look that there is none of.
    """
    if op.example is None:
        raise ValueProblem(f"'{op.name}' has no example to be drawn.")
    if look not in INKS:
        raise ValueProblem(f"There is no look '{look[:20]}'.", hint=f"There is: {', '.join(INKS)}.")
    bodies = _bodies(op.example)
    eye = turned_eye(*op.example.seen_from)
    here = np.eye(4)
    drawn = [(visible_lines([(_all_sharp(m), here)], eye), visible_lines([(m, here)], eye)) for m in bodies]
    height = max(float(np.ptp(_flat(mesh, eye)[:, 1])) for mesh in bodies)
    width = max(float(np.ptp(_flat(mesh, eye)[:, 0])) for mesh in bodies)
    scale = (_HEIGHT - 2 * _EDGE) / max(height, width * 0.8, 1e-9)
    ink, accent = INKS[look]
    out, left = [], _EDGE
    for i, (mesh, (faces, lines)) in enumerate(zip(bodies, drawn, strict=True)):
        flat = _flat(mesh, eye)
        low, high = flat.min(axis=0), flat.max(axis=0)
        if i:
            middle = _HEIGHT / 2
            a, b = left + 3, left + _GAP - 3
            out.append(
                f'<path d="M{a:.1f} {middle}H{b:.1f}m-3 -2.5l3 2.5l-3 2.5" stroke="{accent}" stroke-width="1.2"/>'
            )
            left += _GAP
        shift = np.array([left - low[0] * scale, _HEIGHT / 2 + (low[1] + high[1]) / 2 * scale])
        flip = np.array([scale, -scale])
        for pieces, stroke in (
            (faces.pieces, 0.35),
            (lines.pieces[~lines.outline], 0.9),
            (lines.pieces[lines.outline], 1.4),
        ):
            if len(pieces):
                out.append(f'<path d="{_path(pieces * flip + shift)}" stroke="{ink}" stroke-width="{stroke}"/>')
        left += float(high[0] - low[0]) * scale
    wide = left + _EDGE
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {wide:.1f} {_HEIGHT:g}" width="{wide:.1f}" height="{_HEIGHT:g}" fill="none" '
        f'stroke-linecap="round" stroke-linejoin="round"><title>{op.name}</title>{"".join(out)}</svg>\n'
    )


def _bodies(example: Example) -> list[Mesh]:
    """Return the bodies to be drawn, in order: before and after, or the only one."""
    bench = example_bench(example)
    whole = evaluate(bench, "p1", files=example.files)
    if whole.error is not None:
        raise whole.error
    out = []
    if example.beside:
        out.append(evaluate(bench, "p0").mesh)
    if len(example.steps) > 1:
        out.append(whole.steps[-2].mesh)
    out.append(whole.mesh)
    return [m for m in out if m is not None]


def _all_sharp(mesh: Mesh) -> Mesh:
    """Return a body whose every edge is drawn."""
    edges = mesh.connectivity.edges
    return mesh.with_changes(edge_pairs=edges, edge_data={"sharp": np.ones(len(edges), dtype=bool)})


def _flat(mesh: Mesh, eye: Eye) -> Floats:
    return np.asarray(mesh.points @ eye.axes[:2].T)


def _path(pieces: Floats) -> str:
    return "".join(f"M{a[0]:.1f} {a[1]:.1f}L{b[0]:.1f} {b[1]:.1f}" for a, b in pieces.tolist())
