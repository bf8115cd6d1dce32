"""Boards: a person's own choice of services and charts, and the walls they hang on."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0018"
down_revision = "0017"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "boards",
        sa.Column("id", sa.BigInteger(), sa.Identity(), nullable=False),
        sa.Column("title", sa.TEXT(), nullable=False),
        sa.Column("owner_id", sa.TEXT(), nullable=False),
        sa.Column("services", postgresql.ARRAY(sa.TEXT()), nullable=False),
        sa.Column("charts", postgresql.JSONB(), nullable=False),
        sa.Column("hours", sa.Integer(), nullable=False),
        sa.Column("changed_at", _TIME, nullable=False),
        sa.Column("wall_digest", sa.TEXT(), nullable=True),
        sa.Column("wall_until", _TIME, nullable=True),
        sa.ForeignKeyConstraint(["owner_id"], ["people.id"], name=op.f("fk_boards_owner_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_boards")),
        sa.UniqueConstraint("wall_digest", name=op.f("uq_boards_wall_digest")),
    )
    op.create_index("ix_boards_owner_id", "boards", ["owner_id"])


def downgrade() -> None:
    op.drop_table("boards")
