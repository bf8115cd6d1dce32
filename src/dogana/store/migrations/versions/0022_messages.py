"""What people are told, by which way and when, and the links they decide by."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0022"
down_revision = "0021"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "untold",
        sa.Column("entry_id", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(
            ["entry_id"], ["ledger_entries.id"], name=op.f("fk_untold_entry_id_ledger_entries")
        ),
        sa.PrimaryKeyConstraint("entry_id", name=op.f("pk_untold")),
    )
    op.create_table(
        "mails",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("made_at", _TIME, nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("next_attempt_at", _TIME, nullable=False),
        sa.Column("sent_at", _TIME, nullable=True),
        sa.Column("failed_at", _TIME, nullable=True),
        sa.Column("reason", sa.TEXT(), nullable=True),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_mails_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_mails")),
    )
    op.create_index(
        "ix_mails_due",
        "mails",
        ["next_attempt_at"],
        postgresql_where=sa.text("sent_at IS NULL AND failed_at IS NULL"),
    )
    op.create_table(
        "messages",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("kind", sa.TEXT(), nullable=False),
        sa.Column("key", sa.TEXT(), nullable=False),
        sa.Column("promotion", sa.BigInteger(), nullable=True),
        sa.Column("path", sa.TEXT(), nullable=False),
        sa.Column("about", sa.TEXT(), nullable=False),
        sa.Column("says", sa.TEXT(), nullable=False),
        sa.Column("at", _TIME, nullable=False),
        sa.Column("due_at", _TIME, nullable=True),
        sa.Column("mail_id", sa.BigInteger(), nullable=True),
        sa.Column("over_at", _TIME, nullable=True),
        sa.Column("over", sa.TEXT(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_messages_person_id_people")),
        sa.ForeignKeyConstraint(
            ["promotion"], ["promotions.number"], name=op.f("fk_messages_promotion_promotions")
        ),
        sa.ForeignKeyConstraint(["mail_id"], ["mails.id"], name=op.f("fk_messages_mail_id_mails")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_messages")),
    )
    op.create_index(
        "uq_messages_key",
        "messages",
        ["person_id", "key"],
        unique=True,
        postgresql_where=sa.text("over_at IS NULL"),
    )
    op.create_index(
        "ix_messages_due",
        "messages",
        ["due_at"],
        postgresql_where=sa.text("due_at IS NOT NULL AND mail_id IS NULL AND over_at IS NULL"),
    )
    op.create_index("ix_messages_promotion", "messages", ["promotion", "kind"])
    op.create_index("ix_messages_person", "messages", ["person_id", "id"])
    op.create_index("ix_messages_at", "messages", ["at"])
    op.create_index(op.f("ix_mails_made_at"), "mails", ["made_at"])
    op.create_index(op.f("ix_messages_mail_id"), "messages", ["mail_id"])
    op.create_table(
        "message_choices",
        sa.Column("whose", sa.TEXT(), nullable=False),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.PrimaryKeyConstraint("whose", name=op.f("pk_message_choices")),
    )
    op.create_table(
        "answer_links",
        sa.Column("digest", sa.TEXT(), nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("shown", postgresql.JSONB(), nullable=False),
        sa.Column("expires_at", _TIME, nullable=False),
        sa.Column("used_at", _TIME, nullable=True),
        sa.Column("refused_at", _TIME, nullable=True),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_answer_links_person_id_people")),
        sa.ForeignKeyConstraint(
            ["promotion"], ["promotions.number"], name=op.f("fk_answer_links_promotion_promotions")
        ),
        sa.PrimaryKeyConstraint("digest", name=op.f("pk_answer_links")),
    )
    op.create_index(op.f("ix_answer_links_promotion"), "answer_links", ["promotion"])
    op.create_index(op.f("ix_answer_links_expires_at"), "answer_links", ["expires_at"])
    op.add_column("promotions", sa.Column("tell_at", _TIME, nullable=True))
    op.create_index(
        "ix_promotions_to_tell", "promotions", ["tell_at"], postgresql_where=sa.text("tell_at IS NOT NULL")
    )


def downgrade() -> None:
    op.drop_index("ix_promotions_to_tell", table_name="promotions")
    op.drop_column("promotions", "tell_at")
    for table in ("answer_links", "message_choices", "messages", "mails", "untold"):
        op.drop_table(table)
