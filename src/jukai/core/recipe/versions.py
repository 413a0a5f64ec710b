"""Bench documents of earlier versions, brought to the present one."""

from __future__ import annotations

from jukai.core.errors import FileProblem
from jukai.core.json_data import JsonObject
from jukai.core.recipe.bench import VERSION

__all__ = ["brought_up_to_date"]


def brought_up_to_date(doc: JsonObject) -> JsonObject:
    """Return a document in the present version; it is not checked, and what is given stays as it is.

    Raises
    ------
    FileProblem
        When its version is none that this Jukai reads.
    """
    version = doc.get("version")
    if version == VERSION and isinstance(version, int):
        return doc
    if version != 1 or isinstance(version, bool):
        raise FileProblem(
            f"The bench file has version {version!r}; this Jukai reads versions 1 to {VERSION}.",
            hint="A newer Jukai may read it.",
        )
    return _from_1(doc)


def _from_1(doc: JsonObject) -> JsonObject:
    """A part was *see through*, now it is *transparent*; four values of a bevel are *shading* and *surface*."""
    parts = doc.get("parts")
    if isinstance(parts, list):
        parts = [_part_from_1(p) if isinstance(p, dict) else p for p in parts]
        doc = doc | {"parts": parts}
    return doc | {"version": 2}


def _part_from_1(part: JsonObject) -> JsonObject:
    part = dict(part)
    if "see_through" in part:
        part["transparent"] = part.pop("see_through")
    if isinstance(part.get("recipe"), list):
        part["recipe"] = [_step_from_1(s) for s in part["recipe"]]
    return part


def _step_from_1(step: object) -> object:
    if not isinstance(step, dict) or step.get("operator") != "bevel" or not isinstance(step.get("values"), dict):
        return step
    old = dict(step["values"])
    sharp, flat, cut = (old.pop(k, None) for k in ("sharp_edges", "flats_flat", "cut_texture"))
    given = old.get("finish") is not None
    if sharp is True:
        old["shading"] = "strips_stand_apart"
    elif flat is False:
        old["shading"] = "runs_over_the_flats"
    if cut is True and given:
        old["surface"] = "both_of_its_own"
    elif cut is True:
        old["surface"] = "a_texture_of_its_own"
    elif given:
        old["surface"] = "a_finish_of_its_own"
    return step | {"values": old}
