"""Mail to an address that somebody had before."""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"


def upgrade() -> None:
    op.add_column("mails", sa.Column("address", sa.TEXT(), nullable=True))


def downgrade() -> None:
    op.drop_column("mails", "address")
