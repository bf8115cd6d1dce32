"""Columns and tables bear the words that the code has for them."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"

_COLUMNS = (
    ("promotions", "due_at", "inspect_at"),
    ("deliveries", "due_at", "next_attempt_at"),
    ("environments", "taken_in_at", "timetable_run_at"),
    ("ledger_leaves", "place", "leaf_index"),
)
_CONSTRAINTS = (
    ("fk_ledger_places_entry_id", "fk_ledger_leaves_entry_id"),
    ("pk_ledger_places", "pk_ledger_leaves"),
    ("uq_ledger_places_entry_id", "uq_ledger_leaves_entry_id"),
)


def upgrade() -> None:
    op.rename_table("ledger_places", "ledger_leaves")
    for table, was, now in _COLUMNS:
        op.alter_column(table, was, new_column_name=now)
    for was, now in _CONSTRAINTS:
        op.execute(sa.text(f"ALTER TABLE ledger_leaves RENAME CONSTRAINT {was} TO {now}"))


def downgrade() -> None:
    for was, now in _CONSTRAINTS:
        op.execute(sa.text(f"ALTER TABLE ledger_leaves RENAME CONSTRAINT {now} TO {was}"))
    for table, was, now in reversed(_COLUMNS):
        op.alter_column(table, now, new_column_name=was)
    op.rename_table("ledger_leaves", "ledger_places")
