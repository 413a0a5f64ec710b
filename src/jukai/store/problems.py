"""What can be wrong with a database, in words: full, read-only, damaged, newer, not a database."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy.exc import DBAPIError

from jukai.app.ports import StoreProblem

__all__ = ["looked_through", "named", "usable"]

_LOOKED_THROUGH = 2_000_000_000
"""Bytes up to which all pages of a database are looked at when it is opened; a second for some hundred million."""
_FULL = StoreProblem(
    "full", "The disk is full: nothing more can be kept.", hint="Free some room and do it again; what was kept is safe."
)
_KINDS = {
    sqlite3.SQLITE_FULL: _FULL,
    sqlite3.SQLITE_READONLY: StoreProblem("read_only", "The database can't be written to.", hint="Its file or folder is read-only."),
    sqlite3.SQLITE_CORRUPT: StoreProblem("damaged", "The database is damaged.", hint="Put a copy of it in its place."),
    sqlite3.SQLITE_NOTADB: StoreProblem("damaged", "The file in place of the database is none.", hint="Choose another data folder, or move that file away."),
    sqlite3.SQLITE_CANTOPEN: StoreProblem("can_not_open", "The database can't be opened.", hint="The folder it lies in may be gone or closed to this user."),
    sqlite3.SQLITE_BUSY: StoreProblem("busy", "Another program holds the database.", hint="Stop it, or do it again in a while."),
    sqlite3.SQLITE_LOCKED: StoreProblem("busy", "Another program holds the database.", hint="Stop it, or do it again in a while."),
    sqlite3.SQLITE_IOERR: StoreProblem("unreadable", "The disk can't be read or written.", hint="Look whether it is still there."),
}  # fmt: skip


@contextmanager
def named() -> Iterator[None]:
    """Raise what SQLite says as a ``StoreProblem`` in words."""
    try:
        yield
    except DBAPIError as error:
        known = _of(error.orig)
        if known is None:
            raise
        raise known from error
    except sqlite3.Error as error:
        known = _of(error)
        if known is None:
            raise
        raise known from error


def _of(error: object) -> StoreProblem | None:
    code = getattr(error, "sqlite_errorcode", None)
    known = None if code is None else _KINDS.get(code & 0xFF)
    return None if known is None else StoreProblem(known.kind, known.message, hint=known.hint)


def usable(path: Path) -> None:
    """Refuse a place where no database can be.

    Raises
    ------
    StoreProblem
        When a folder stands in place of the file, or a file in place of its folder.
    """
    for above in path.parents:
        if above.exists() and not above.is_dir():
            raise StoreProblem(
                "can_not_open", f"'{above}' is a file, not a folder.", hint="Choose another data folder."
            )
    if path.is_dir():
        raise StoreProblem(
            "can_not_open",
            f"'{path}' is a folder: the database should be there.",
            hint="Move it away, or choose another data folder.",
        )
    try:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as error:
        raise StoreProblem("can_not_open", f"The folder '{path.parent}' can't be made: {error.strerror}.") from None


def looked_through(path: Path, newest: str) -> None:
    """Look a database that is there through before it is used: that it can be written to, is whole, and is no newer than this program.

    Raises
    ------
    StoreProblem
        When it is not.
    """
    if not path.is_file() or path.stat().st_size == 0:
        return
    connection = None
    try:
        with named():
            connection = sqlite3.connect(path, timeout=5, isolation_level=None)
            connection.execute("BEGIN IMMEDIATE")
            connection.execute("ROLLBACK")
            if path.stat().st_size <= _LOOKED_THROUGH:
                found = connection.execute("PRAGMA quick_check(1)").fetchone()
                if found is not None and found[0] != "ok":
                    raise StoreProblem(
                        "damaged",
                        f"The database '{path}' is damaged: {str(found[0])[:120]}.",
                        hint="Put a copy of it in its place.",
                    )
            there = connection.execute("SELECT name FROM sqlite_master WHERE name = 'alembic_version'").fetchone()
            row = connection.execute("SELECT version_num FROM alembic_version").fetchone() if there else None
    finally:
        if connection is not None:
            connection.close()
    if row is not None and str(row[0]) > newest:
        text = f"The database '{path}' was made by a newer Jukai (its form is {row[0]}, this one knows {newest})."
        raise StoreProblem("newer", text, hint="Use that one, or another data folder.")
