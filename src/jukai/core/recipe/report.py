"""What a part or a mesh is, as plain data: the same for the command line and the screen."""

from __future__ import annotations

from jukai.core.geometry.mesh import Mesh
from jukai.core.geometry.soundness import Soundness, soundness
from jukai.core.json_data import JsonObject
from jukai.core.recipe.evaluate import Evaluation

__all__ = ["mesh_report", "part_report", "soundness_report"]


def mesh_report(mesh: Mesh, name: str, notes: list[JsonObject]) -> JsonObject:
    """Return counts, sizes and soundness of a mesh."""
    s = soundness(mesh)
    return {
        "part": name, "points": s.points, "edges": s.edges, "faces": s.faces, "sides": s.sides, "bodies": s.bodies,
        "closed": s.closed, "manifold": s.manifold, "oriented": s.oriented, "self_crossings": s.self_crossings,
        "volume": s.volume, "area": s.area, "bounds": s.bounds, "groups": mesh.groups(),
        "notes": notes + [{"level": f.level, "step": None, "text": f.text} for f in s.findings],
    }  # fmt: skip


def part_report(evaluation: Evaluation) -> JsonObject:
    """Return the report of a part where it stands, with what its steps had to say."""
    notes = [{"level": n.level, "step": o.step.id, "text": n.text} for o in evaluation.steps for n in o.notes]
    return mesh_report(evaluation.placed_mesh(), evaluation.part.name, notes)


def soundness_report(s: Soundness) -> JsonObject:
    """Return a soundness report with its places."""
    return {
        "sound": s.sound, "summary": s.summary(), "points": s.points, "edges": s.edges, "faces": s.faces, "sides": s.sides,
        "bodies": s.bodies, "genus": s.genus, "closed": s.closed, "manifold": s.manifold, "oriented": s.oriented,
        "self_crossings": s.self_crossings, "volume": s.volume, "area": s.area, "bounds": s.bounds,
        "findings": [{"kind": f.kind, "level": f.level, "text": f.text, "count": f.count, "places": f.places} for f in s.findings],
    }  # fmt: skip
