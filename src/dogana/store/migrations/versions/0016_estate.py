"""The estate: whose a service is, what a promotion brought, and what is seen to run where."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0016"
down_revision = "0015"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.add_column("services", sa.Column("group_id", sa.TEXT(), nullable=True))
    op.create_foreign_key(op.f("fk_services_group_id"), "services", "groups", ["group_id"], ["id"])
    op.add_column("environments", sa.Column("address", sa.TEXT(), nullable=True))
    op.add_column("environments", sa.Column("version_from", postgresql.JSONB(), nullable=True))
    op.add_column("promotions", sa.Column("brought", postgresql.JSONB(), nullable=True))
    for columns in (["environment_id", "closed_at"], ["service_id", "closed_at"]):
        op.create_index(
            f"ix_promotions_ended_{columns[0]}",
            "promotions",
            columns,
            postgresql_where=sa.text("state IN ('landed', 'rolled back')"),
        )
    op.create_table(
        "sightings",
        sa.Column("service_id", sa.TEXT(), nullable=False),
        sa.Column("environment_id", sa.TEXT(), nullable=False),
        sa.Column("read_at", _TIME, nullable=False),
        sa.Column("told_by", sa.TEXT(), nullable=False),
        sa.Column("version", sa.TEXT(), nullable=True),
        sa.Column("digests", postgresql.JSONB(), nullable=False),
        sa.Column("unknown", sa.TEXT(), nullable=True),
        sa.Column("differs", sa.TEXT(), nullable=True),
        sa.Column("differs_since", _TIME, nullable=True),
        sa.ForeignKeyConstraint(["service_id"], ["services.id"], name=op.f("fk_sightings_service_id")),
        sa.ForeignKeyConstraint(
            ["environment_id"], ["environments.id"], name=op.f("fk_sightings_environment_id")
        ),
        sa.PrimaryKeyConstraint("service_id", "environment_id", name=op.f("pk_sightings")),
    )
    op.create_index(
        "ix_sightings_differ",
        "sightings",
        ["environment_id"],
        postgresql_where=sa.text("differs IS NOT NULL"),
    )


def downgrade() -> None:
    op.drop_table("sightings")
    for name in ("environment_id", "service_id"):
        op.drop_index(f"ix_promotions_ended_{name}", "promotions")
    op.drop_column("promotions", "brought")
    op.drop_column("environments", "version_from")
    op.drop_column("environments", "address")
    op.drop_column("services", "group_id")
