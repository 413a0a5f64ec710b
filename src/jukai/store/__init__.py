"""SQLite through SQLAlchemy: benches, revisions, undo."""

from jukai.store.sqlite import SqliteStore

__all__ = ["SqliteStore"]
