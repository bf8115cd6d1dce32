"""What a directory keeps here: its people, its groups, and who is in which."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0025"
down_revision = "0024"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "directory_people",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("key", sa.TEXT(), nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("created_at", _TIME, nullable=False),
        sa.Column("changed_at", _TIME, nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=True),
        sa.Column("disabled", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_directory_people_person_id_people")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_directory_people")),
        sa.UniqueConstraint("key", name=op.f("uq_directory_people_key")),
        sa.UniqueConstraint("person_id", name=op.f("uq_directory_people_person_id")),
    )
    op.create_table(
        "directory_groups",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("key", sa.TEXT(), nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.Column("created_at", _TIME, nullable=False),
        sa.Column("changed_at", _TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_directory_groups")),
        sa.UniqueConstraint("key", name=op.f("uq_directory_groups_key")),
    )
    op.create_table(
        "directory_members",
        sa.Column("group_id", sa.TEXT(), nullable=False),
        sa.Column("member_id", sa.TEXT(), nullable=False),
        sa.ForeignKeyConstraint(
            ["group_id"],
            ["directory_groups.id"],
            name=op.f("fk_directory_members_group_id_directory_groups"),
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(
            ["member_id"],
            ["directory_people.id"],
            name=op.f("fk_directory_members_member_id_directory_people"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("group_id", "member_id", name=op.f("pk_directory_members")),
    )
    op.create_index(op.f("ix_directory_members_member_id"), "directory_members", ["member_id"])


def downgrade() -> None:
    for table in ("directory_members", "directory_groups", "directory_people"):
        op.drop_table(table)
