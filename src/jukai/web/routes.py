"""The routes: parse, call a use case, return a model."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import chain
from time import monotonic, perf_counter
from typing import Any

from flask import Response, request

from jukai import __version__
from jukai.app.benches import BenchChanges, Benches, BenchState
from jukai.app.ports import BakedRow, Stale
from jukai.core.errors import FileProblem
from jukai.core.formats.common import WriteOptions
from jukai.core.json_data import JsonObject
from jukai.core.operators.registry import describe, operators
from jukai.web import models as m
from jukai.web import models_looking as looks
from jukai.web import models_operators as ops
from jukai.web.answers import BINARY, attachment
from jukai.web.kit import Blueprint, problem
from jukai.web.routes_looking import looking_routes

__all__ = ["make_routes"]

_STREAM: Any = {
    "200": {"description": "server-sent events", "content": {"text/event-stream": {"schema": {"type": "string"}}}}
}
_SVG: Any = {"200": {"description": "a drawing", "content": {"image/svg+xml": {"schema": {"type": "string"}}}}}
_PICTURE: Any = {
    "200": {
        "description": "a picture",
        "content": {f"image/{k}": {"schema": {"type": "string", "format": "binary"}} for k in ("png", "jpeg")},
    }
}
_RAW_BODY: dict[str, object] = {
    "requestBody": {
        "required": True,
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}
STREAM_SECONDS, ALIVE_SECONDS = 120.0, 10.0


def _state(state: BenchState, started: float) -> dict[str, object]:
    def item(row: Any) -> JsonObject | None:
        return None if row is None else {"number": row.number, "label": row.label}

    return {
        "id": state.row.id, "revision": state.revision, "document": state.document, "undo": item(state.undo), "redo": item(state.redo),
        "numbers": state.numbers, "curves": state.curves, "parts": state.parts, "measures": state.measures, "waiting": state.waiting, "stopped": state.stopped,
        "milliseconds": round((perf_counter() - started) * 1000, 2),
    }  # fmt: skip


def _changes(c: BenchChanges, started: float) -> dict[str, object]:
    def item(row: Any) -> dict[str, object] | None:
        return None if row is None else {"number": row.number, "label": row.label}

    return {
        "id": c.bench, "base": c.base, "revision": c.revision, "document": c.document, "undo": item(c.undo), "redo": item(c.redo),
        "numbers": c.numbers, "curves": c.curves, "parts": c.parts, "measures": c.measures, "waiting": c.waiting, "stopped": c.stopped,
        "milliseconds": round((perf_counter() - started) * 1000, 2),
    }  # fmt: skip


_WAIT = re.compile(r"\bwait=(\d{1,6}(?:\.\d{1,6})?)\b")


def _wait() -> float | None:
    """Return how many seconds may be waited for bodies (RFC 7240, Prefer: wait), None for as long as it takes."""
    found = _WAIT.search(request.headers.get("Prefer", ""))
    return None if found is None else float(found[1])


def _minimal() -> bool:
    """Return whether only what changed is asked for (RFC 7240, Prefer: return=minimal)."""
    return "return=minimal" in request.headers.get("Prefer", "")


def _after(benches: Benches, bench: str, base: int, started: float) -> dict[str, object]:
    """Return a bench after a change upon ``base``: what changed, or all of it."""
    if _minimal():
        try:
            return _changes(benches.changes(bench, base, wait=_wait()), started)
        except Stale:
            pass  # the window has not seen the revision before: it is told all
    return _state(benches.state(bench, wait=_wait()), started)


def packet(head: dict[str, object], meshes: Mapping[str, Sequence[bytes]]) -> bytes:
    """Return an answer and drawing data as one: lengths, the answer as JSON, then each body's blocks, all at multiples of 8 bytes."""
    sizes = [[name, sum(len(block) for block in blocks)] for name, blocks in meshes.items()]
    text = json.dumps(head | {"meshes": sizes}).encode()
    return b"".join([len(text).to_bytes(8, "little"), text, bytes(-len(text) % 8), *chain(*meshes.values())])


def _baked(b: BakedRow, *, older: bool) -> m.BakedView:
    s = b.report["soundness"]
    low, high = s["bounds"]
    return m.BakedView(
        id=b.id, part=b.part, part_name=b.part_name, revision=b.revision, time=b.time, older=older, faces=s["faces"],
        size=[b - a for a, b in zip(low, high, strict=True)], sound=s["sound"], summary=s["summary"], findings=s["findings"], volume=s["volume"],
    )  # fmt: skip


def _body() -> bytes:
    data = request.get_data(cache=False)
    if not data:
        raise FileProblem("The file is empty.")
    return data


def _gone() -> Callable[[], bool] | None:
    """Return what tells whether the window that asks is gone, where the server knows."""
    gone: Callable[[], bool] | None = request.environ.get("waitress.client_disconnected")
    return gone


def make_routes(benches: Benches) -> Blueprint:
    """Return all routes over the use cases."""
    api = Blueprint("api", __name__, "/api")
    _server_routes(api, benches)
    _list_routes(api, benches)
    _curve_routes(api, benches)
    _bench_routes(api, benches)
    _history_routes(api, benches)
    _asking_routes(api, benches)
    looking_routes(api, benches)
    _handover_routes(api, benches)
    return api


def _curve_routes(api: Blueprint, benches: Benches) -> None:
    @api.post("/curves/uploads", responses={"200": m.ReadCurves}, openapi_extensions=_RAW_BODY)
    def curves_read(query: m.UploadQuery) -> m.ReadCurves:
        """Return the curves of an SVG or DXF drawing; nothing is kept."""
        rows = benches.read_curves(query.name, _body())
        return m.ReadCurves.model_validate({"curves": [{"id": f"c{i}", **row} for i, row in enumerate(rows, 1)]})

    @api.get("/benches/<string:bench>/pictures/<string:file>", responses=_PICTURE)
    def picture(path: m.PicturePath) -> Response:
        """Return a picture that lies beside a bench."""
        media, data = benches.picture(path.bench, path.file)
        response = Response(data, mimetype=media)
        response.headers["Cache-Control"] = "private, max-age=3600"
        return response

    @api.get("/benches/<string:bench>/curves/<string:curve>/file", responses=BINARY)
    def curve_file(path: m.CurvePath, query: m.CurveFormatQuery) -> Response:
        """Return a curve as a drawing in mm: lines, arcs and cubics as they are."""
        return attachment(*benches.curve_file(path.bench, path.curve, query.format))


def _server_routes(api: Blueprint, benches: Benches) -> None:
    @api.get("/health", responses={"200": m.Health})
    def health() -> m.Health:
        """Say that the server is there."""
        return m.Health(name="Jukai", version=__version__)

    @api.get("/operators", responses={"200": ops.OperatorList})
    def operator_list() -> Response:
        """Return all operators with their values and sentences."""
        response = Response(
            json.dumps({"operators": [describe(op) for op in operators().values()]}), mimetype="application/json"
        )
        response.headers["Cache-Control"] = "no-cache"
        return response

    @api.get("/operators/<string:operator>/drawing.svg", responses=_SVG)
    def operator_drawing(path: ops.OperatorPath, query: ops.LookQuery) -> Response:
        """Return a small ink drawing of what an operator does."""
        response = Response(benches.drawings.example(path.operator, query.look), mimetype="image/svg+xml")
        response.headers["Cache-Control"] = "private, max-age=3600"
        return response

    @api.get("/events", responses=_STREAM)
    def event_stream(query: m.EventsQuery) -> Response:
        """Tell what happens, until the stream ends by itself; the browser comes back."""
        if benches.events.crowded():
            return problem(429, "crowded", "Too many windows are open.", hint="Close some of them.")
        response = Response(
            _events(benches, query.bench, _gone()),
            mimetype="text/event-stream",
        )
        response.headers["Cache-Control"] = "no-store"
        response.headers["X-Accel-Buffering"] = "no"
        return response


def _list_routes(api: Blueprint, benches: Benches) -> None:
    @api.get("/benches", responses={"200": m.BenchList})
    def bench_list() -> m.BenchList:
        """Return all benches, newest change first."""
        rows = benches.rows()
        return m.BenchList(
            benches=[
                m.BenchItem(id=b.id, name=b.name, revision=b.head, changed=b.changed, removed=b.removed, parts=b.parts)
                for b in rows
            ]
        )

    @api.post("/benches", responses={"201": m.BenchId})
    def bench_new(body: m.NewBench) -> tuple[m.BenchId, int]:
        """Make a bench, empty or from the demo."""
        return m.BenchId(id=benches.create_demo("") if body.demo else benches.create(body.name, "")), 201

    @api.post("/benches/open", responses={"201": m.BenchId}, openapi_extensions=_RAW_BODY)
    def bench_open() -> tuple[m.BenchId, int]:
        """Make a bench of a bench file or a zip of one with its imports."""
        return m.BenchId(id=benches.open_file(_body(), "")), 201

    @api.post("/benches/<string:bench>/duplicate", responses={"201": m.BenchId})
    def bench_duplicate(path: m.BenchPath) -> tuple[m.BenchId, int]:
        """Make a copy of a bench."""
        return m.BenchId(id=benches.duplicate(path.bench, "")), 201

    @api.delete("/benches/<string:bench>", responses={"200": m.BenchId})
    def bench_remove(path: m.BenchPath) -> m.BenchId:
        """Take a bench off the list; it can be put back."""
        benches.remove(path.bench, removed=True)
        return m.BenchId(id=path.bench)

    @api.post("/benches/empty", responses={"200": m.Emptied})
    def benches_empty() -> m.Emptied:
        """Delete the benches that are off the list for good, and give their room back to the disk."""
        benches_gone, room = benches.empty_removed()
        return m.Emptied(benches=benches_gone, bytes=room)

    @api.post("/benches/<string:bench>/restore", responses={"200": m.BenchId})
    def bench_restore(path: m.BenchPath) -> m.BenchId:
        """Put a removed bench back."""
        benches.remove(path.bench, removed=False)
        return m.BenchId(id=path.bench)

    @api.post("/benches/<string:bench>/uploads", responses={"201": m.UploadView}, openapi_extensions=_RAW_BODY)
    def bench_upload(path: m.BenchPath, query: m.UploadQuery) -> tuple[m.UploadView, int]:
        """Keep a mesh file beside a bench and say what it holds."""
        return m.UploadView(**benches.upload(path.bench, query.name, _body(), _gone())), 201

    @api.get("/benches/<string:bench>/file", responses=BINARY)
    def bench_file(path: m.BenchPath) -> Response:
        """Return a bench as a file."""
        return attachment(*benches.file(path.bench))


def _events(benches: Benches, bench: str | None, gone: Callable[[], bool] | None) -> Iterator[str]:
    """Tell what happens to a bench until the time is up or the window is ``gone``; a sign of life now and then."""
    with benches.events.listening(bench, gone) as listener:
        yield "retry: 500\nevent: hello\ndata: {}\n\n"
        end = monotonic() + STREAM_SECONDS
        while (left := end - monotonic()) > 0:
            news = listener.next(min(left, ALIVE_SECONDS))
            if listener.left:
                return
            yield ": still here\n\n" if news is None else f"id: {news[0]}\ndata: {json.dumps(news[1])}\n\n"


def _moved(benches: Benches, bench: str, how: str, body: m.MoveIn) -> dict[str, object]:
    started = perf_counter()
    benches.move_head(bench, how, body.base, body.author, body.revision)
    return _after(benches, bench, body.base, started)


def _edited(benches: Benches, bench: str, body: m.EditIn) -> dict[str, object]:
    started = perf_counter()
    edit = body.edit.model_dump(by_alias=True)
    if body.since is not None and benches.kept(bench, body.since, edit, body.author):
        return _state(benches.state(bench, wait=_wait()), started)
    benches.edit(bench, body.base, edit, body.author, join=body.join)
    return _after(benches, bench, body.base, started)


def _bench_routes(api: Blueprint, benches: Benches) -> None:
    @api.get("/benches/<string:bench>", responses={"200": m.BenchView})
    def bench_state(path: m.BenchPath) -> dict[str, object]:
        """Return a bench worked out."""
        started = perf_counter()
        return _state(benches.state(path.bench, wait=_wait()), started)

    @api.get("/benches/<string:bench>/parts", responses={"200": m.PartsView})
    def bench_parts(path: m.BenchPath, query: m.PartsQuery) -> dict[str, object]:
        """Return some parts of the head, as far as they are ready."""
        head, parts, measures = benches.parts(path.bench, [i for i in query.ids.split(",") if i])
        return {
            "revision": head.number,
            "parts": parts,
            "measures": measures,
            "waiting": head.waiting(),
            "stopped": head.stopped(),
        }

    @api.post("/benches/<string:bench>/go-on", responses={"200": m.BenchId})
    def bench_go_on(path: m.BenchPath) -> m.BenchId:
        """Work out what was stopped."""
        benches.go_on(path.bench)
        return m.BenchId(id=path.bench)

    @api.post("/benches/<string:bench>/edits", responses={"200": m.BenchAnswer})
    def bench_edit(path: m.BenchPath, body: m.EditIn) -> dict[str, object]:
        """Do and keep an edit, acknowledged once it is on disk; ``Prefer`` says what is answered, and after what time."""
        return _edited(benches, path.bench, body)

    @api.post("/benches/<string:bench>/preview", responses={"200": m.BenchChanges})
    def bench_preview(path: m.BenchPath, body: m.PreviewIn) -> object:
        """Work out an edit without keeping it; 409 with code ``cancelled`` when a newer one came.

        Asked for ``application/octet-stream``, drawing data that is not held comes with the answer; of a body
        whose form is held only its places.
        """
        started = perf_counter()
        found = benches.preview(
            path.bench, body.base, body.edit.model_dump(by_alias=True), body.author, body.parts, told=body.told
        )
        if found is None:
            return problem(409, "cancelled", "A newer preview came.")
        answer = _changes(found, started)
        if request.accept_mimetypes.best != "application/octet-stream":
            return answer
        requested = {p["mesh"] for p in found.parts if p["mesh"]} - set(body.held)
        data = {name: benches.workshop.view_data(name, body.forms) for name in sorted(requested)}
        meshes = {name: drawn for name, drawn in data.items() if drawn is not None}
        return Response(packet(answer, meshes), mimetype="application/octet-stream")

    @api.get("/benches/<string:bench>/before", responses={"200": m.BeforeView})
    def bench_before(path: m.BenchPath) -> dict[str, object]:
        """Return the parts as they were before the last edit."""
        label, parts = benches.before(path.bench)
        return {"label": label, "parts": parts}

    @api.get("/benches/<string:bench>/parts/<string:part>/after/<string:step>", responses={"200": m.PartView})
    def look_here(path: m.StepPath) -> dict[str, object]:
        """Return a part as it was after a step."""
        return benches.look_at(path.bench, path.part, path.step)


def _history_routes(api: Blueprint, benches: Benches) -> None:
    @api.post("/benches/<string:bench>/undo", responses={"200": m.BenchAnswer})
    def bench_undo(path: m.BenchPath, body: m.MoveIn) -> dict[str, object]:
        """Take the last edit back."""
        return _moved(benches, path.bench, "undo", body)

    @api.post("/benches/<string:bench>/redo", responses={"200": m.BenchAnswer})
    def bench_redo(path: m.BenchPath, body: m.MoveIn) -> dict[str, object]:
        """Do again what was taken back."""
        return _moved(benches, path.bench, "redo", body)

    @api.post("/benches/<string:bench>/go-to", responses={"200": m.BenchAnswer})
    def bench_go_to(path: m.BenchPath, body: m.MoveIn) -> dict[str, object]:
        """Go to any revision."""
        return _moved(benches, path.bench, "go_to", body)

    @api.post("/benches/<string:bench>/stop", responses={"200": m.BenchId})
    def bench_stop(path: m.BenchPath) -> m.BenchId:
        """Stop working the bench out."""
        benches.stop(path.bench)
        return m.BenchId(id=path.bench)

    @api.get("/benches/<string:bench>/history", responses={"200": m.History})
    def bench_history(path: m.BenchPath) -> m.History:
        """Return the revisions."""
        rows = benches.store.history(path.bench)
        items = [
            m.HistoryItem(
                number=r.number, parent=r.parent, label=r.label, name=r.name, time=r.time, on_branch=r.on_branch
            )
            for r in rows
        ]
        return m.History(revisions=items, head=benches.store.row(path.bench).head)

    @api.post("/benches/<string:bench>/revision-name", responses={"200": m.BenchId})
    def revision_name(path: m.BenchPath, body: m.RevisionName) -> m.BenchId:
        """Give a revision a name."""
        benches.store.name_revision(path.bench, body.revision, (body.name or "").strip() or None)
        return m.BenchId(id=path.bench)


def _asking_routes(api: Blueprint, benches: Benches) -> None:
    @api.post("/benches/<string:bench>/estimate", responses={"200": m.EstimateView})
    def bench_estimate(path: m.BenchPath, body: m.EditIn) -> m.EstimateView:
        """Say what an edit would make and take, before the work."""
        e = benches.estimate(path.bench, body.base, body.edit.model_dump(by_alias=True))
        return m.EstimateView(faces=e and e.faces, seconds=e and e.seconds, bytes=e and e.bytes)

    @api.post("/benches/<string:bench>/clearance", responses={"200": looks.ClearanceView})
    def bench_clearance(path: m.BenchPath, body: looks.ClearanceIn) -> dict[str, object]:
        """Measure a part against the others, as it is or as it would be after an edit."""
        started = perf_counter()
        edit = None if body.edit is None else body.edit.model_dump(by_alias=True)
        rows = benches.clearance(path.bench, body.base, edit, body.part)
        return {"part": body.part, "rows": rows, "milliseconds": round((perf_counter() - started) * 1000, 2)}

    @api.post("/benches/<string:bench>/solve", responses={"200": looks.SolvedView})
    def bench_solve(path: m.BenchPath, body: looks.SolveIn) -> dict[str, object]:
        """Find the number that leaves a clearance; nothing is changed by asking."""
        solved, edit = benches.solve(path.bench, body.author, part=body.part, address=body.address, requested=body.requested, to=body.to,
                                     largest=body.which == "largest")  # fmt: skip
        return {"value": solved.value, "measured": solved.measured, "tries": solved.tries, "limit": solved.limit,
                "edit": edit.model_dump(mode="json", by_alias=True)}  # fmt: skip


def _handover_routes(api: Blueprint, benches: Benches) -> None:
    @api.get("/benches/<string:bench>/handover", responses={"200": m.HandoverView})
    def handover_list(path: m.BenchPath) -> m.HandoverView:
        """Return what stands in the hand-over."""
        return m.HandoverView(baked=[_baked(b, older=older) for b, older in benches.handover.rows(path.bench)])

    @api.post("/benches/<string:bench>/parts/<string:part>/bake", responses={"201": m.BakedView})
    def part_bake(path: m.PartPath) -> tuple[m.BakedView, int]:
        """Work a part out in full and put it in the hand-over."""
        return _baked(benches.handover.bake(path.bench, path.part), older=False), 201

    @api.delete("/benches/<string:bench>/handover/<int:baked>", responses={"200": m.BenchId})
    def handover_remove(path: m.BakedPath) -> m.BenchId:
        """Take a baked result out."""
        benches.store.remove_baked(path.bench, path.baked)
        return m.BenchId(id=path.bench)

    @api.get("/benches/<string:bench>/handover/file", responses=BINARY)
    def handover_file(path: m.BenchPath, query: m.DownloadQuery) -> Response:
        """Return baked results as a file; ``ids`` are numbers with commas, none means all."""
        try:
            ids = [int(i) for i in query.ids.split(",") if i]
        except ValueError:
            raise FileProblem("'ids' are numbers with commas between them.") from None
        options = WriteOptions(query.unit, query.up, query.triangles, query.texture)
        return attachment(*benches.handover.download(path.bench, ids, query.format, options, together=query.together))
