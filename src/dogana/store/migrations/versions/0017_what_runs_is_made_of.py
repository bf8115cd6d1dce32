"""What releases are made of, to be looked up, and which findings are accepted."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0017"
down_revision = "0016"

_TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.add_column("promotions", sa.Column("ticket_keys", postgresql.ARRAY(sa.TEXT()), nullable=True))
    op.create_index("ix_promotions_ticket_keys", "promotions", ["ticket_keys"], postgresql_using="gin")
    op.create_index(
        "ix_releases_artifacts",
        "releases",
        ["artifacts"],
        postgresql_using="gin",
        postgresql_ops={"artifacts": "jsonb_path_ops"},
    )
    for table, columns in (
        ("release_parts", ("name", "version")),
        ("release_findings", ("severity", "name", "file", "place", "message")),
    ):
        op.create_table(
            table,
            sa.Column("release_id", sa.BigInteger(), nullable=False),
            sa.Column("report", sa.TEXT(), nullable=False),
            sa.Column("n", sa.Integer(), nullable=False),
            *(sa.Column(name, sa.TEXT(), nullable=False) for name in columns),
            sa.ForeignKeyConstraint(["release_id"], ["releases.id"], name=op.f(f"fk_{table}_release_id")),
            sa.PrimaryKeyConstraint("release_id", "report", "n", name=op.f(f"pk_{table}")),
        )
        op.create_index(f"ix_{table}_name", table, ["name"])
    op.create_table(
        "accepted_findings",
        sa.Column("id", sa.BigInteger(), sa.Identity(), nullable=False),
        sa.Column("service_id", sa.TEXT(), nullable=False),
        sa.Column("name", sa.TEXT(), nullable=False),
        sa.Column("file", sa.TEXT(), nullable=False),
        sa.Column("severity", sa.TEXT(), nullable=False),
        sa.Column("reason", sa.TEXT(), nullable=False),
        sa.Column("until", _TIME, nullable=False),
        sa.Column("asked_by_id", sa.TEXT(), nullable=False),
        sa.Column("asked_at", _TIME, nullable=False),
        sa.Column("granted_by_id", sa.TEXT(), nullable=True),
        sa.Column("granted_at", _TIME, nullable=True),
        sa.Column("ended_at", _TIME, nullable=True),
        *(
            sa.ForeignKeyConstraint([column], [key], name=op.f(f"fk_accepted_findings_{column}"))
            for column, key in (
                ("service_id", "services.id"),
                ("asked_by_id", "people.id"),
                ("granted_by_id", "people.id"),
            )
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_accepted_findings")),
    )
    op.create_index(
        "uq_accepted_findings_standing",
        "accepted_findings",
        ["service_id", "name", "file"],
        unique=True,
        postgresql_where=sa.text("ended_at IS NULL"),
    )
    _look_up_what_is_there()


def _look_up_what_is_there() -> None:
    """Of each report the latest one of its name counts."""
    op.execute(
        "CREATE TEMPORARY VIEW latest AS SELECT DISTINCT ON (release_id, name) * FROM reports"
        " WHERE kind IN ('scan', 'components') ORDER BY release_id, name, produced_at DESC, id DESC"
    )
    op.execute(
        "INSERT INTO release_parts SELECT r.release_id, r.name, one.n, coalesce(one.value->>'name', ''),"
        " coalesce(one.value->>'version', '') FROM latest r, jsonb_array_elements(CASE WHEN"
        " jsonb_typeof(r.content->'parts') = 'array' THEN r.content->'parts' ELSE '[]' END)"
        " WITH ORDINALITY one(value, n) WHERE jsonb_typeof(one.value) = 'object'"
    )
    op.execute(
        "INSERT INTO release_findings SELECT r.release_id, r.name, one.n,"
        " coalesce(one.value->>'severity', ''), coalesce(one.value->>'name', ''),"
        " regexp_replace(coalesce(one.value->>'where', ''), ':\\d+$', ''),"
        " coalesce(one.value->>'where', ''), coalesce(one.value->>'message', '')"
        " FROM latest r, jsonb_array_elements(CASE WHEN"
        " jsonb_typeof(r.content->'findings') = 'array' THEN r.content->'findings' ELSE '[]' END)"
        " WITH ORDINALITY one(value, n) WHERE jsonb_typeof(one.value) = 'object'"
    )
    op.execute("DROP VIEW latest")


def downgrade() -> None:
    for table in ("accepted_findings", "release_findings", "release_parts"):
        op.drop_table(table)
    op.drop_index("ix_releases_artifacts", "releases")
    op.drop_index("ix_promotions_ticket_keys", "promotions")
    op.drop_column("promotions", "ticket_keys")
