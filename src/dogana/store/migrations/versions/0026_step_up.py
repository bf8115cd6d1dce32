"""When and how somebody showed who they are."""

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"


def upgrade() -> None:
    op.add_column("sessions", sa.Column("authenticated_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("sessions", sa.Column("acr", sa.TEXT(), nullable=True))
    op.add_column(
        "sessions", sa.Column("by_directory", sa.Boolean(), server_default=sa.text("false"), nullable=False)
    )


def downgrade() -> None:
    for column in ("by_directory", "acr", "authenticated_at"):
        op.drop_column("sessions", column)
