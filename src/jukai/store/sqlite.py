"""The store on one SQLite file. An edit that was acknowledged survives ``kill -9``."""

from __future__ import annotations

import json
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from threading import Lock
from typing import Any

from sqlalchemy import URL, Engine, create_engine, delete, event, func, select, text
from sqlalchemy.orm import Session, sessionmaker

from jukai.app.ports import BakedRow, BenchRow, JobRow, NotThere, RevisionRow, Stale, UploadRow
from jukai.core.json_data import JsonObject
from jukai.store.documents import DEEPEST, encode, text_of
from jukai.store.models import Baked, BenchTable, Blob, File, Job, Revision
from jukai.store.problems import looked_through, named, usable
from jukai.store.rows import (
    bench_of,
    bench_row,
    has_children,
    joins,
    line_of,
    next_of,
    put_file,
    revision_of,
    revision_row,
    stored_text,
)

__all__ = ["SqliteStore"]

_KEPT, _HELD = 64, 16
"""Documents that are kept as data, and benches whose newest document is kept as text."""


class SqliteStore:
    """Benches in one SQLite file.

    Parameters
    ----------
    path : the database; made, or brought up to date, when opened.
    clock : seconds since 1970, for tests.
    """

    def __init__(self, path: Path, clock: Callable[[], float] = time.time) -> None:
        from jukai.store.migrations import HEAD

        usable(path)
        self.path = path
        _for_its_owner_alone(path)
        looked_through(path, HEAD)
        self._clock = clock
        self._engine = _engine(path)
        with named():
            _bring_up_to_date(self._engine)
        self._sessions = sessionmaker(self._engine, expire_on_commit=False)
        self._write = Lock()  # one writer at a time: SQLite allows no more, and waiting here is fairer
        self._texts: OrderedDict[str, tuple[int, bytes]] = OrderedDict()
        self._documents: OrderedDict[tuple[str, int], JsonObject] = OrderedDict()

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()

    @contextmanager
    def _session(self) -> Iterator[Session]:
        """Return a session; what SQLite says is raised in words."""
        with named(), self._sessions() as s:
            yield s

    @contextmanager
    def _writing(self) -> Iterator[Session]:
        with self._write, self._session() as s:
            # taken at once, so that what is read here is what is written upon
            s.execute(text("BEGIN IMMEDIATE"))
            yield s
            s.commit()

    # -- benches --------------------------------------------------------------------------------
    def benches(self) -> Sequence[BenchRow]:
        """Return all benches, newest change first, removed ones too."""
        with self._session() as s:
            rows = s.scalars(select(BenchTable).order_by(BenchTable.changed.desc(), BenchTable.id)).all()
        return [bench_row(b) for b in rows]

    def row(self, bench_id: str) -> BenchRow:
        """Return one bench of the list."""
        with self._session() as s:
            return bench_row(bench_of(s, bench_id))

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
        """Keep a new bench with its files, or with those of another bench; return its first revision."""
        now = self._clock()
        with self._writing() as s:
            s.add(
                BenchTable(
                    id=bench_id,
                    name=document["name"],
                    head=1,
                    tip=1,
                    parts=len(document.get("parts", [])),
                    created=now,
                    changed=now,
                )
            )
            s.flush()
            data = encode(text_of(document), None)
            s.add(
                Revision(
                    bench=bench_id,
                    number=1,
                    parent=None,
                    edit=None,
                    label=label,
                    author=author,
                    time=now,
                    document=data,
                )
            )
            for name, body in (files or {}).items():
                put_file(s, bench_id, name, body)
            if copied_from is not None:
                for f in s.scalars(select(File).where(File.bench == copied_from)).all():
                    s.add(File(bench=bench_id, name=f.name, hash=f.hash, size=f.size))
        return 1

    def remove(self, bench_id: str, *, removed: bool) -> None:
        """Take a bench off the list, or put it back."""
        with self._writing() as s:
            bench_of(s, bench_id).removed = self._clock() if removed else None

    def empty_removed(self) -> tuple[int, int]:
        """Delete the benches that are off the list for good, and what only they had; give the room back to the disk.

        Returns
        -------
        How many benches, and how many bytes smaller the database is.
        """
        before = self._bytes()
        with self._writing() as s:
            gone = s.scalars(select(BenchTable.id).where(BenchTable.removed.is_not(None))).all()
            s.execute(delete(BenchTable).where(BenchTable.removed.is_not(None)))
            s.execute(delete(Blob).where(Blob.hash.not_in(select(File.hash))))
            for bench_id in gone:
                self._texts.pop(bench_id, None)
            for key in [k for k in self._documents if k[0] in gone]:
                self._documents.pop(key, None)
        self.compact()
        return len(gone), max(0, before - self._bytes())

    def compact(self) -> None:
        """Write the database anew without the room that deleted things left; needs as much room again meanwhile."""
        with self._write, named(), self._engine.connect() as c:
            c.exec_driver_sql("VACUUM")
            c.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")

    def _bytes(self) -> int:
        return sum(p.stat().st_size for p in (self.path, Path(f"{self.path}-wal")) if p.exists())

    # -- revisions ------------------------------------------------------------------------------
    def document(self, bench_id: str, revision: int | None = None) -> tuple[int, JsonObject]:
        """Return a revision's number and document."""
        with self._session() as s:
            number = bench_of(s, bench_id).head if revision is None else revision
            kept = self._documents.get((bench_id, number))
            if kept is not None:
                return number, kept
            document: dict[str, object] = json.loads(stored_text(s, bench_id, number))
        self._keep(bench_id, number, document)
        return number, document

    def _keep(self, bench_id: str, number: int, document: dict[str, object]) -> None:
        self._documents[bench_id, number] = document
        while len(self._documents) > _KEPT:
            self._documents.popitem(last=False)

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
        """Keep an edit made on ``base``.

        With ``join``, an edit of the same thing by the same window within a second takes the place
        of the one before it, so that a run of arrow keys is undone at once.
        """
        now = self._clock()
        with self._writing() as s:
            bench = bench_of(s, bench_id)
            if bench.head != base:
                raise Stale(bench.head)
            number = 1 + int(s.scalar(select(func.max(Revision.number)).where(Revision.bench == bench_id)) or 0)
            parent: int | None = base
            before = revision_of(s, bench_id, base)
            if join and joins(before, edit, author, now) and not has_children(s, bench_id, base):
                parent = before.parent
                s.delete(before)
                s.flush()
                self._documents.pop((bench_id, base), None)
            there = None if parent is None else revision_of(s, bench_id, parent)
            whole = there is None or there.depth + 1 >= DEEPEST
            written = text_of(document)
            data = encode(written, None if whole or parent is None else self._text_of(s, bench_id, parent))
            s.add(
                Revision(
                    bench=bench_id, number=number, parent=parent, edit=edit, label=label, author=author, time=now, document=data,
                    base=None if whole else parent, depth=0 if whole or there is None else there.depth + 1,
                )
            )  # fmt: skip
            bench.head = bench.tip = number
            bench.name, bench.parts, bench.changed = document["name"], len(document.get("parts", [])), now
        self._keep(bench_id, number, document)
        self._texts[bench_id] = (number, written)
        while len(self._texts) > _HELD:
            self._texts.popitem(last=False)
        return number

    def _text_of(self, s: Session, bench_id: str, number: int) -> bytes:
        """Return the text of a stored document; that of the newest is at hand while one edit follows the other."""
        held = self._texts.get(bench_id)
        return held[1] if held is not None and held[0] == number else stored_text(s, bench_id, number)

    def edits_since(self, bench_id: str, since: int, author: str) -> Sequence[JsonObject]:
        """Return the edits of a window, as they were kept, that led to the head and are newer than a revision."""
        with self._session() as s:
            line = set(line_of(s, bench_id, bench_of(s, bench_id).head))
            newer = select(Revision.number, Revision.edit).where(
                Revision.bench == bench_id, Revision.number > since, Revision.author == author
            )
            return [edit for number, edit in s.execute(newer) if number in line and edit is not None]

    def undo(self, bench_id: str, base: int) -> int:
        """Move the head to its parent; at the first revision it stays."""
        with self._writing() as s:
            bench = bench_of(s, bench_id)
            if bench.head != base:
                raise Stale(bench.head)
            parent = revision_of(s, bench_id, base).parent
            if parent is not None:
                self._move(s, bench, parent)
            return bench.head

    def redo(self, bench_id: str, base: int) -> int:
        """Move the head one on towards the newest revision it came from."""
        with self._writing() as s:
            bench = bench_of(s, bench_id)
            if bench.head != base:
                raise Stale(bench.head)
            onward = next_of(s, bench)
            if onward is not None:
                self._move(s, bench, onward.number)
            return bench.head

    def go_to(self, bench_id: str, revision: int) -> int:
        """Move the head to any revision; redo then leads on along its newest branch."""
        with self._writing() as s:
            bench = bench_of(s, bench_id)
            revision_of(s, bench_id, revision)
            if revision not in line_of(s, bench_id, bench.tip):
                bench.tip = revision
            self._move(s, bench, revision)
            return bench.head

    def _move(self, s: Session, bench: BenchTable, number: int) -> None:
        bench.head = number
        document = self._documents.get((bench.id, number)) or json.loads(stored_text(s, bench.id, number))
        bench.name, bench.parts, bench.changed = document["name"], len(document.get("parts", [])), self._clock()

    def steps(self, bench_id: str) -> tuple[RevisionRow | None, RevisionRow | None]:
        """Return what undo would take back and what redo would do again."""
        with self._session() as s:
            bench = bench_of(s, bench_id)
            here = revision_of(s, bench_id, bench.head)
            onward = next_of(s, bench)
            return (None if here.parent is None else revision_row(here)), (
                None if onward is None else revision_row(onward)
            )

    def history(self, bench_id: str) -> Sequence[RevisionRow]:
        """Return the revisions, newest first; those on other branches are marked."""
        with self._session() as s:
            bench = bench_of(s, bench_id)
            line = set(line_of(s, bench_id, bench.tip))
            rows = s.scalars(select(Revision).where(Revision.bench == bench_id).order_by(Revision.number.desc())).all()
            return [revision_row(r, on_branch=r.number in line) for r in rows]

    def name_revision(self, bench_id: str, revision: int, name: str | None) -> None:
        """Give a revision a name, or take it."""
        with self._writing() as s:
            revision_of(s, bench_id, revision).name = name

    # -- files and baked results ----------------------------------------------------------------
    def keep_file(self, bench_id: str, name: str, data: bytes) -> None:
        """Keep a file beside a bench."""
        with self._writing() as s:
            bench_of(s, bench_id)
            put_file(s, bench_id, name, data)

    def file_rows(self, bench_id: str) -> Sequence[UploadRow]:
        """Return the files beside a bench; none of them is read."""
        with self._session() as s:
            bench_of(s, bench_id)
            rows = s.scalars(select(File).where(File.bench == bench_id).order_by(File.name)).all()
            return [UploadRow(f.name, f.size, f.hash) for f in rows]

    def blob(self, digest: str) -> bytes:
        """Return the bytes of a file by their hash."""
        with self._session() as s:
            data = s.scalar(select(Blob.data).where(Blob.hash == digest))
        if data is None:
            raise NotThere("such file any more")
        return data

    # -- jobs -----------------------------------------------------------------------------------
    def keep_job(self, job: JobRow) -> None:
        """Keep what became of work; the row of the same id before it goes."""
        now = self._clock()
        with self._writing() as s:
            if s.get(BenchTable, job.bench) is not None:
                s.merge(Job(id=job.id, bench=job.bench, revision=job.revision, kind="bodies", part=job.part, state=job.state,
                            created=now, changed=now))  # fmt: skip

    def jobs(self, bench_id: str | None = None) -> Sequence[JobRow]:
        """Return work that goes on or was stopped, of a bench or of all."""
        with self._session() as s:
            asked = (
                select(Job).order_by(Job.id)
                if bench_id is None
                else select(Job).where(Job.bench == bench_id).order_by(Job.id)
            )
            return [JobRow(j.id, j.bench, j.revision, j.part or "", j.state) for j in s.scalars(asked).all()]

    def end_job(self, job_id: str) -> None:
        """Forget work that is done."""
        with self._writing() as s:
            s.execute(delete(Job).where(Job.id == job_id))

    def keep_baked(
        self, bench_id: str, part: str, part_name: str, revision: int, key: str, report: JsonObject, mesh: bytes
    ) -> int:
        """Keep a baked result; the one before it of the same part goes."""
        with self._writing() as s:
            bench_of(s, bench_id)
            s.execute(delete(Baked).where(Baked.bench == bench_id, Baked.part == part))
            row = Baked(
                bench=bench_id,
                part=part,
                part_name=part_name,
                revision=revision,
                key=key,
                time=self._clock(),
                report=report,
                mesh=mesh,
            )
            s.add(row)
            s.flush()
            return row.id

    def baked(self, bench_id: str) -> Sequence[BakedRow]:
        """Return what stands in the hand-over."""
        with self._session() as s:
            bench_of(s, bench_id)
            columns = (Baked.id, Baked.part, Baked.part_name, Baked.revision, Baked.key, Baked.time, Baked.report)
            rows = s.execute(select(*columns).where(Baked.bench == bench_id).order_by(Baked.part_name)).all()
            return [BakedRow(*r) for r in rows]

    def baked_mesh(self, bench_id: str, baked_id: int) -> bytes:
        """Return the mesh of a baked result."""
        with self._session() as s:
            data = s.scalar(select(Baked.mesh).where(Baked.bench == bench_id, Baked.id == baked_id))
        if data is None:
            raise NotThere(f"baked result {baked_id}")
        return data

    def remove_baked(self, bench_id: str, baked_id: int) -> None:
        """Take a baked result out of the hand-over."""
        with self._writing() as s:
            s.execute(delete(Baked).where(Baked.bench == bench_id, Baked.id == baked_id))


def _for_its_owner_alone(path: Path) -> None:
    """Have a database be read by nobody else; SQLite gives its journals the same permissions."""
    with suppress(
        OSError
    ):  # another owner's, or a file system without permissions: whether it can be used is told later
        path.touch(mode=0o600, exist_ok=True)
        path.chmod(0o600)


def _engine(path: Path) -> Engine:
    engine = create_engine(URL.create("sqlite", database=str(path)), connect_args={"timeout": 20})

    @event.listens_for(engine, "connect")
    def _pragmas(connection: Any, _: object) -> None:
        connection.isolation_level = None  # transactions begin where we say
        for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON"):
            connection.execute(f"PRAGMA {pragma}")

    return engine


def _bring_up_to_date(engine: Engine) -> None:
    """Run the migrations that the database lacks; alembic is loaded only if there are any."""
    from jukai.store.migrations import HEAD, upgrade

    with engine.connect() as c:
        there = c.execute(text("SELECT name FROM sqlite_master WHERE name = 'alembic_version'")).first()
        if there and c.execute(text("SELECT version_num FROM alembic_version")).scalar() == HEAD:
            return
    upgrade(engine)
