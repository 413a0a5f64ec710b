"""Tables."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, LargeBinary, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

__all__ = ["Baked", "Base", "BenchTable", "File", "Revision", "Snapshot"]


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
    """One edit; numbers count per bench."""

    __tablename__ = "revision"
    __table_args__ = (UniqueConstraint("bench", "number"), Index("revision_parent", "bench", "parent"))

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    bench: Mapped[str] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"))
    number: Mapped[int]
    parent: Mapped[int | None]
    edit: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    label: Mapped[str] = mapped_column(String(300))
    name: Mapped[str | None] = mapped_column(String(200), default=None)
    author: Mapped[str] = mapped_column(String(64))
    time: Mapped[float]


class Snapshot(Base):
    """The whole document at a revision."""

    __tablename__ = "snapshot"

    bench: Mapped[str] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


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
    report: Mapped[dict[str, Any]] = mapped_column(JSON)
    mesh: Mapped[bytes] = mapped_column(LargeBinary)


class File(Base):
    """A file beside a bench."""

    __tablename__ = "upload"

    bench: Mapped[str] = mapped_column(ForeignKey("bench.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(String(200), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)
