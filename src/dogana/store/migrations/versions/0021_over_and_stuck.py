"""What is over but has history, how long going in may take, and policies as they were written."""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"

_TIME = sa.DateTime(timezone=True)
_RETIRED = ("routes", "services", "groups")


def upgrade() -> None:
    for table in _RETIRED:
        op.add_column(table, sa.Column("retired_at", _TIME, nullable=True))
    op.add_column("people", sa.Column("disabled_at", _TIME, nullable=True))
    op.add_column("environments", sa.Column("time_limit", sa.Interval(), nullable=True))
    op.add_column("services", sa.Column("repository_tried_at", _TIME, nullable=True))
    op.add_column("services", sa.Column("repository_failing_since", _TIME, nullable=True))
    op.add_column("services", sa.Column("repository_reason", sa.TEXT(), nullable=True))
    op.add_column("promotions", sa.Column("overdue_at", _TIME, nullable=True))
    op.add_column("policies", sa.Column("written", sa.TEXT(), nullable=True))
    op.add_column("policies", sa.Column("dropped_at", _TIME, nullable=True))


def downgrade() -> None:
    op.drop_column("policies", "dropped_at")
    op.drop_column("policies", "written")
    op.drop_column("promotions", "overdue_at")
    op.drop_column("services", "repository_reason")
    op.drop_column("services", "repository_failing_since")
    op.drop_column("services", "repository_tried_at")
    op.drop_column("environments", "time_limit")
    op.drop_column("people", "disabled_at")
    for table in reversed(_RETIRED):
        op.drop_column(table, "retired_at")
