"""What landed is found by its time through an index that only who asks for time is given."""

import sqlalchemy as sa
from alembic import op

revision = "0031"
down_revision = "0030"


def upgrade() -> None:
    op.create_index(
        "ix_promotions_arrivals",
        "promotions",
        ["landed_at", "number"],
        postgresql_where=sa.text("landed_at IS NOT NULL AND number > 0"),
    )
    op.drop_index("ix_promotions_landings", "promotions")


def downgrade() -> None:
    op.create_index(
        "ix_promotions_landings", "promotions", ["landed_at"], postgresql_where=sa.text("state = 'landed'")
    )
    op.drop_index("ix_promotions_arrivals", "promotions")
