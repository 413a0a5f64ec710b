"""Migrations of the database, run when it is opened."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import Engine

__all__ = ["HEAD", "upgrade"]

HEAD = "0002"
"""The newest migration; a test holds it against the files."""


def upgrade(engine: Engine) -> None:
    """Bring a database to the newest migration."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent).replace("%", "%%"))
    with engine.connect() as connection:
        # all or nothing: a server that is killed meanwhile begins anew on the database as it was
        connection.exec_driver_sql("BEGIN IMMEDIATE")
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
