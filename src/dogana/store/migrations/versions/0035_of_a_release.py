"""What brings a release anywhere is found by it, landed or not."""

import sqlalchemy as sa
from alembic import op

revision = "0035"
down_revision = "0034"

_NAME, _TABLE = "ix_promotions_release", "promotions"


def upgrade() -> None:
    op.drop_index(_NAME, _TABLE)
    op.create_index(_NAME, _TABLE, ["release_id"])


def downgrade() -> None:
    op.drop_index(_NAME, _TABLE)
    landed = sa.text("state = 'landed'")
    op.create_index(_NAME, _TABLE, ["release_id", "environment_id", "landed_at"], postgresql_where=landed)
