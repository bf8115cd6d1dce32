"""A secret that goes with a change waits with it, sealed, for a second person."""

import sqlalchemy as sa
from alembic import op

revision = "0032"
down_revision = "0031"


def upgrade() -> None:
    op.add_column("proposals", sa.Column("sealed", sa.LargeBinary(), nullable=True))


def downgrade() -> None:
    op.drop_column("proposals", "sealed")
