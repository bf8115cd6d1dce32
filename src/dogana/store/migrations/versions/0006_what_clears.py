"""Addresses, deployers, closings, claims, halts, and what a service is of its repository"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"

_AFTER = (
    "state IN ('waiting', 'cleared', 'moving', 'halted', 'landed', 'rolled back', 'turned back', "
    "'withdrawn', 'superseded')"
)


def upgrade() -> None:
    texts = postgresql.ARRAY(sa.TEXT())
    op.add_column("people", sa.Column("other_emails", texts, nullable=False, server_default="{}"))
    op.add_column("services", sa.Column("paths", texts, nullable=False, server_default="{}"))
    op.add_column("environments", sa.Column("deployers", postgresql.JSONB(none_as_null=True), nullable=True))
    op.add_column("legs", sa.Column("one_is_enough", sa.Boolean(), nullable=False, server_default="false"))
    op.add_column("reports", sa.Column("sent_by", sa.TEXT(), nullable=False, server_default=""))
    op.add_column("reports", sa.Column("unknown", sa.TEXT(), nullable=True))
    op.execute("UPDATE reports SET sent_by = made_by")
    op.alter_column("reports", "made_by", nullable=True)
    for table, column in (
        ("people", "other_emails"),
        ("services", "paths"),
        ("legs", "one_is_enough"),
        ("reports", "sent_by"),
    ):
        op.alter_column(table, column, server_default=None)
    op.add_column("promotions", sa.Column("prepared_by_id", sa.TEXT(), nullable=True))
    op.create_foreign_key("fk_promotions_prepared_by_id", "promotions", "people", ["prepared_by_id"], ["id"])
    op.drop_constraint("ck_promotions_state", "promotions")
    op.create_check_constraint(op.f("ck_promotions_state"), "promotions", _AFTER)
    for name, columns, states in (
        (
            "uq_promotions_one_pending",
            ["release_id", "environment_id"],
            "'waiting', 'cleared', 'moving', 'halted'",
        ),
        ("uq_promotions_one_moving", ["service_id", "environment_id"], "'moving', 'halted'"),
    ):
        op.drop_index(name, "promotions")
        where = sa.text(f"state IN ({states})")
        op.create_index(name, "promotions", columns, unique=True, postgresql_where=where)
    op.create_table(
        "closings",
        sa.Column("id", sa.BigInteger(), sa.Identity(), primary_key=True),
        sa.Column("environment_id", sa.TEXT(), sa.ForeignKey("environments.id"), nullable=False),
        sa.Column("since", sa.DateTime(timezone=True), nullable=False),
        sa.Column("until", sa.DateTime(timezone=True), nullable=False),
        sa.Column("reason", sa.TEXT(), nullable=False),
        sa.Column("by_id", sa.TEXT(), sa.ForeignKey("people.id"), nullable=False),
        sa.Column("opening_asked_by_id", sa.TEXT(), sa.ForeignKey("people.id"), nullable=True),
        sa.Column("opened_at", sa.DateTime(timezone=True), nullable=True),
    )
    op.create_index("ix_closings_until", "closings", ["environment_id", "until"])
