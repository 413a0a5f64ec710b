"""Compiles and runs the kernels once: at set-up so that they are cached, in the server so that they are loaded."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jukai.core.formats import WriteOptions, read_mesh
from jukai.core.formats._ply_reading import read_ply
from jukai.core.formats.glb import GlbPart, write_glb
from jukai.core.formats.obj import ObjPart, write_obj
from jukai.core.formats.ply import write_ply
from jukai.core.formats.stl import write_stl
from jukai.core.geometry import kernels
from jukai.core.geometry._box import onto_ball
from jukai.core.geometry._near import least_of_triangles
from jukai.core.geometry.bevel.joining import Bevel
from jukai.core.geometry.bevel.rounding import round_edges
from jukai.core.geometry.building import box_mesh
from jukai.core.geometry.clearance import clearance, place
from jukai.core.geometry.crossings import self_crossings
from jukai.core.geometry.curve_pieces import CurveShape
from jukai.core.geometry.deform import twisting
from jukai.core.geometry.frames import frame_along
from jukai.core.geometry.hidden_lines import SEEN_FROM, visible_lines
from jukai.core.geometry.lathe import Section, Turning, turn
from jukai.core.geometry.measures import signed_volume, surface_centroid
from jukai.core.geometry.mesh import Mesh, join_meshes
from jukai.core.geometry.noise import cells, smooth_noise
from jukai.core.geometry.path_frames import least_twist
from jukai.core.geometry.paths import path_through
from jukai.core.geometry.section import Plane, cut, gap_between
from jukai.core.geometry.soundness import soundness
from jukai.core.geometry.strips import strip_bytes
from jukai.core.geometry.triangulation import triangulate, with_short_diagonals
from jukai.core.geometry.view import view_bytes

__all__ = ["warm_up", "warming"]


def warm_up(*, rare: bool = False) -> None:
    """Run every kernel on a body large enough to need it; with ``rare`` those of files and of faults too."""
    for _ in warming(rare=rare):
        pass


def warming(*, rare: bool = False) -> Iterator[None]:
    """Warm up in pieces of some tenths of a second, the most needed first: who goes through them may pause between two."""
    z = np.linspace(0.0, 100.0, 121)
    wave = np.column_stack([20 + 3 * np.sin(z / 5), z])
    body = turn([Section(wave)], Turning(sides=64), "warm")
    assert len(body.corners) > kernels.FEW  # noqa: S101 - else nothing would be compiled
    twisted = body.with_points(twisting(frame_along("z"), 0.0, 100.0, 90.0, 0.0)(body.points))
    yield
    view_bytes(twisted)
    yield
    strip_bytes(twisted)
    signed_volume(twisted)
    yield
    every = np.ones(body.connectivity.n_edges, dtype=bool)
    round_edges(body, every, np.full(len(every), 0.1), Bevel(2), "warm")
    yield
    # so wide that strips stop, meet and are searched for crossings
    round_edges(body, every, np.full(len(every), 30.0), Bevel(1), "warm")
    yield
    soundness(twisted)
    yield
    coil = np.column_stack([20 * np.cos(z), 20 * np.sin(z), z])
    lies = path_through(CurveShape.straight(coil))
    least_twist(lies.stations(lies.steps(0.1)))
    cube = box_mesh(np.ones(3), (50, 50, 50), "warm")
    view_bytes(cube)
    smooth_noise(cube.points, 1.0)
    cells(cube.points, 1.0)
    onto_ball(np.array(cube.points), 1.0)
    yield
    shifted = np.eye(4)
    shifted[0, 3] = 30.0
    clearance(place(body), place(body, shifted))
    yield
    visible_lines([(body, np.eye(4))], SEEN_FROM["front"])
    yield
    whole, beside = (
        cut(body, Plane.through(np.array([0.0, 0.0, 50.0]), np.array([0.0, 0.0, 1.0])), m) for m in (np.eye(4), shifted)
    )
    gap_between(whole, beside)
    surface_centroid(twisted)
    least_of_triangles(body.points[:3][None], body.points[3:6][None])
    yield from _recipes()
    yield from _edits(cube)
    if rare:
        yield
        _formats(Mesh(twisted.points, twisted.corners, twisted.offsets, uv=twisted.uv))
        _faults(body, twisted, cube)


_RING = [{"at": [4 * np.cos(a), 4 * np.sin(a)]} for a in np.linspace(0, 2 * np.pi, 96, endpoint=False).tolist()]
_STAR = [{"at": [(4 + k % 2) * np.cos(k / 8), (4 + k % 2) * np.sin(k / 8)]} for k in range(50)]
_CURVES = [
    {"id": "c1", "name": "Ring", "closed": True, "points": _RING},
    {"id": "c2", "name": "Star", "closed": True, "points": _STAR},
    {"id": "c3", "name": "Way", "kind": "path", "points": [
        {"id": f"p{k}", "at": at, "join": "smooth"} for k, at in enumerate([[0, 0, 0], [0, 0, 40], [40, 10, 40], [60, 40, 20]])]},
]  # fmt: skip
_STROKE = [{"places": [[20.0, 0.5 * k, 30.0, 1.0, 0.0, 0.0] for k in range(6)], "radius": 8.0, "soft": 0.6, "to": 1}]
_RECIPES: tuple[tuple[tuple[str, dict[str, object]], ...], ...] = (
    (("cylinder", {"radius": 20, "height": 60, "sides": 120, "rows": 60}), ("twist", {"turn": 20}), ("bend", {"angle": 40}),
     ("relief", {"depth": 0.2, "weights": {"base": 0, "strokes": _STROKE}})),
    (("sweep", {"profile": "c1", "path": "c3", "rows": 120}),),
    (("loft", {"profiles": ["c1", "c2"], "height": 30, "rows": 60, "join": "smooth"}),),
    (("screw", {"size": "M10", "length": 60, "detail": "full"}),),
    (("box", {"size": [30, 30, 30], "counts": [50, 50, 50]}), ("extrude", {"distance": 2, "draft": 5,
     "pick": {"rule": "group", "step": "s1", "name": "top"}}), ("mirror", {"plane": {"point": [15, 0, 0], "direction": [1, 0, 0]}})),
)  # fmt: skip


def _recipes() -> Iterator[None]:
    """What operators need beyond what stands above, by benches of their own."""
    from jukai.core.recipe.bench import Bench
    from jukai.core.recipe.evaluate import evaluate

    for steps in _RECIPES:
        yield
        recipe = [{"id": f"s{k}", "operator": o, "values": v} for k, (o, v) in enumerate(steps, 1)]
        part = {"id": "p1", "name": "warm", "recipe": recipe}
        bench = Bench.model_validate(
            {"format": "jukai-bench", "version": 2, "name": "warm", "unit": "mm", "curves": _CURVES, "parts": [part]}
        )
        evaluate(bench, "p1")


def _edits(cube: Mesh) -> Iterator[None]:
    """What edits on many faces need."""
    from jukai.core.geometry._slices import follow_chains
    from jukai.core.geometry.booleans import Cutter, combine, grown
    from jukai.core.geometry.offsetting import first_meeting, offsets_of
    from jukai.core.geometry.pulling import foot_of_faces, pull_to
    from jukai.core.geometry.quads import split_many_sided
    from jukai.core.geometry.rebuilding import uv_gradients
    from jukai.core.geometry.singles import singles_of
    from jukai.core.geometry.subdividing import subdivided

    yield
    subdivided(cube, np.zeros(cube.connectivity.n_edges), 1)
    picked = np.zeros(cube.n_faces, dtype=bool)
    picked[: 50 * 50] = True
    foot = foot_of_faces(cube, picked)
    offsets = offsets_of(foot)
    strewn = np.zeros(cube.n_faces, dtype=bool)
    strewn[: 50 * 50] = np.add.outer(np.arange(50), np.arange(50)).ravel() % 3 == 0
    apart = foot_of_faces(cube, strewn)  # faces that touch nowhere but at corners
    offsets_of(apart)
    risen = np.add(apart.places[apart.border][None], [0, 0, 1])
    pull_to(apart, risen, apart.places[~apart.border], "warm")
    first_meeting(foot, 0.001 * offsets.inward)
    border = foot.border
    pull_to(foot, foot.places[border][None] + [0, 0, 1], foot.places[~border], "warm")
    uv_gradients(cube, np.arange(cube.n_faces))
    yield
    many = singles_of(cube, np.ones(cube.n_faces, dtype=bool))
    if many is not None:
        many.pulled(0.1, 0.001, "warm", groups=("walls", "tops"), of_themselves=True, goes_on=True, finish=None)
    yield
    combine(cube, [Cutter(cube.with_points(np.add(cube.points, [0.3, 0.2, 0.5001])))], "subtract", "warm")
    fan = np.arange(1, 1001)
    grown(np.column_stack([np.zeros_like(fan), fan, fan + 1]), np.zeros(len(fan), dtype=np.int64))
    follow_chains(np.arange(4000), np.arange(1, 4001), 4001)
    stars = _stars()
    split_many_sided(stars, np.ones(stars.n_faces, dtype=bool), "warm")


def _faults(body: Mesh, twisted: Mesh, cube: Mesh) -> None:
    """What bodies need that cross themselves, are bent, or are bevelled so that faces shrink to nothing."""
    triangles = triangulate(cube).points(cube)
    place(Mesh(cube.points, triangles.ravel(), np.arange(len(triangles) + 1, dtype=np.int32) * 3))
    self_crossings(join_meshes([body, body.with_points(body.points + 0.01)]), contacts=True)
    with_short_diagonals(twisted.with_points(twisted.points @ np.array([[1, 0, 0.1], [0, 1, 0], [0, 0, 1]])))
    triangulate(_stars())
    for each, width, how in (
        (body, 0.1, Bevel(3, mitre=True)),
        (cube, 0.001, Bevel(2)),
    ):  # the second divides flat faces too
        every = np.ones(each.connectivity.n_edges, dtype=bool)
        round_edges(each, every, np.full(len(every), width), how, "warm")


def _stars() -> Mesh:
    """Return flat faces of twelve sides that are not convex, as many as need a loop."""
    turn, reach = np.linspace(0, 2 * np.pi, 12, endpoint=False), np.where(np.arange(12) % 2, 1.0, 0.4)
    star = np.column_stack([reach * np.cos(turn), reach * np.sin(turn), np.zeros(12)])
    points = (star + np.arange(1000)[:, None, None] * [3.0, 0, 0]).reshape(-1, 3)
    return Mesh(points, np.arange(12_000, dtype=np.int32), np.arange(0, 12_001, 12, dtype=np.int32))


def _formats(mesh: Mesh) -> None:
    obj = write_obj([ObjPart("warm", mesh, None)], WriteOptions())
    many = turn([Section(np.column_stack([np.full(200, 20.0), np.linspace(0, 99, 200)]))], Turning(sides=100), "warm")
    big = write_obj([ObjPart("warm", many, None)], WriteOptions())
    for data, kind in (
        (obj, "obj"),
        (big, "obj"),
        (write_stl(mesh, WriteOptions()), "stl"),
        (write_stl(many, WriteOptions()), "stl"),
    ):
        read_mesh(data, kind)
    for triangles in (False, True):
        for each in (many, Mesh(many.points, many.corners, many.offsets)):
            read_ply(write_ply(each, WriteOptions(triangles=triangles)))
    write_glb([GlbPart("warm", mesh)], [])


if __name__ == "__main__":
    warm_up(rare=True)
    kernels.forget_others()
