"""Scopes: named sets of tickets, how they changed, and when they were agreed and declared complete."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0019"
down_revision = "0018"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "scopes",
        sa.Column("number", sa.BigInteger(), sa.Identity(), nullable=False),
        sa.Column("title", sa.TEXT(), nullable=False),
        sa.Column("due", _TIME, nullable=True),
        sa.Column("themes", postgresql.ARRAY(sa.TEXT()), nullable=False),
        sa.Column("tickets", postgresql.ARRAY(sa.TEXT()), nullable=False),
        sa.Column("source_id", sa.TEXT(), nullable=True),
        sa.Column("query", sa.TEXT(), nullable=True),
        sa.Column("read_at", _TIME, nullable=True),
        sa.Column("unknown", sa.TEXT(), nullable=True),
        sa.Column("agreed_at", _TIME, nullable=True),
        sa.Column("agreed_by_id", sa.TEXT(), nullable=True),
        sa.Column("declared_at", _TIME, nullable=True),
        sa.Column("declared_by_id", sa.TEXT(), nullable=True),
        sa.Column("declared", sa.TEXT(), nullable=False),
        *(
            sa.ForeignKeyConstraint([one], ["people.id"], name=op.f(f"fk_scopes_{one}"))
            for one in ("agreed_by_id", "declared_by_id")
        ),
        sa.PrimaryKeyConstraint("number", name=op.f("pk_scopes")),
    )
    op.create_table(
        "scope_changes",
        sa.Column("id", sa.BigInteger(), sa.Identity(), nullable=False),
        sa.Column("scope", sa.BigInteger(), nullable=False),
        sa.Column("at", _TIME, nullable=False),
        sa.Column("by", sa.TEXT(), nullable=False),
        sa.Column("added", postgresql.ARRAY(sa.TEXT()), nullable=False),
        sa.Column("removed", postgresql.ARRAY(sa.TEXT()), nullable=False),
        sa.ForeignKeyConstraint(["scope"], ["scopes.number"], name=op.f("fk_scope_changes_scope")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_scope_changes")),
    )
    op.create_index("ix_scope_changes_scope", "scope_changes", ["scope"])


def downgrade() -> None:
    op.drop_table("scope_changes")
    op.drop_table("scopes")
