"""Which approver put a promotion off: who asked for it lets it go no earlier by themselves."""

import sqlalchemy as sa
from alembic import op

revision = "0034"
down_revision = "0033"


def upgrade() -> None:
    op.add_column("promotions", sa.Column("put_off_by_id", sa.TEXT(), nullable=True))
    op.create_foreign_key("fk_promotions_put_off_by_id", "promotions", "people", ["put_off_by_id"], ["id"])


def downgrade() -> None:
    op.drop_column("promotions", "put_off_by_id")
