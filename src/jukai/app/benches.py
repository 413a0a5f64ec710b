"""The use cases: list, open, edit, preview, undo, bake, hand over."""

from __future__ import annotations

import secrets
from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

from jukai.app.clearances import Clearances
from jukai.app.drawings import Drawings, SheetAsked
from jukai.app.events import Events
from jukai.app.files import BenchFiles
from jukai.app.handover import Handover
from jukai.app.ports import BenchRow, BenchStore, JobEngine, NotThere, Stale
from jukai.app.told import BenchChanges, BenchState, document_changes, is_of
from jukai.app.work import Head, Work
from jukai.app.workshop import Estimate, Workshop
from jukai.core.errors import Cancelled, CoreError, FileProblem, ValueProblem
from jukai.core.formats.bench_file import bench_from, read_bench, read_bench_zip, write_bench, write_bench_zip
from jukai.core.formats.curves_reading import read_curves
from jukai.core.formats.pictures import PICTURES, picture_of
from jukai.core.formats.reading import format_of, read_mesh
from jukai.core.json_data import JsonObject
from jukai.core.operators.registry import first_values, get_operator
from jukai.core.recipe.affected import touched
from jukai.core.recipe.arranging import ARRANGING, arranged
from jukai.core.recipe.bench import Bench, Finish, Part, Step
from jukai.core.recipe.edit_kinds import AddPart, AddStep, CopyStep, MoveStep, RemoveStep, SetStep, SetValue
from jukai.core.recipe.edits import Edit, apply_edit, edit_label, parse_edit, with_point_ids
from jukai.core.recipe.evaluate import Asked
from jukai.core.recipe.resolve import Resolver

__all__ = ["BenchChanges", "BenchState", "Benches", "document_changes"]

_MOST_READ = 64
PREVIEW_FACES = 300_000
"""Faces of a step up to which it is worked out while a number is dragged."""
STANDARD_FINISHES = (
    Finish(name="Brass", colour="#c89a3f", metal=1, roughness=0.3, density=8.5),
    Finish(name="Steel", colour="#9a9ea0", metal=1, roughness=0.35, density=7.85),
    Finish(name="Walnut", colour="#6b4a33", metal=0, roughness=0.6, density=0.65),
    Finish(name="Limestone", colour="#b9b1a2", metal=0, roughness=0.9, density=2.6),
    Finish(name="Glass", colour="#bcd8dc", metal=0, roughness=0.05, clear=0.9, density=2.5),
    Finish(name="Garnet", colour="#a3224a", metal=0, roughness=0.02, clear=0.8, refraction=1.78, density=3.9),
)


class Benches:
    """All that people can do with benches; one object for the whole server."""

    def __init__(
        self, store: BenchStore, workshop: Workshop, events: Events, engine: JobEngine, demo: bytes | None = None
    ) -> None:
        self.store = store
        self.work = Work(store, workshop, events, engine)
        self._read: OrderedDict[tuple[str, int], Bench] = OrderedDict()
        self.workshop = workshop
        self.events = events
        self.clearances = Clearances(workshop)
        self.drawings = Drawings(workshop)
        self.handover = Handover(store, workshop, events, self._bench)
        self._demo = demo

    # -- the list -------------------------------------------------------------------------------
    def rows(self) -> Sequence[BenchRow]:
        """Return all benches."""
        return self.store.benches()

    def create(self, name: str, author: str) -> str:
        """Make an empty bench with the usual finishes; return its id."""
        return self._keep(Bench(name=name, finishes=list(STANDARD_FINISHES)), "new bench", author)

    def create_demo(self, author: str) -> str:
        """Make a bench from the demo file."""
        if self._demo is None:
            raise FileProblem("The demo bench is not there.")
        return self._keep(read_bench(self._demo), "demo bench", author)

    def open_file(self, data: bytes, author: str) -> str:
        """Make a bench of a bench file, or of a zip of one with its imports."""
        if data[:2] == b"PK":
            bench, files = read_bench_zip(data)
        else:
            bench, files = read_bench(data), {}
        return self._keep(bench, "opened from a file", author, files=files)

    def duplicate(self, bench_id: str, author: str) -> str:
        """Make a bench that begins as a copy of another one's head."""
        _, document = self.store.document(bench_id)
        name = document["name"]
        copy = bench_from(document | {"name": f"{name}, copy"})
        return self._keep(copy, f"copy of {name}", author, copied_from=bench_id)

    def _keep(self, bench: Bench, label: str, author: str, *, files: Mapping[str, bytes] | None = None,
              copied_from: str | None = None) -> str:  # fmt: skip
        bench_id = secrets.token_hex(6)
        document = with_point_ids(bench).to_json()
        self.store.create(bench_id, document, label, author=author, files=files, copied_from=copied_from)
        self.events.tell(None, {"kind": "benches"})
        self.work.advance(bench_id, *self._bench(bench_id))  # it is looked at next
        return bench_id

    def _files(self, bench_id: str) -> BenchFiles:
        return BenchFiles(self.store, bench_id)

    def empty_removed(self) -> tuple[int, int]:
        """Delete what is off the list for good; return how many benches, and the bytes that are free again."""
        gone = self.store.empty_removed()
        self.events.tell(None, {"kind": "benches"})
        return gone

    def remove(self, bench_id: str, *, removed: bool) -> None:
        """Take a bench off the list, or put it back."""
        self.store.remove(bench_id, removed=removed)
        self.events.tell(None, {"kind": "benches"})

    def file(self, bench_id: str) -> tuple[str, bytes]:
        """Return a bench as a file: its name and bytes; a zip when it has imports."""
        _, bench = self._bench(bench_id)
        files = self._files(bench_id).all()
        stem = "".join(c if c.isalnum() or c in "-_ " else "_" for c in bench.name).strip() or "bench"
        if files:
            return f"{stem}.jukai.zip", write_bench_zip(bench, files)
        return f"{stem}.jukai.json", write_bench(bench)

    # -- one bench ------------------------------------------------------------------------------
    def _bench(self, bench_id: str, revision: int | None = None) -> tuple[int, Bench]:
        """Return a revision's number (the head's by default) and its bench; those read lately are the same objects again."""
        number, document = self.store.document(bench_id, revision)
        bench = self._read.get((bench_id, number))
        return number, bench if bench is not None else self._know(bench_id, number, bench_from(document))

    def _know(self, bench_id: str, number: int, bench: Bench) -> Bench:
        self._read[bench_id, number] = bench
        while len(self._read) > _MOST_READ:
            self._read.popitem(last=False)
        return bench

    def resume(self) -> None:
        """Go on with work that the server was at when it ended."""
        for bench_id in sorted({job.bench for job in self.store.jobs() if job.state == "running"}):
            try:
                self.work.advance(bench_id, *self._bench(bench_id))
            except (NotThere, CoreError):
                continue

    def state(self, bench_id: str, revision: int | None = None, *, wait: float | None = None) -> BenchState:
        """Return a bench worked out, after ``wait`` seconds at the latest as far as it is by then."""
        number, bench = self._bench(bench_id, revision)
        return self._state(bench_id, number, bench, wait)

    def _state(self, bench_id: str, number: int, bench: Bench, wait: float | None) -> BenchState:
        undo, redo = self.store.steps(bench_id)
        head = self.work.advance(bench_id, number, bench)
        head = self.work.wait(bench_id, number, wait) or head
        return BenchState(
            self.store.row(bench_id),
            number,
            bench.to_json(),
            undo,
            redo,
            self.workshop.numbers(bench, head.resolver),
            self.workshop.curves(bench, head.resolver),
            head.views(),
            self.workshop.measures(bench, partial(self.work.evaluation, head)),
            head.waiting(),
            head.stopped(),
        )

    def changes(self, bench_id: str, base: int, *, wait: float | None = None) -> BenchChanges:
        """Return what became of a bench since a revision, after ``wait`` seconds at the latest.

        Raises
        ------
        Stale
            When the revision is not the one before the head, so that there is no telling what its window shows.
        """
        number, bench = self._bench(bench_id)
        # an edit that was joined has taken the place of the one before it, which is remembered but no longer stored
        old = self._read.get((bench_id, base))
        try:
            old = old or self._bench(bench_id, base)[1]
        except NotThere:
            raise Stale(number) from None
        head = self.work.advance(bench_id, number, bench)
        if head.fresh is None or head.before != base:
            raise Stale(number)
        head = self.work.wait(bench_id, number, wait, head.fresh) or head
        fresh = head.fresh or frozenset()
        undo, redo = self.store.steps(bench_id)
        same = bench.dimensions is old.dimensions or bench.dimensions == old.dimensions
        told = any(e.part in fresh for m in bench.measures for e in m.of) or bench.measures != old.measures
        return BenchChanges(
            bench_id,
            base,
            number,
            document_changes(old, bench),
            undo,
            redo,
            None if same else self.workshop.numbers(bench, head.resolver),
            self.workshop.curves(bench, head.resolver, head.fresh_curves),
            head.views(fresh),
            self.workshop.measures(bench, partial(self.work.evaluation, head)) if told else None,
            head.waiting(),
            head.stopped(),
        )

    def parts(self, bench_id: str, ids: Sequence[str]) -> tuple[Head, list[dict[str, object]], list[dict[str, object]]]:
        """Return the head, views of some of its parts that are ready, and the measures as they read now."""
        number, bench = self._bench(bench_id)
        head = self.work.advance(bench_id, number, bench)
        return head, head.views(ids), self.workshop.measures(bench, partial(self.work.evaluation, head))

    def kept(self, bench_id: str, since: int, data: object, author: str) -> bool:
        """Return whether an edit whose answer never came was kept all the same, upon the revision ``since`` or later."""
        sent = parse_edit(data).model_dump(mode="json", by_alias=True)
        return any(is_of(edit, sent) for edit in self.store.edits_since(bench_id, since, author))

    def edit(self, bench_id: str, base: int, data: object, author: str, *, join: bool = False) -> int:
        """Do and keep an edit; return the revision once it is on disk, without waiting for bodies."""
        number, bench = self._bench(bench_id)
        if number != base:
            raise Stale(number)
        edit = parse_edit(data)
        label = edit_label(bench, edit)
        changed = self._with_starting_numbers(bench_id, bench, self._on_bodies(bench_id, bench, edit))
        done = apply_edit(bench, changed)
        number = self.store.append(
            bench_id,
            base,
            changed.model_dump(mode="json", by_alias=True),
            done.to_json(),
            label,
            author=author,
            join=join,
        )
        self._know(bench_id, number, done)
        self.work.advance(bench_id, number, done)
        self.events.tell(bench_id, {"kind": "head", "revision": number, "author": author})
        return number

    def _on_bodies(self, bench_id: str, bench: Bench, edit: Edit) -> Edit:
        """Return an edit that needs the bodies as the placements it comes to."""
        if not isinstance(edit, ARRANGING):
            return edit
        files = self._files(bench_id)
        return arranged(bench, edit, lambda part: self.workshop.evaluate(bench, part, files))

    def _with_starting_numbers(self, bench_id: str, bench: Bench, edit: Edit) -> Edit:
        """Write the numbers that a new step begins with into it, so that they are there to be seen and changed."""
        if not isinstance(edit, AddStep | AddPart):
            return edit
        try:
            trial = apply_edit(bench, edit, trial=True)
            # too much to be done at once: then the step begins with its own defaults
            evaluation = self.workshop.evaluate(
                trial, edit.part, self._files(bench_id), asked=Asked(preview_limit=PREVIEW_FACES)
            )
        except CoreError:
            return edit
        outcome = next((o for o in evaluation.steps if o.step.id == edit.step), None)
        if outcome is None or outcome.state != "done":
            return edit
        start = {k: _listed(outcome.used[k]) for k in first_values(get_operator(edit.operator)) if k in outcome.used}
        return edit.model_copy(update={"values": start | edit.values})

    def preview(
        self, bench_id: str, base: int, data: object, author: str, parts: Sequence[str] | None, *, told: bool = True
    ) -> BenchChanges | None:
        """Work out an edit without keeping it; None when a newer one came. ``told``: measures are read too.

        Raises
        ------
        Heavy
            When it is too much to be done while a number is dragged.
        """
        number, old = self._bench(bench_id, base)
        bench = apply_edit(old, self._on_bodies(bench_id, old, parse_edit(data)), trial=True)
        resolver = Resolver(bench)
        what = touched(Resolver(old), resolver)
        only = what.parts if parts is None else what.parts & frozenset(parts)
        files = self._files(bench_id)
        try:
            views = self.workshop.views(
                bench, files, subject=f"{bench_id}/preview/{author}", only=only, only_newest=True,
                preview_limit=PREVIEW_FACES, resolver=resolver,
            )  # fmt: skip
        except Cancelled:
            return None
        told = told and any(e.part in only for m in bench.measures for e in m.of)
        return BenchChanges(
            bench_id,
            number,
            number,
            document_changes(old, bench),
            None,
            None,
            self.workshop.numbers(bench, resolver) if what.numbers else None,
            self.workshop.curves(bench, resolver, what.curves),
            views,
            self.workshop.measures(bench, lambda part: self.workshop.evaluate(bench, part, files)) if told else None,
        )

    def _changed(self, bench_id: str, base: int | None, data: object) -> tuple[int, Bench]:
        """Return a bench as it would be after an edit that is not kept; None changes nothing."""
        number, bench = self._bench(bench_id, base)
        if data is None:
            return number, bench
        return number, apply_edit(bench, self._on_bodies(bench_id, bench, parse_edit(data)))

    def estimate(self, bench_id: str, base: int, data: object) -> Estimate | None:
        """Return what an edit of a step would make and take, without making it."""
        edit = parse_edit(data)
        _, bench = self._changed(bench_id, base, data)
        if not isinstance(edit, SetValue | SetStep | AddStep | RemoveStep | MoveStep | CopyStep | AddPart):
            return None
        return self.workshop.estimate(bench, edit.part, edit.step, self._files(bench_id))

    def clearance(self, bench_id: str, base: int | None, data: object, part: str) -> list[dict[str, object]]:
        """Return the clearances of a part from the others, as they are or would be after an edit."""
        _, bench = self._changed(bench_id, base, data)
        return self.clearances.between(bench, part, self._files(bench_id))

    def solve(self, bench_id: str, author: str, **asked: Any) -> tuple[Any, Any]:
        """Return the number that leaves a clearance, and the edit that sets it."""
        _, bench = self._changed(bench_id, None, None)
        subject = f"{bench_id}/solve/{author}"
        return self.clearances.solve(bench, self._files(bench_id), stop=self.workshop.until_stopped(subject), **asked)

    def before(self, bench_id: str) -> tuple[str | None, list[JsonObject]]:
        """Return the parts as they were before the last edit, and what that edit was; none at the first revision."""
        undo, _ = self.store.steps(bench_id)
        if undo is None or undo.parent is None:
            return None, []
        _, bench = self._bench(bench_id, undo.parent)
        views = self.workshop.views(bench, self._files(bench_id), subject=f"{bench_id}/before")
        return undo.label, views

    def sheet(self, bench_id: str, asked: SheetAsked) -> tuple[str, bytes]:
        """Return a drawing sheet of a bench: its file name and bytes."""
        number, bench = self._bench(bench_id)
        return self.drawings.sheet(bench, self._files(bench_id), asked, number)

    def look_at(self, bench_id: str, part: str, step: str) -> dict[str, object]:
        """Return a part as it was after one of its steps."""
        _, bench = self._bench(bench_id)
        evaluation = self.workshop.evaluate(bench, part, self._files(bench_id), upto=step)
        return self.workshop.part_view(bench, evaluation)

    def pick(self, bench_id: str, part: str, step: str, key: str) -> dict[str, object]:
        """Return what a step picks, as the screen shows it while it is picked."""
        bench, found, which = self._step(bench_id, part, step)
        return self.workshop.pick_view(bench, found, which, key, self._files(bench_id))

    def mask(self, bench_id: str, part: str, step: str, key: str) -> dict[str, object]:
        """Return the mask of a step, as the screen shows it while it is painted."""
        bench, found, which = self._step(bench_id, part, step)
        return self.workshop.mask_view(bench, found, which, key, self._files(bench_id))

    def _step(self, bench_id: str, part: str, step: str) -> tuple[Bench, Part, Step]:
        _, bench = self._bench(bench_id)
        found = bench.part(part)
        which = None if found is None else next((s for s in found.recipe if s.id == step), None)
        if found is None or which is None:
            raise ValueProblem(f"There is no step '{step}' in '{part}'.", field="step")
        return bench, found, which

    def stop(self, bench_id: str) -> None:
        """Stop working out a bench."""
        self.work.stop(bench_id)
        self.workshop.stop(f"{bench_id}/bake")
        self.workshop.stop_all(f"{bench_id}/solve/")

    def move_head(self, bench_id: str, how: str, base: int, author: str, revision: int | None = None) -> int:
        """Undo, redo, or go to a revision; return the revision that the head is then."""
        if how == "undo":
            number = self.store.undo(bench_id, base)
        elif how == "redo":
            number = self.store.redo(bench_id, base)
        else:
            number = self.store.go_to(bench_id, revision if revision is not None else base)
        self.work.advance(bench_id, *self._bench(bench_id))
        self.events.tell(bench_id, {"kind": "head", "revision": number, "author": author})
        return number

    def go_on(self, bench_id: str) -> None:
        """Work out what was stopped."""
        self.work.go_on(bench_id)

    # -- files ----------------------------------------------------------------------------------
    @staticmethod
    def read_curves(name: str, data: bytes) -> list[JsonObject]:
        """Return the curves of a drawing, to be put on a bench."""
        return read_curves(name, data)

    def curve_file(self, bench_id: str, curve: str, ending: str) -> tuple[str, bytes]:
        """Return a curve as a drawing: its file name and bytes."""
        from jukai.core.formats.curves_writing import drawing_of

        _, bench = self._bench(bench_id)
        data = drawing_of(bench, [curve], ending)
        name = next(c.name for c in bench.curves if curve in (c.id, c.name))
        return f"{name}.{ending}", data

    def upload(
        self, bench_id: str, name: str, data: bytes, gone: Callable[[], bool] | None = None
    ) -> dict[str, object]:
        """Keep a mesh file beside a bench, once it is known to be readable; say what it holds.

        Reading ends as soon as the window that asked is ``gone``.
        """

        def watch(_: float) -> None:
            if gone is not None and gone():
                raise Cancelled("The window is gone; the file was not read to its end.")

        if not name or len(name) > 120 or "/" in name or "\\" in name or name.startswith("."):
            raise FileProblem(
                "The file's name can't be used.", hint="A plain name without a folder, up to 120 letters."
            )
        if name.rsplit(".", 1)[-1].lower() in PICTURES:
            return self._keep_picture(bench_id, name, data)
        file_format = format_of(name)
        read = read_mesh(data, file_format, watch)
        name = self._files(bench_id).free_name(name, data)
        self.store.keep_file(bench_id, name, data)
        low, high = read.mesh.bounds
        return {
            "file": name, "format": file_format, "points": read.mesh.n_points, "faces": read.mesh.n_faces,
            "size": (high - low).tolist(), "has_units": read.has_units, "notes": list(read.notes),
        }  # fmt: skip

    def _keep_picture(self, bench_id: str, name: str, data: bytes) -> dict[str, object]:
        found = picture_of(data)
        name = self._files(bench_id).free_name(name, data)
        self.store.keep_file(bench_id, name, data)
        return {"file": name, "format": found.media, "points": 0, "faces": 0, "size": [found.wide, found.tall], "has_units": False, "notes": []}  # fmt: skip

    def picture(self, bench_id: str, name: str) -> tuple[str, bytes]:
        """Return a picture beside a bench: its media type and bytes."""
        return self._files(bench_id).picture(name)


def _listed(value: object) -> object:
    return list(value) if isinstance(value, tuple) else value
