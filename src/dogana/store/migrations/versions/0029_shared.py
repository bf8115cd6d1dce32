"""Addresses at which somebody without an account reads how a promotion stands."""

import sqlalchemy as sa
from alembic import op

revision = "0029"
down_revision = "0028"


def upgrade() -> None:
    op.create_table(
        "shared",
        sa.Column("digest", sa.TEXT(), nullable=False),
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("by_id", sa.TEXT(), nullable=False),
        sa.Column("ends_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["promotion"], ["promotions.number"], name=op.f("fk_shared_promotion_promotions")
        ),
        sa.ForeignKeyConstraint(["by_id"], ["people.id"], name=op.f("fk_shared_by_id_people")),
        sa.PrimaryKeyConstraint("digest", name=op.f("pk_shared")),
    )
    op.create_index(op.f("ix_shared_promotion"), "shared", ["promotion"])


def downgrade() -> None:
    op.drop_table("shared")
