"""Set starts, what became of findings, who is looking, saved filters"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("promotions", sa.Column("not_before", sa.DateTime(timezone=True), nullable=True))
    op.create_table(
        "finding_changes",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("rule", sa.TEXT(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("was", sa.TEXT(), nullable=False),
        sa.Column("because", sa.TEXT(), nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=True),
        sa.ForeignKeyConstraint(
            ["promotion"], ["promotions.number"], name=op.f("fk_finding_changes_promotion")
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_finding_changes_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_finding_changes")),
    )
    op.create_index(op.f("ix_finding_changes_promotion"), "finding_changes", ["promotion"], unique=False)
    op.create_table(
        "lookers",
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["promotion"], ["promotions.number"], name=op.f("fk_lookers_promotion")),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_lookers_person_id")),
        sa.PrimaryKeyConstraint("promotion", "person_id", name=op.f("pk_lookers")),
    )
    op.create_table(
        "saved_filters",
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("name", sa.TEXT(), nullable=False),
        sa.Column("query", sa.TEXT(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_saved_filters_person_id")),
        sa.PrimaryKeyConstraint("person_id", "name", name=op.f("pk_saved_filters")),
    )
