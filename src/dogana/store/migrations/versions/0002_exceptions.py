"""Waivers, stand-ins, evidence, calendars, kinds of promotion, rollout plans, classes of environments"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"

_STATES = "'waiting', 'cleared', 'moving', 'landed', 'rolled back', 'turned back', 'withdrawn'"


def upgrade() -> None:
    op.add_column("promotions", sa.Column("kind", sa.TEXT(), nullable=False, server_default="ordinary"))
    op.alter_column("promotions", "kind", server_default=None)
    op.add_column("promotions", sa.Column("plan", postgresql.JSONB(astext_type=sa.Text()), nullable=True))
    op.drop_constraint(op.f("ck_promotions_state"), "promotions", type_="check")
    op.create_check_constraint(
        op.f("ck_promotions_state"), "promotions", f"state IN ({_STATES}, 'superseded')"
    )
    op.drop_constraint(op.f("ck_environments_departs"), "environments", type_="check")
    op.create_check_constraint(
        op.f("ck_environments_departs"), "environments", "departs IN ('at once', 'by deployer', 'never')"
    )
    op.add_column("decisions", sa.Column("on_behalf_of_id", sa.TEXT(), nullable=True))
    op.create_foreign_key(
        op.f("fk_decisions_on_behalf_of_id"), "decisions", "people", ["on_behalf_of_id"], ["id"]
    )
    op.add_column("decisions", sa.Column("rule", sa.TEXT(), nullable=True))
    op.add_column("decisions", sa.Column("until", sa.DateTime(timezone=True), nullable=True))
    op.create_table(
        "calendars",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calendars")),
    )
    op.create_table(
        "stand_ins",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("stands_in_for_id", sa.TEXT(), nullable=False),
        sa.Column("starts_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ends_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("person_id <> stands_in_for_id", name=op.f("ck_stand_ins_somebody_else")),
        sa.CheckConstraint("starts_at < ends_at", name=op.f("ck_stand_ins_ends_later")),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_stand_ins_person_id")),
        sa.ForeignKeyConstraint(
            ["stands_in_for_id"], ["people.id"], name=op.f("fk_stand_ins_stands_in_for_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stand_ins")),
    )
    op.create_table(
        "reports",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("release_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.TEXT(), nullable=False),
        sa.Column("kind", sa.TEXT(), nullable=False),
        sa.Column("produced_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("made_by", sa.TEXT(), nullable=False),
        sa.Column("content", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("link", sa.TEXT(), nullable=True),
        sa.ForeignKeyConstraint(["release_id"], ["releases.id"], name=op.f("fk_reports_release_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reports")),
    )
    op.create_index(op.f("ix_reports_release_id"), "reports", ["release_id"], unique=False)
