"""How often each environment was had alone, and queues in their order."""

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"


def upgrade() -> None:
    op.create_table(
        "turns",
        sa.Column("environment_id", sa.TEXT(), nullable=False),
        sa.Column("turn", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(
            ["environment_id"], ["environments.id"], name=op.f("fk_turns_environment_id_environments")
        ),
        sa.PrimaryKeyConstraint("environment_id", name=op.f("pk_turns")),
    )
    op.create_index(
        "ix_promotions_queue",
        "promotions",
        ["service_id", "environment_id", "requested_at", "number"],
        postgresql_where=sa.text("state IN ('waiting', 'cleared')"),
    )


def downgrade() -> None:
    op.drop_index("ix_promotions_queue", "promotions")
    op.drop_table("turns")
