"""What tokens reach, sessions, machines, changes that take a second person, invitations, guessing"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0007"
down_revision = "0006"

_AT = sa.DateTime(timezone=True)


def upgrade() -> None:
    texts = postgresql.ARRAY(sa.TEXT())
    for column in ("services", "environments"):
        op.add_column("tokens", sa.Column(column, texts, nullable=False, server_default="{}"))
        op.alter_column("tokens", column, server_default=None)
    op.add_column("people", sa.Column("machine", sa.Boolean(), nullable=False, server_default="false"))
    op.alter_column("people", "machine", server_default=None)
    # Those signed in before sign in once more: nobody kept when and with what they did.
    op.execute("DELETE FROM sessions")
    op.add_column("sessions", sa.Column("id", sa.BigInteger(), sa.Identity(), nullable=False, unique=True))
    op.add_column("sessions", sa.Column("began_at", _AT, nullable=False))
    op.add_column("sessions", sa.Column("agent", sa.TEXT(), nullable=False))
    op.add_column("sessions", sa.Column("address", sa.TEXT(), nullable=False))
    op.create_index("ix_sessions_person_id", "sessions", ["person_id"])
    # What was answered before was kept as values, not to the letter.
    op.execute("DELETE FROM answers")
    op.execute("ALTER TABLE answers ALTER COLUMN body TYPE text USING body::text")
    op.add_column("senders", sa.Column("binary", sa.Boolean(), nullable=False, server_default="false"))
    op.alter_column("senders", "binary", server_default=None)
    op.add_column("arrivals", sa.Column("delivery", sa.TEXT(), nullable=False, server_default=""))
    op.execute("UPDATE arrivals SET delivery = source || ' ' || event_id")
    op.alter_column("arrivals", "delivery", server_default=None)
    op.drop_constraint("pk_arrivals", "arrivals")
    op.create_primary_key("pk_arrivals", "arrivals", ["sender_id", "source", "event_id"])
    op.create_index("uq_arrivals_delivery", "arrivals", ["sender_id", "delivery"], unique=True)
    op.add_column("policies", sa.Column("started", sa.Boolean(), nullable=False, server_default="false"))
    op.execute("UPDATE policies SET started = in_force_from IS NOT NULL AND in_force_from <= now()")
    op.alter_column("policies", "started", server_default=None)
    op.create_table(
        "proposals",
        sa.Column("id", sa.BigInteger(), sa.Identity(), primary_key=True),
        sa.Column("kind", sa.TEXT(), nullable=False),
        sa.Column("subject", sa.TEXT(), nullable=False),
        sa.Column("title", sa.TEXT(), nullable=False),
        sa.Column("old", postgresql.JSONB(none_as_null=True), nullable=True),
        sa.Column("wanted", postgresql.JSONB(none_as_null=True), nullable=True),
        sa.Column("asked_by_id", sa.TEXT(), sa.ForeignKey("people.id"), nullable=False),
        sa.Column("asked_at", _AT, nullable=False),
        sa.Column("ended_by_id", sa.TEXT(), sa.ForeignKey("people.id"), nullable=True),
        sa.Column("ended_at", _AT, nullable=True),
    )
    open_ = sa.text("ended_at IS NULL")
    op.create_index(
        "uq_proposals_open", "proposals", ["kind", "subject"], unique=True, postgresql_where=open_
    )
    op.create_table(
        "invitations",
        sa.Column("digest", sa.TEXT(), primary_key=True),
        sa.Column("person_id", sa.TEXT(), sa.ForeignKey("people.id"), nullable=False),
        sa.Column("expires_at", _AT, nullable=False),
        sa.Column("used_at", _AT, nullable=True),
    )
    op.create_table(
        "sign_in_attempts",
        sa.Column("whose", sa.TEXT(), primary_key=True),
        sa.Column("failures", sa.Integer(), nullable=False),
        sa.Column("last_at", _AT, nullable=False),
        sa.Column("waits_until", _AT, nullable=False),
    )


def downgrade() -> None:
    for table in ("sign_in_attempts", "invitations", "proposals"):
        op.drop_table(table)
    op.execute("DELETE FROM answers")
    op.execute("ALTER TABLE answers ALTER COLUMN body TYPE jsonb USING body::jsonb")
    op.drop_column("policies", "started")
    op.drop_index("uq_arrivals_delivery", "arrivals")
    op.drop_constraint("pk_arrivals", "arrivals")
    op.create_primary_key("pk_arrivals", "arrivals", ["source", "event_id"])
    op.drop_column("arrivals", "delivery")
    op.drop_column("senders", "binary")
    op.drop_index("ix_sessions_person_id", "sessions")
    for table, column in (
        ("sessions", "address"),
        ("sessions", "agent"),
        ("sessions", "began_at"),
        ("sessions", "id"),
        ("people", "machine"),
        ("tokens", "environments"),
        ("tokens", "services"),
    ):
        op.drop_column(table, column)
