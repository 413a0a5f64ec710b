"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def _bench_key() -> sa.Column[str]:
    return sa.Column("bench", sa.String(64), sa.ForeignKey("bench.id", ondelete="CASCADE"), nullable=False)


def upgrade() -> None:
    op.create_table(
        "bench",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("tip", sa.Integer, nullable=False),
        sa.Column("parts", sa.Integer, nullable=False),
        sa.Column("created", sa.Double, nullable=False),
        sa.Column("changed", sa.Double, nullable=False),
        sa.Column("removed", sa.Double),
    )
    op.create_table(
        "revision",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        _bench_key(),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("parent", sa.Integer),
        sa.Column("edit", sa.JSON),
        sa.Column("label", sa.String(300), nullable=False),
        sa.Column("name", sa.String(200)),
        sa.Column("author", sa.String(64), nullable=False),
        sa.Column("time", sa.Double, nullable=False),
        sa.UniqueConstraint("bench", "number"),
    )
    op.create_index("revision_parent", "revision", ["bench", "parent"])
    bench = _bench_key()
    op.create_table(
        "snapshot",
        bench,
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
        sa.PrimaryKeyConstraint("bench", "number"),
    )
    op.create_table(
        "baked",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        _bench_key(),
        sa.Column("part", sa.String(64), nullable=False),
        sa.Column("part_name", sa.String(200), nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("time", sa.Double, nullable=False),
        sa.Column("report", sa.JSON, nullable=False),
        sa.Column("mesh", sa.LargeBinary, nullable=False),
    )
    op.create_index("ix_baked_bench", "baked", ["bench"])
    op.create_table(
        "upload",
        _bench_key(),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
        sa.PrimaryKeyConstraint("bench", "name"),
    )
