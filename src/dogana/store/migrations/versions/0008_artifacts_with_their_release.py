"""What was built for a release stands with it, so that a promotion is read without another look-up."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("releases", sa.Column("artifacts", JSONB(), nullable=False, server_default="[]"))
    op.execute(
        """
        UPDATE releases SET artifacts = built.artifacts FROM (
            SELECT release_id, jsonb_agg(
                jsonb_strip_nulls(
                    jsonb_build_object('name', name, 'digest', digest, 'size', size, 'link', link)
                )
                ORDER BY name
            ) AS artifacts FROM artifacts GROUP BY release_id
        ) AS built WHERE built.release_id = releases.id
        """
    )
    op.alter_column("releases", "artifacts", server_default=None)
    op.drop_table("artifacts")


def downgrade() -> None:
    op.create_table(
        "artifacts",
        sa.Column("release_id", sa.BigInteger(), sa.ForeignKey("releases.id"), primary_key=True),
        sa.Column("name", sa.TEXT(), primary_key=True),
        sa.Column("digest", sa.TEXT(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("link", sa.TEXT(), nullable=True),
    )
    op.execute(
        """
        INSERT INTO artifacts (release_id, name, digest, size, link)
        SELECT releases.id, made.name, made.digest, made.size, made.link
        FROM releases, jsonb_to_recordset(releases.artifacts)
            AS made (name text, digest text, size bigint, link text)
        """
    )
    op.drop_column("releases", "artifacts")
