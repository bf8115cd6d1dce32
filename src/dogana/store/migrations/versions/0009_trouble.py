"""What went wrong in work on a promotion is kept with it."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.add_column("promotions", sa.Column("trouble", sa.TEXT(), nullable=True))
    op.add_column("promotions", sa.Column("trouble_at", sa.DateTime(timezone=True), nullable=True))
    op.create_index(
        "ix_promotions_trouble", "promotions", ["number"], postgresql_where=sa.text("trouble IS NOT NULL")
    )


def downgrade() -> None:
    op.drop_index("ix_promotions_trouble", "promotions")
    op.drop_column("promotions", "trouble_at")
    op.drop_column("promotions", "trouble")
