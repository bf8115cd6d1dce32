"""Queues are read in their order."""

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"


def upgrade() -> None:
    op.create_index(
        "ix_promotions_queue",
        "promotions",
        ["service_id", "environment_id", "requested_at", "number"],
        postgresql_where=sa.text("state IN ('waiting', 'cleared')"),
    )


def downgrade() -> None:
    op.drop_index("ix_promotions_queue", "promotions")
