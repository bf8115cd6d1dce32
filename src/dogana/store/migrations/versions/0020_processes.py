"""Which processes run, and what they have done since they began."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0020"
down_revision = "0019"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "processes",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("kind", sa.TEXT(), nullable=False),
        sa.Column("version", sa.TEXT(), nullable=False),
        sa.Column("host", sa.TEXT(), nullable=False),
        sa.Column("pid", sa.Integer(), nullable=False),
        sa.Column("began_at", _TIME, nullable=False),
        sa.Column("seen_at", _TIME, nullable=False),
        sa.Column("lacks", postgresql.ARRAY(sa.TEXT()), nullable=False),
        sa.Column("counts", postgresql.JSONB(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_processes")),
    )


def downgrade() -> None:
    op.drop_table("processes")
