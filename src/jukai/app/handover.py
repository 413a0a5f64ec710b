"""The hand-over: parts baked to plain geometry, and what is written of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from jukai.app.events import Events
from jukai.app.files import BenchFiles
from jukai.app.meshes_kept import mesh_from_bytes, mesh_to_bytes
from jukai.app.ports import BakedRow, BenchStore
from jukai.app.workshop import Workshop
from jukai.core.errors import CoreError, FileProblem, ValueProblem
from jukai.core.formats.common import WriteOptions
from jukai.core.formats.glb import GlbMaterial
from jukai.core.formats.writing import ExportPart, write_parts, write_zip
from jukai.core.geometry.soundness import soundness
from jukai.core.json_data import JsonObject
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.report import part_report, soundness_report

__all__ = ["Handover"]


class Handover:
    """What people can do with baked parts; ``head`` gives a bench's newest revision and its number."""

    def __init__(
        self, store: BenchStore, workshop: Workshop, events: Events, head: Callable[[str], tuple[int, Bench]]
    ) -> None:
        self.store, self.workshop, self.events = store, workshop, events
        self._head = head

    def bake(self, bench_id: str, part: str) -> BakedRow:
        """Work a part out in full, inspect it, and put the plain result in the hand-over."""
        number, bench = self._head(bench_id)

        def progress(part: str, step: str, fraction: float) -> None:
            self.events.tell(bench_id, {"kind": "progress", "part": part, "step": step, "fraction": fraction})

        evaluation = self.workshop.evaluate(
            bench, part, BenchFiles(self.store, bench_id), stop=self.workshop.until_stopped(f"{bench_id}/bake"), progress=progress
        )  # fmt: skip
        failed = evaluation.failed
        if failed is not None and failed.error is not None:
            raise ValueProblem(
                f"'{evaluation.part.name}' can't be baked: {failed.error.message}",
                field=failed.step.id,
                hint=failed.error.hint,
            )
        if evaluation.misplaced is not None:
            e = evaluation.misplaced
            raise ValueProblem(f"'{evaluation.part.name}' can't be baked: {e.message}", field="placement", hint=e.hint)
        if evaluation.mesh is None or evaluation.mesh.n_faces == 0:
            raise ValueProblem(f"'{evaluation.part.name}' has no body yet.", hint="Give it a blank, and switch it on.")
        if evaluation.part.reference:
            raise ValueProblem(
                f"'{evaluation.part.name}' is a reference: it is not handed over.", hint="Make a part of it first."
            )
        mesh = evaluation.placed_mesh()
        report = part_report(evaluation) | {"soundness": soundness_report(soundness(mesh))}
        finish = bench.finish_of(evaluation.part)
        report["finish"] = finish.model_dump() if finish else None
        report["finishes"] = [f.model_dump() for f in bench.finishes if f.name in mesh.finishes]
        self.store.keep_baked(
            bench_id,
            evaluation.part.id,
            evaluation.part.name,
            number,
            evaluation.placed_key,
            report,
            mesh_to_bytes(mesh),
        )
        self.events.tell(bench_id, {"kind": "handover"})
        return next(b for b in self.store.baked(bench_id) if b.part == evaluation.part.id)

    def rows(self, bench_id: str) -> list[tuple[BakedRow, bool]]:
        """Return what is baked, and whether its part has changed since."""
        keys = self._keys(bench_id)
        return [(b, keys.get(b.part) != b.key) for b in self.store.baked(bench_id)]

    def _keys(self, bench_id: str) -> dict[str, str]:
        _, bench = self._head(bench_id)
        files = BenchFiles(self.store, bench_id)
        out = {}
        for b in self.store.baked(bench_id):
            if bench.part(b.part) is not None:
                try:
                    out[b.part] = self.workshop.evaluate(bench, b.part, files).placed_key
                except CoreError:
                    continue
        return out

    def download(
        self, bench_id: str, ids: Sequence[int], file_format: str, options: WriteOptions, *, together: bool
    ) -> tuple[str, bytes]:
        """Write baked results: one file, or a zip when there are several."""
        rows = [b for b in self.store.baked(bench_id) if not ids or b.id in ids]
        if not rows or (ids and len(rows) < len(set(ids))):
            raise FileProblem("What was asked for is not in the hand-over any more.", hint="Bake it again.")
        parts = [
            ExportPart(b.part_name, mesh_from_bytes(self.store.baked_mesh(bench_id, b.id)), *_looks(b)) for b in rows
        ]
        stem = rows[0].part_name if len(rows) == 1 else self.store.row(bench_id).name
        if together or len(parts) == 1:
            files = write_parts(parts, file_format, options, stem)
        else:
            files = {}
            for p in parts:
                files |= _without_clash(files, write_parts([p], file_format, options, p.name))
        if len(files) == 1:
            return next(iter(files.items()))
        return f"{next(iter(files)).rsplit('.', 1)[0] if together or len(parts) == 1 else stem}.zip", write_zip(files)


def _without_clash(held: Mapping[str, bytes], new: dict[str, bytes]) -> dict[str, bytes]:
    return {f"{'_' * sum(n.lstrip('_') == name for n in held)}{name}": body for name, body in new.items()}


def _looks(b: BakedRow) -> tuple[GlbMaterial | None, tuple[GlbMaterial, ...]]:
    """Return the finish of a baked part and those of single faces, as they were when it was baked."""
    own, others = b.report.get("finish"), b.report.get("finishes") or []
    return _look(own) if own else None, tuple(_look(f) for f in others)


def _look(f: JsonObject) -> GlbMaterial:
    return GlbMaterial(f["name"], f["colour"], f["metal"], f["roughness"], f.get("clear", 0.0))
