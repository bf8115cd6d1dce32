"""Who somebody is in the directory that people sign in at."""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"


def upgrade() -> None:
    op.create_table(
        "directory_links",
        sa.Column("issuer", sa.TEXT(), nullable=False),
        sa.Column("subject", sa.TEXT(), nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("linked_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_directory_links_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("issuer", "subject", name=op.f("pk_directory_links")),
        sa.UniqueConstraint("issuer", "person_id", name="uq_directory_links_person"),
    )


def downgrade() -> None:
    op.drop_table("directory_links")
