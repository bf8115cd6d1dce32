"""Rooms of a chat, what stands in them, who is who there, and how far was read."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0028"
down_revision = "0027"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "chat_rooms",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("title", sa.TEXT(), nullable=False),
        sa.Column("address", sa.TEXT(), nullable=False),
        sa.Column("secret", sa.LargeBinary(), nullable=True),
        sa.Column("service_id", sa.TEXT(), nullable=True),
        sa.Column("environment_id", sa.TEXT(), nullable=True),
        sa.Column("told_until", _TIME, nullable=False),
        sa.Column("next_attempt_at", _TIME, nullable=False),
        sa.Column("reason", sa.TEXT(), nullable=True),
        sa.ForeignKeyConstraint(
            ["service_id"], ["services.id"], name=op.f("fk_chat_rooms_service_id_services")
        ),
        sa.ForeignKeyConstraint(
            ["environment_id"], ["environments.id"], name=op.f("fk_chat_rooms_environment_id_environments")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_chat_rooms")),
        sa.UniqueConstraint("address", name=op.f("uq_chat_rooms_address")),
    )
    op.create_table(
        "chat_posts",
        sa.Column("room_id", sa.TEXT(), nullable=False),
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("event", sa.TEXT(), nullable=False),
        sa.Column("text", sa.TEXT(), nullable=False),
        sa.Column("shown", postgresql.JSONB(), nullable=True),
        sa.Column("posted_at", _TIME, nullable=False),
        sa.ForeignKeyConstraint(
            ["room_id"], ["chat_rooms.id"], name=op.f("fk_chat_posts_room_id_chat_rooms"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["promotion"], ["promotions.number"], name=op.f("fk_chat_posts_promotion_promotions")
        ),
        sa.PrimaryKeyConstraint("room_id", "promotion", name=op.f("pk_chat_posts")),
    )
    op.create_index("ix_chat_posts_event", "chat_posts", ["event"])
    op.create_index(op.f("ix_chat_posts_promotion"), "chat_posts", ["promotion"])
    op.create_table(
        "chat_links",
        sa.Column("sender", sa.TEXT(), nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("linked_at", _TIME, nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_chat_links_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("sender", name=op.f("pk_chat_links")),
        sa.UniqueConstraint("person_id", name=op.f("uq_chat_links_person_id")),
    )
    op.create_table(
        "chat_codes",
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("digest", sa.TEXT(), nullable=False),
        sa.Column("expires_at", _TIME, nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_chat_codes_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("person_id", name=op.f("pk_chat_codes")),
        sa.UniqueConstraint("digest", name=op.f("uq_chat_codes_digest")),
    )
    op.create_table(
        "chat_read",
        sa.Column("id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("following", sa.TEXT(), nullable=True),
        sa.Column("held_until", _TIME, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_chat_read")),
    )


def downgrade() -> None:
    for table in ("chat_read", "chat_codes", "chat_links", "chat_posts", "chat_rooms"):
        op.drop_table(table)
