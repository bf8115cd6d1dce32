"""Where an artifact can be fetched"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.add_column("artifacts", sa.Column("link", sa.TEXT(), nullable=True))
