"""Tables."""

from __future__ import annotations

from sqlalchemy import JSON, ForeignKey, Index, LargeBinary, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from jukai.core.json_data import JsonObject

__all__ = ["Baked", "Base", "BenchTable", "Blob", "File", "Job", "Revision"]


class Base(DeclarativeBase):
    """Base of all tables."""


class BenchTable(Base):
    """A bench: where its head stands, and the newest revision that redo leads to."""

    __tablename__ = "bench"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    head: Mapped[int]
    tip: Mapped[int]
    parts: Mapped[int] = mapped_column(default=0)
    created: Mapped[float]
    changed: Mapped[float]
    removed: Mapped[float | None] = mapped_column(default=None)


class Revision(Base):
    """One edit and the document it led to; numbers count per bench.

    ``base`` is the revision that the stored document is a difference to, ``depth`` how many differences lie
    between it and one that is stored whole.
    """

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("bench", "number"), Index("revision_parent", "bench", "parent"))

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    bench: Mapped[str] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"))
    number: Mapped[int]
    parent: Mapped[int | None]
    edit: Mapped[JsonObject | None] = mapped_column(JSON)
    label: Mapped[str] = mapped_column(String(300))
    name: Mapped[str | None] = mapped_column(String(200), default=None)
    author: Mapped[str] = mapped_column(String(64))
    time: Mapped[float]
    base: Mapped[int | None] = mapped_column(default=None)
    depth: Mapped[int] = mapped_column(default=0)
    document: Mapped[bytes] = mapped_column(LargeBinary)


class Baked(Base):
    """A baked result in the hand-over."""

    __tablename__ = "baked"

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    bench: Mapped[str] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"), index=True)
    part: Mapped[str] = mapped_column(String(64))
    part_name: Mapped[str] = mapped_column(String(200))
    revision: Mapped[int]
    key: Mapped[str] = mapped_column(String(64))
    time: Mapped[float]
    report: Mapped[JsonObject] = mapped_column(JSON)
    mesh: Mapped[bytes] = mapped_column(LargeBinary)


class File(Base):
    """A file beside a bench; its bytes stand under their hash, so that looking at the list reads none."""

    __tablename__ = "file"

    bench: Mapped[str] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(String(200), primary_key=True)
    hash: Mapped[str] = mapped_column(ForeignKey("blob.hash"))
    size: Mapped[int]


class Blob(Base):
    """Bytes by their hash."""

    __tablename__ = "blob"

    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class Job(Base):
    """Work that was asked for: a revision to be worked out, a part to be baked.

    ``state`` is ``waiting``, ``running``, ``done``, ``stopped`` or ``failed``; what is neither of the last three
    when the server starts is found and goes on.
    """

    __tablename__ = "job"

    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    bench: Mapped[str] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"), index=True)
    revision: Mapped[int]
    kind: Mapped[str] = mapped_column(String(32))
    part: Mapped[str | None] = mapped_column(String(64), default=None)
    state: Mapped[str] = mapped_column(String(16), index=True)
    fraction: Mapped[float] = mapped_column(default=0.0)
    told: Mapped[str | None] = mapped_column(String(400), default=None)
    created: Mapped[float]
    changed: Mapped[float]
