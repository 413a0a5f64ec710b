"""What the use cases need from the outside."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from jukai.core.errors import CoreError
from jukai.core.json_data import JsonObject

__all__ = [
    "BakedRow",
    "BenchRow",
    "BenchStore",
    "JobEngine",
    "JobRow",
    "NotThere",
    "RevisionRow",
    "Run",
    "Stale",
    "UploadRow",
]


class NotThere(Exception):
    """What was asked for is not in the store."""


class StoreProblem(CoreError):
    """The store can't be used: ``kind`` is ``full``, ``read_only``, ``damaged``, ``newer``, ``busy``, ``can_not_open`` or ``unreadable``."""

    code = "store"

    def __init__(self, kind: str, message: str, *, hint: str | None = None) -> None:
        super().__init__(message, hint=hint)
        self.kind = kind


class Stale(Exception):
    """The edit was made on a revision that is no longer the head; ``head`` is its number."""

    def __init__(self, head: int) -> None:
        super().__init__(f"the head is revision {head}")
        self.head = head


@dataclass(frozen=True, slots=True)
class BenchRow:
    """A bench in the list."""

    id: str
    name: str
    head: int
    changed: float
    removed: float | None
    parts: int = 0


@dataclass(frozen=True, slots=True)
class RevisionRow:
    """A revision: what was done, on which one, when, by which window."""

    number: int
    parent: int | None
    label: str
    name: str | None
    time: float
    author: str
    edit: JsonObject | None
    on_branch: bool = True


@dataclass(frozen=True, slots=True)
class BakedRow:
    """A baked result in the hand-over."""

    id: int
    part: str
    part_name: str
    revision: int
    key: str
    time: float
    report: JsonObject


@dataclass(frozen=True, slots=True)
class UploadRow:
    """A file that belongs to a bench."""

    name: str
    size: int
    hash: str


Run = Callable[[Callable[[], bool]], None]
"""Work to be done; it is given what asks whether it is to stop."""


class JobEngine(Protocol):
    """What does work in the background: in this process, or on other machines."""

    def submit(self, job_id: str, run: Run) -> None:
        """Have work done soon, the newest first; older work of the same id is stopped."""

    def stop(self, job_id: str) -> None:
        """Stop work; it does not begin again by itself."""

    def busy(self) -> bool:
        """Return whether work goes on or waits."""

    def close(self) -> None:
        """Stop everything."""


@dataclass(frozen=True, slots=True)
class JobRow:
    """Work that was asked for and takes long: working a part out at a revision."""

    id: str
    bench: str
    revision: int
    part: str
    state: str


class BenchStore(Protocol):
    """Where benches, their revisions, baked results and files are kept."""

    def benches(self) -> Sequence[BenchRow]:
        """Return all benches, newest change first, removed ones too."""

    def create(
        self,
        bench_id: str,
        document: JsonObject,
        label: str,
        *,
        author: str,
        files: Mapping[str, bytes] | None = None,
        copied_from: str | None = None,
    ) -> int:
        """Keep a new bench with its files, or with those of another bench, at once; return its first revision."""

    def empty_removed(self) -> tuple[int, int]:
        """Delete the benches that are off the list for good; return how many, and the bytes given back."""
        ...

    def row(self, bench_id: str) -> BenchRow:
        """Return one bench of the list."""

    def document(self, bench_id: str, revision: int | None = None) -> tuple[int, JsonObject]:
        """Return a revision's number (the head's by default) and document."""

    def append(
        self,
        bench_id: str,
        base: int,
        edit: JsonObject,
        document: JsonObject,
        label: str,
        *,
        author: str,
        join: bool,
    ) -> int:
        """Keep an edit made on ``base``; raise ``Stale`` if that is not the head."""

    def edits_since(self, bench_id: str, since: int, author: str) -> Sequence[JsonObject]:
        """Return the edits of a window, as they were kept, that led to the head and are newer than a revision."""

    def undo(self, bench_id: str, base: int) -> int:
        """Move the head to its parent; return its number."""

    def redo(self, bench_id: str, base: int) -> int:
        """Move the head towards the newest revision it came from."""

    def go_to(self, bench_id: str, revision: int) -> int:
        """Move the head to any revision."""

    def history(self, bench_id: str) -> Sequence[RevisionRow]:
        """Return the revisions, newest first."""

    def steps(self, bench_id: str) -> tuple[RevisionRow | None, RevisionRow | None]:
        """Return what undo would take back and what redo would do again."""

    def name_revision(self, bench_id: str, revision: int, name: str | None) -> None:
        """Give a revision a name."""

    def remove(self, bench_id: str, *, removed: bool) -> None:
        """Take a bench off the list, or put it back."""

    def keep_file(self, bench_id: str, name: str, data: bytes) -> None:
        """Keep a file beside a bench."""

    def file_rows(self, bench_id: str) -> Sequence[UploadRow]:
        """Return the files beside a bench; none of them is read."""

    def blob(self, digest: str) -> bytes:
        """Return the bytes of a file by their hash."""

    def keep_job(self, job: JobRow) -> None:
        """Keep what became of work; the row of the same id before it goes."""

    def jobs(self, bench_id: str | None = None) -> Sequence[JobRow]:
        """Return work that goes on or was stopped, of a bench or of all."""

    def end_job(self, job_id: str) -> None:
        """Forget work that is done."""

    def keep_baked(
        self, bench_id: str, part: str, part_name: str, revision: int, key: str, report: JsonObject, mesh: bytes
    ) -> int:
        """Keep a baked result; the one before it of the same part goes."""

    def baked(self, bench_id: str) -> Sequence[BakedRow]:
        """Return what stands in the hand-over."""

    def baked_mesh(self, bench_id: str, baked_id: int) -> bytes:
        """Return the mesh of a baked result."""

    def remove_baked(self, bench_id: str, baked_id: int) -> None:
        """Take a baked result out of the hand-over."""
