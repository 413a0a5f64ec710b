"""What is told of a bench: all of it, or what is no longer as it was."""

from __future__ import annotations

from dataclasses import dataclass, field

from jukai.app.ports import BenchRow, RevisionRow
from jukai.core.json_data import JsonObject
from jukai.core.recipe.bench import Bench, Shown

__all__ = ["BenchChanges", "BenchState", "document_changes", "is_of"]


@dataclass(frozen=True, slots=True)
class BenchState:
    """A bench as the screen needs it; ``waiting`` are parts that are not worked out yet, ``stopped`` those that won't be."""

    row: BenchRow
    revision: int
    document: dict[str, object]
    undo: RevisionRow | None
    redo: RevisionRow | None
    numbers: list[dict[str, object]]
    curves: list[dict[str, object]]
    parts: list[JsonObject]
    measures: list[dict[str, object]] = field(default_factory=list)
    waiting: list[str] = field(default_factory=list)
    stopped: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class BenchChanges:
    """What became of a bench since a revision: only what is no longer as it was there.

    Attributes
    ----------
    base : the revision that it is told against.
    document : see :func:`document_changes`.
    numbers, measures : all of them, or None when none changed.
    curves, parts : views of those that were touched, as far as they are ready.
    """

    bench: str
    base: int
    revision: int
    document: JsonObject
    undo: RevisionRow | None
    redo: RevisionRow | None
    numbers: list[dict[str, object]] | None
    curves: list[dict[str, object]]
    parts: list[JsonObject]
    measures: list[dict[str, object]] | None
    waiting: list[str] = field(default_factory=list)
    stopped: list[str] = field(default_factory=list)


def document_changes(before: Bench, after: Bench) -> dict[str, object]:
    """Return what of a document is no longer as it was.

    Of a list the rows that changed or came, as they are written, and under ``order`` the keys of all its rows
    where they are not the same in the same order.
    """
    out: dict[str, object] = {}
    for name in type(after).model_fields:
        old, new = getattr(before, name), getattr(after, name)
        if old is new or old == new:
            continue
        if not isinstance(new, list):
            out[name] = new.model_dump(mode="json") if isinstance(new, Shown) else new
            continue
        key = "id" if name in ("curves", "parts") else "name"
        there = {getattr(row, key): row for row in old}
        rows = [row for row in new if (was := there.get(getattr(row, key))) is not row and was != row]
        keys = [getattr(row, key) for row in new]
        out[name] = {
            "rows": [row.model_dump(mode="json", by_alias=True, exclude_defaults=True) for row in rows],
            "order": None if keys == list(there) else keys,
        }
    return out


def is_of(kept: JsonObject, sent: JsonObject) -> bool:
    """Return whether a kept edit is one that was sent; numbers that a new step begins with were written into it."""
    begun = sent["kind"] in ("add_step", "add_part")
    return all(kept.get(k) == v for k, v in sent.items() if not (begun and k == "values"))
