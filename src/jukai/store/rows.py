"""What is read from the tables of the store: rows, lines of revisions, texts of documents."""

from __future__ import annotations

import hashlib

from sqlalchemy import select
from sqlalchemy.orm import Session

from jukai.app.ports import BenchRow, NotThere, RevisionRow
from jukai.store.documents import decode
from jukai.store.models import BenchTable, Blob, File, Revision

__all__ = [
    "bench_of",
    "bench_row",
    "has_children",
    "joins",
    "line_of",
    "next_of",
    "put_file",
    "revision_of",
    "revision_row",
    "stored_text",
]

JOIN_WITHIN = 1.0
"""Seconds within which steps on one number become one revision."""


def bench_of(s: Session, bench_id: str) -> BenchTable:
    """Return the row of a bench."""
    row = s.get(BenchTable, bench_id)
    if row is None:
        raise NotThere(f"bench {bench_id}")
    return row


def revision_of(s: Session, bench_id: str, number: int) -> Revision:
    """Return the row of a revision."""
    row = s.scalar(select(Revision).where(Revision.bench == bench_id, Revision.number == number))
    if row is None:
        raise NotThere(f"revision {number}")
    return row


def has_children(s: Session, bench_id: str, number: int) -> bool:
    """Return whether revisions were made upon this one."""
    return (
        s.scalar(select(Revision.id).where(Revision.bench == bench_id, Revision.parent == number).limit(1)) is not None
    )


def joins(before: Revision, edit: dict[str, object], author: str, now: float) -> bool:
    """Return whether an edit is another step on the same number, soon enough to take the place of the one before."""
    if before.edit is None or before.author != author or before.name is not None or now - before.time > JOIN_WITHIN:
        return False
    same = ("kind", "part", "step", "key", "curve", "point", "name")
    return all(before.edit.get(k) == edit.get(k) for k in same) and set(before.edit) == set(edit)


def _parents(s: Session, bench_id: str) -> dict[int, int | None]:
    rows = s.execute(select(Revision.number, Revision.parent).where(Revision.bench == bench_id)).all()
    return {r[0]: r[1] for r in rows}


def line_of(s: Session, bench_id: str, number: int) -> list[int]:
    """Return the numbers from a revision back to the first."""
    parents = _parents(s, bench_id)
    out: list[int] = []
    at: int | None = number
    while at is not None:
        out.append(at)
        at = parents.get(at)
    return out


def next_of(s: Session, bench: BenchTable) -> Revision | None:
    """Return the revision that redo leads to, None where there is none."""
    if bench.tip == bench.head:
        return None
    line = line_of(s, bench.id, bench.tip)
    if bench.head not in line:
        return None
    at = line.index(bench.head)
    return revision_of(s, bench.id, line[at - 1]) if at > 0 else None


def stored_text(s: Session, bench_id: str, number: int) -> bytes:
    """Return the text of a stored document: the nearest whole one, and the differences from there on."""
    chain: list[bytes] = []
    at: int | None = number
    while at is not None:
        row = s.execute(
            select(Revision.document, Revision.base).where(Revision.bench == bench_id, Revision.number == at)
        ).first()
        if row is None:
            raise NotThere(f"revision {at}")
        chain.append(row.document)
        at = row.base
    text: bytes | None = None
    for data in reversed(chain):
        text = decode(data, text)
    assert text is not None  # noqa: S101 - there was at least one
    return text


def put_file(s: Session, bench_id: str, name: str, data: bytes) -> None:
    """Keep a file of a bench; the same bytes are kept once."""
    digest = hashlib.blake2b(data, digest_size=16).hexdigest()
    if s.scalar(select(Blob.hash).where(Blob.hash == digest)) is None:
        s.add(Blob(hash=digest, data=data))
        s.flush()
    s.merge(File(bench=bench_id, name=name, hash=digest, size=len(data)))


def bench_row(b: BenchTable) -> BenchRow:
    """Return a bench as the use cases know it."""
    return BenchRow(b.id, b.name, b.head, b.changed, b.removed, b.parts)


def revision_row(r: Revision, *, on_branch: bool = True) -> RevisionRow:
    """Return a revision as the use cases know it."""
    return RevisionRow(r.number, r.parent, r.label, r.name, r.time, r.author, r.edit, on_branch)
