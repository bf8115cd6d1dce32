"""Documents are packed; what waits has its facts with it, in parts; old sheets are on record alone."""

from collections.abc import Callable, Iterator, Sequence
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

from dogana.core.inspect.sheet import Sheet
from dogana.core.record.canonical import canonical_plain, digest_bytes
from dogana.store.packing import packed, unpacked

revision = "0012"
down_revision = "0011"

_LOT = 500
_OVER = "state IN ('landed', 'rolled back', 'turned back', 'withdrawn', 'superseded')"


def upgrade() -> None:
    op.create_table(
        "facts_parts",
        sa.Column("digest", sa.TEXT(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("digest", name=op.f("pk_facts_parts")),
    )
    op.create_index("ix_facts_parts_used_at", "facts_parts", ["used_at"])
    op.add_column("promotions", sa.Column("facts", sa.LargeBinary(), nullable=True))
    op.add_column("promotions", sa.Column("facts_parts", postgresql.ARRAY(sa.TEXT()), nullable=True))
    op.add_column("promotions", sa.Column("sheet_digest", sa.TEXT(), nullable=True))
    op.add_column("promotions", sa.Column("brief", postgresql.JSONB(), nullable=True))
    op.drop_constraint("fk_promotions_facts_digest", "promotions", type_="foreignkey")
    _rewrite_documents(sa.LargeBinary(), packed)
    _settle_sheets(op.get_bind())
    _brief(op.get_bind())


def downgrade() -> None:
    _rewrite_documents(sa.TEXT(), unpacked)
    op.execute(
        "UPDATE promotions SET sheet = documents.body::jsonb FROM documents WHERE digest = sheet_digest"
    )
    # What waits is inspected from facts that are read anew.
    op.execute("UPDATE promotions SET facts_digest = NULL WHERE facts IS NOT NULL")
    op.create_foreign_key(
        op.f("fk_promotions_facts_digest"), "promotions", "documents", ["facts_digest"], ["digest"]
    )
    for name in ("brief", "sheet_digest", "facts_parts", "facts"):
        op.drop_column("promotions", name)
    op.drop_table("facts_parts")


def _rewrite_documents(kind: sa.types.TypeEngine[Any], written: Callable[[Any], Any]) -> None:
    """The same texts under the same digests, in a column of another kind."""
    connection = op.get_bind()
    op.execute("ALTER TABLE documents DISABLE TRIGGER append_only")
    op.add_column("documents", sa.Column("other", kind, nullable=True))
    change = sa.text("UPDATE documents SET other = :other WHERE digest = :digest")
    for lot in _lots(connection, "SELECT digest, body FROM documents", "digest", ""):
        connection.execute(change, [{"digest": row.digest, "other": written(row.body)} for row in lot])
    op.drop_column("documents", "body")
    op.alter_column("documents", "other", new_column_name="body", nullable=False)
    op.execute("ALTER TABLE documents ENABLE TRIGGER append_only")


def _settle_sheets(connection: sa.Connection) -> None:
    """Of what is over, the sheet is where it was recorded; canonical, it has the digest it has there."""
    move = sa.text(
        "UPDATE promotions SET sheet_digest = :digest, sheet = NULL WHERE number = :number"
        " AND EXISTS (SELECT FROM documents WHERE documents.digest = :digest)"
    )
    over = f"SELECT number, sheet FROM promotions WHERE {_OVER} AND sheet IS NOT NULL"  # noqa: S608
    for lot in _lots(connection, over, "number", 0):
        digests = {row.number: digest_bytes(canonical_plain(row.sheet)) for row in lot}
        connection.execute(move, [{"number": n, "digest": digest} for n, digest in digests.items()])


def _brief(connection: sa.Connection) -> None:
    """What lists show of the sheets that are left."""
    write = sa.text("UPDATE promotions SET brief = :brief WHERE number = :number")
    write = write.bindparams(sa.bindparam("brief", type_=postgresql.JSONB()))
    for lot in _lots(connection, "SELECT number, sheet FROM promotions WHERE sheet IS NOT NULL", "number", 0):
        rows = [
            {"number": row.number, "brief": Sheet.model_validate(row.sheet).brief().plain()} for row in lot
        ]
        connection.execute(write, rows)


def _lots(connection: sa.Connection, query: str, key: str, after: Any) -> Iterator[Sequence[sa.Row[Any]]]:
    """The rows of a query by a key, some at a time."""
    joined = "AND" if "WHERE" in query else "WHERE"
    page = sa.text(f"{query} {joined} {key} > :after ORDER BY {key} LIMIT {_LOT}")
    while rows := connection.execute(page, {"after": after}).all():
        yield rows
        after = getattr(rows[-1], key)
