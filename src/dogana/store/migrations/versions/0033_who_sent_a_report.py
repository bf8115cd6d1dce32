"""Which account sent a report: policies may name those from which it counts."""

import sqlalchemy as sa
from alembic import op

revision = "0033"
down_revision = "0032"


def upgrade() -> None:
    op.add_column("reports", sa.Column("sender_id", sa.TEXT(), nullable=True))


def downgrade() -> None:
    op.drop_column("reports", "sender_id")
