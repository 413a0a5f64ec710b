"""The routes to bodies as they are looked at: drawing data, sections, lines, measures, soundness."""

from __future__ import annotations

from time import perf_counter

from flask import Response

from jukai.app.benches import Benches
from jukai.app.drawings import SheetAsked, plane_of
from jukai.app.ports import NotThere
from jukai.app.sections import Shown, section
from jukai.core.drawing.options import SheetOptions
from jukai.web import models as m
from jukai.web import models_looking as looks
from jukai.web import models_operators as ops
from jukai.web.answers import BINARY, attachment, immutable
from jukai.web.kit import Blueprint

__all__ = ["looking_routes"]


def looking_routes(api: Blueprint, benches: Benches) -> None:
    """Put the routes in."""
    _asked_routes(api, benches)
    _data_routes(api, benches)


def _asked_routes(api: Blueprint, benches: Benches) -> None:
    @api.get("/meshes/<string:digest>", responses=BINARY)
    def mesh_bytes(path: m.DigestPath) -> Response:
        """Return drawing data; the same hash is always the same bytes."""
        blocks = benches.workshop.view_data(path.digest)
        return immutable(None if blocks is None else b"".join(blocks), path.digest)

    @api.post("/section", responses={"200": looks.SectionView})
    def section_of(body: looks.SectionIn) -> dict[str, object]:
        """Cut shown bodies by planes; the answer depends on what is sent alone."""
        started = perf_counter()
        bodies = [Shown(b.part, b.mesh, b.matrix) for b in body.bodies]
        found = section(benches.workshop, [(p.point, p.normal) for p in body.planes], bodies, body.chosen)
        return found | {"milliseconds": round((perf_counter() - started) * 1000, 2)}

    @api.post("/outlines", responses={"200": looks.OutlinesView})
    def outlines_of(body: looks.OutlinesIn) -> dict[str, object]:
        """Return the visible lines of shown bodies from some sides."""
        started = perf_counter()
        views = benches.drawings.outlines([Shown(b.part, b.mesh, b.matrix) for b in body.bodies], body.views)
        return {"views": views, "milliseconds": round((perf_counter() - started) * 1000, 2)}

    @api.get("/benches/<string:bench>/sheet", responses=BINARY)
    def bench_sheet(path: m.BenchPath, query: looks.SheetQuery) -> Response:
        """Return a drawing sheet."""
        options = SheetOptions(query.paper, query.scale, query.angle, query.lettering, plane_of(query.section))
        parts = [p for p in query.parts.split(",") if p]
        asked = SheetAsked(options, parts, query.step, query.drawn, as_pdf=query.format == "pdf")
        return attachment(*benches.sheet(path.bench, asked))

    @api.post("/measure", responses={"200": looks.ReadView})
    def measure(body: looks.MeasureIn) -> dict[str, object]:
        """Read what can be measured of one picked element, or between two."""
        return benches.workshop.read([(e.mesh, e.matrix, e.of, e.element) for e in body.of])

    @api.get("/meshes/<string:digest>/elements", responses=BINARY)
    def mesh_elements(path: m.DigestPath) -> Response:
        """Return points, edges and faces for picking."""
        return immutable(benches.workshop.elements(path.digest), f"{path.digest}-elements")

    @api.get(
        "/benches/<string:bench>/parts/<string:part>/picks/<string:step>/<string:key>", responses={"200": ops.PickView}
    )
    def pick_view(path: ops.PickPath) -> dict[str, object]:
        """Return what a step picks, on the body that comes to it."""
        return benches.pick(path.bench, path.part, path.step, path.key)

    @api.get("/meshes/<string:digest>/soundness", responses={"200": looks.SoundnessView})
    def mesh_soundness(path: m.DigestPath) -> dict[str, object]:
        """Inspect a mesh."""
        report = benches.workshop.soundness(path.digest)
        if report is None:
            raise NotThere("such mesh any more")
        return report


def _data_routes(api: Blueprint, benches: Benches) -> None:
    @api.get(
        "/benches/<string:bench>/parts/<string:part>/masks/<string:step>/<string:key>", responses={"200": ops.MaskView}
    )
    def mask_view(path: ops.PickPath) -> dict[str, object]:
        """Return how much a step acts at each point of the body that comes to it."""
        return benches.mask(path.bench, path.part, path.step, path.key)

    @api.get("/meshes/<string:digest>/subdivided", responses=BINARY)
    def mesh_subdivided(path: m.DigestPath, query: looks.SubdividedQuery) -> Response:
        """Return drawing data of the limit surface."""
        return immutable(
            benches.workshop.subdivided(path.digest, rounded=query.rounded), f"{path.digest}-{query.rounded}"
        )

    @api.get("/meshes/<string:digest>/strips", responses=BINARY)
    def mesh_strips(path: m.DigestPath) -> Response:
        """Return which faces may be drawn as one where they are too fine to be told apart."""
        return immutable(benches.workshop.strips(path.digest), f"{path.digest}-strips")

    @api.get("/meshes/<string:digest>/outline", responses=BINARY)
    def mesh_outline(path: m.DigestPath) -> Response:
        """Return edges and planes of faces, from which the outline is found for any eye."""
        return immutable(benches.workshop.outline(path.digest), f"{path.digest}-outline")

    @api.get("/meshes/<string:digest>/holes", responses={"200": ops.HolesView})
    def mesh_holes(path: m.DigestPath, query: ops.HolesQuery) -> dict[str, object]:
        """Return round holes, and what an operator that is set down on one takes from it."""
        found = benches.workshop.holes(path.digest, query.operator, query.scale)
        if found is None:
            raise NotThere("such mesh any more")
        return found

    @api.get("/meshes/<string:digest>/marks", responses={"200": looks.MarksView})
    def mesh_marks(path: m.DigestPath) -> dict[str, object]:
        """Return poles and many-sided faces."""
        marks = benches.workshop.marks(path.digest)
        if marks is None:
            raise NotThere("such mesh any more")
        return marks
