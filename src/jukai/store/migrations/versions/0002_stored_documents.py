"""The document of every revision is stored; files stand under their hash; jobs.

Until now every twentieth document was stored and those between were found by running edits again. Here they
are run once more, as that version ran them, and each result is kept: edits are a journal from now on.
"""

from __future__ import annotations

import hashlib
import json
from typing import Any

import sqlalchemy as sa
from alembic import op

from jukai.core.errors import CoreError
from jukai.core.json_data import JsonObject
from jukai.core.recipe.bench import Bench, Step
from jukai.core.recipe.edits import apply_edit, parse_edit
from jukai.core.recipe.versions import brought_up_to_date
from jukai.store.documents import DEEPEST, encode, text_of

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    c = op.get_bind()
    op.add_column("revision", sa.Column("base", sa.Integer(), nullable=True))
    op.add_column("revision", sa.Column("depth", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("revision", sa.Column("document", sa.LargeBinary(), nullable=False, server_default=""))
    for (bench,) in c.execute(sa.text("SELECT id FROM bench")).all():
        _store_documents(c, bench)
    op.drop_table("snapshot")
    op.create_table(
        "blob", sa.Column("hash", sa.String(64), primary_key=True), sa.Column("data", sa.LargeBinary(), nullable=False)
    )
    op.create_table(
        "file",
        sa.Column("bench", sa.String(64), sa.ForeignKey("bench.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("name", sa.String(200), primary_key=True),
        sa.Column("hash", sa.String(64), sa.ForeignKey("blob.hash"), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
    )
    for bench, name in c.execute(sa.text("SELECT bench, name FROM upload")).all():
        row = {"bench": bench, "name": name}
        data = c.execute(sa.text("SELECT data FROM upload WHERE bench = :bench AND name = :name"), row).scalar_one()
        row |= {"hash": hashlib.blake2b(data, digest_size=16).hexdigest(), "size": len(data)}
        c.execute(sa.text("INSERT OR IGNORE INTO blob (hash, data) VALUES (:hash, :data)"), row | {"data": data})
        c.execute(sa.text("INSERT INTO file (bench, name, hash, size) VALUES (:bench, :name, :hash, :size)"), row)
    op.drop_table("upload")
    op.create_table(
        "job",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("bench", sa.String(64), sa.ForeignKey("bench.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(32), nullable=False),
        sa.Column("part", sa.String(64), nullable=True),
        sa.Column("state", sa.String(16), nullable=False, index=True),
        sa.Column("fraction", sa.Double(), nullable=False),
        sa.Column("told", sa.String(400), nullable=True),
        sa.Column("created", sa.Double(), nullable=False),
        sa.Column("changed", sa.Double(), nullable=False),
    )


def _store_documents(c: Any, bench: str) -> None:
    """Keep the document of each revision of a bench; parents have smaller numbers than their children."""
    old = dict(c.execute(sa.text("SELECT number, document FROM snapshot WHERE bench = :b"), {"b": bench}).all())
    rows = c.execute(
        sa.text("SELECT number, parent, edit FROM revision WHERE bench = :b ORDER BY number"), {"b": bench}
    ).all()
    benches: dict[int, Bench] = {}
    texts: dict[int, tuple[bytes, int]] = {}
    for number, parent, edit in rows:
        benches[number] = _document(old.get(number), edit, benches.get(parent))
        text = text_of(_present(benches[number]))
        base, depth = texts.get(parent, (None, DEEPEST))
        depth = 0 if base is None or depth + 1 >= DEEPEST else depth + 1
        data = encode(text, base if depth else None)
        texts[number] = (text, depth)
        c.execute(
            sa.text(
                "UPDATE revision SET base = :base, depth = :depth, document = :data WHERE bench = :b AND number = :n"
            ),
            {"base": parent if depth else None, "depth": depth, "data": data, "b": bench, "n": number},
        )


def _document(snapshot: str | None, edit: str | None, before: Bench | None) -> Bench:
    """Return the document of a revision as that version had it; where its edit can't be read, the one before."""
    if snapshot is not None:
        return _bench(json.loads(snapshot))
    if before is None:
        raise RuntimeError("a revision has neither a document nor one before it")
    try:
        return _edited(before, json.loads(edit)) if edit else before
    except CoreError:
        return before


def _bench(doc: JsonObject) -> Bench:
    """Return a document of version 1 in today's model; the values of steps stay as they are written."""
    parts = [{("transparent" if k == "see_through" else k): v for k, v in p.items()} for p in doc.get("parts", [])]
    return Bench.model_validate(doc | {"version": 2, "parts": parts})


def _edited(bench: Bench, edit: JsonObject) -> Bench:
    if edit["kind"] == "set_value":
        return _with_value(bench, edit)
    if edit["kind"] == "set_part":
        edit = {("transparent" if k == "see_through" else k): v for k, v in edit.items()}
    return apply_edit(bench, parse_edit(edit))


def _with_value(bench: Bench, edit: JsonObject) -> Bench:
    """Write a value as it was written then: whole, under keys that there may be none of any more."""

    def changed(step: Step) -> Step:
        values = dict(step.values)
        if edit["value"] is None:
            values.pop(edit["key"], None)
        else:
            values[edit["key"]] = edit["value"]
            values.pop({"turn": "lead", "lead": "turn"}.get(edit["key"], ""), None)
        return step.model_copy(update={"values": values})

    parts = [
        p.model_copy(update={"recipe": [changed(s) if s.id == edit["step"] else s for s in p.recipe]})
        if p.id == edit["part"]
        else p
        for p in bench.parts
    ]
    return bench.model_copy(update={"parts": parts})


def _present(bench: Bench) -> JsonObject:
    """Return the document as the present version writes it."""
    return Bench.model_validate(brought_up_to_date(bench.to_json() | {"version": 1})).to_json()


def downgrade() -> None:
    raise RuntimeError("documents that are stored can't be taken back to edits")
