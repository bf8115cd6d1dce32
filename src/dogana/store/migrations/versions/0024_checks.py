"""What outside checks were asked about promotions, and what they said."""

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "checks",
        sa.Column("entry_id", sa.BigInteger(), nullable=False),
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.TEXT(), nullable=False),
        sa.Column("about", sa.TEXT(), nullable=False),
        sa.Column("asked_at", _TIME, nullable=False),
        sa.Column("result", sa.TEXT(), nullable=True),
        sa.Column("reason", sa.TEXT(), nullable=True),
        sa.Column("link", sa.TEXT(), nullable=True),
        sa.Column("until", _TIME, nullable=True),
        sa.Column("answered_at", _TIME, nullable=True),
        sa.Column("by_id", sa.TEXT(), nullable=True),
        sa.ForeignKeyConstraint(
            ["promotion"], ["promotions.number"], name=op.f("fk_checks_promotion_promotions")
        ),
        sa.ForeignKeyConstraint(
            ["entry_id"], ["ledger_entries.id"], name=op.f("fk_checks_entry_id_ledger_entries")
        ),
        sa.ForeignKeyConstraint(["by_id"], ["people.id"], name=op.f("fk_checks_by_id_people")),
        sa.PrimaryKeyConstraint("entry_id", name=op.f("pk_checks")),
    )
    op.create_index("ix_checks_promotion", "checks", ["promotion", "name", "entry_id"])
    op.create_index(op.f("ix_deliveries_entry_id"), "deliveries", ["entry_id"])


def downgrade() -> None:
    op.drop_index(op.f("ix_deliveries_entry_id"), table_name="deliveries")
    op.drop_table("checks")
