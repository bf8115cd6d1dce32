"""How often each environment was had alone, so that what was read before is read anew."""

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


def downgrade() -> None:
    op.drop_table("turns")
