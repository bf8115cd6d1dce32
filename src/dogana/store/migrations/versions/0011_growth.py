"""What is looked for often is found without going through the past."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"

_LANDED = sa.text("state = 'landed'")
_INDEXES = (
    ("ix_ledger_entries_actor_id", "ledger_entries", ["actor_id", "id"], None),
    ("ix_ledger_entries_environment_id", "ledger_entries", ["environment_id", "id"], None),
    ("ix_ledger_entries_service_id", "ledger_entries", ["service_id", "id"], None),
    ("ix_ledger_entries_action", "ledger_entries", ["action", "id"], None),
    ("ix_promotions_departed", "promotions", ["environment_id", "departed_at"], None),
    (
        "ix_promotions_under_way",
        "promotions",
        ["environment_id"],
        sa.text("state IN ('waiting', 'cleared', 'moving', 'halted')"),
    ),
    ("ix_promotions_closed", "promotions", ["closed_at"], None),
    ("ix_promotions_landings", "promotions", ["landed_at"], _LANDED),
    ("ix_promotions_runs", "promotions", ["environment_id", "service_id", "landed_at"], _LANDED),
    ("ix_promotions_release", "promotions", ["release_id", "environment_id", "landed_at"], _LANDED),
    (
        "ix_promotions_to_follow",
        "promotions",
        ["landed_at"],
        sa.text("state = 'landed' AND followed_at IS NULL"),
    ),
)


def upgrade() -> None:
    op.drop_index("ix_ledger_entries_actor_id", "ledger_entries")
    for name, table, columns, where in _INDEXES:
        op.create_index(name, table, columns, postgresql_where=where)
    op.create_table(
        "ledger_unsequenced",
        sa.Column("entry_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.ForeignKeyConstraint(
            ["entry_id"], ["ledger_entries.id"], name=op.f("fk_ledger_unsequenced_entry_id")
        ),
        sa.PrimaryKeyConstraint("entry_id", name=op.f("pk_ledger_unsequenced")),
    )
    op.execute(
        "INSERT INTO ledger_unsequenced SELECT id FROM ledger_entries e"
        " WHERE NOT EXISTS (SELECT FROM ledger_leaves l WHERE l.entry_id = e.id)"
    )
    # By the database, so that no way of writing an entry can leave it out.
    op.execute(
        "CREATE FUNCTION ledger_waits() RETURNS trigger LANGUAGE plpgsql AS"
        " $$ BEGIN INSERT INTO ledger_unsequenced SELECT id FROM written; RETURN NULL; END $$"
    )
    op.execute(
        "CREATE TRIGGER waits AFTER INSERT ON ledger_entries REFERENCING NEW TABLE AS written"
        " FOR EACH STATEMENT EXECUTE FUNCTION ledger_waits()"
    )


def downgrade() -> None:
    op.execute("DROP TRIGGER waits ON ledger_entries")
    op.execute("DROP FUNCTION ledger_waits()")
    op.drop_table("ledger_unsequenced")
    for name, table, _, _ in _INDEXES:
        op.drop_index(name, table)
    op.create_index("ix_ledger_entries_actor_id", "ledger_entries", ["actor_id"])
