"""What moves in steps has a course."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0014"
down_revision = "0013"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "courses",
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("plan", postgresql.JSONB(), nullable=False),
        sa.Column("watches", postgresql.JSONB(), nullable=False),
        sa.Column("incumbent", sa.TEXT(), nullable=True),
        sa.Column("state", postgresql.JSONB(), nullable=False),
        sa.Column("moved", postgresql.JSONB(), nullable=True),
        sa.Column("turn", sa.Integer(), nullable=False),
        sa.Column("look_at", _TIME, nullable=False),
        sa.Column("ended_at", _TIME, nullable=True),
        sa.ForeignKeyConstraint(["promotion"], ["promotions.number"], name=op.f("fk_courses_promotion")),
        sa.PrimaryKeyConstraint("promotion", name=op.f("pk_courses")),
    )
    op.create_index("ix_courses_due", "courses", ["look_at"], postgresql_where=sa.text("ended_at IS NULL"))
    op.create_table(
        "course_orders",
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("share", sa.Integer(), nullable=False),
        sa.Column("reason", sa.TEXT(), nullable=False),
        sa.Column("by_id", sa.TEXT(), nullable=True),
        sa.Column("at", _TIME, nullable=False),
        sa.ForeignKeyConstraint(["by_id"], ["people.id"], name=op.f("fk_course_orders_by_id")),
        sa.ForeignKeyConstraint(
            ["promotion"], ["promotions.number"], name=op.f("fk_course_orders_promotion")
        ),
        sa.PrimaryKeyConstraint("promotion", "number", name=op.f("pk_course_orders")),
    )
    op.create_table(
        "course_looks",
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("at", _TIME, nullable=False),
        sa.Column("share", sa.Integer(), nullable=False),
        sa.Column("known", postgresql.JSONB(), nullable=False),
        sa.ForeignKeyConstraint(["promotion"], ["promotions.number"], name=op.f("fk_course_looks_promotion")),
        sa.PrimaryKeyConstraint("promotion", "at", name=op.f("pk_course_looks")),
    )


def downgrade() -> None:
    for table in ("course_looks", "course_orders", "courses"):
        op.drop_table(table)
