"""Sources, evidence files, events, clearances, sealed values, timetables, urgent routes, previews"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.create_table(
        "answers",
        sa.Column("actor_id", sa.TEXT(), nullable=False),
        sa.Column("key", sa.TEXT(), nullable=False),
        sa.Column("request", sa.TEXT(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("status", sa.Integer(), nullable=True),
        sa.Column("body", postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True),
        sa.PrimaryKeyConstraint("actor_id", "key", name=op.f("pk_answers")),
    )
    op.create_table(
        "bundles",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("title", sa.TEXT(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bundles")),
    )
    op.create_table(
        "clearance_keys",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("public", sa.TEXT(), nullable=False),
        sa.Column("private", sa.LargeBinary(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("retired_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_clearance_keys")),
    )
    op.create_table(
        "sources",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("kind", sa.TEXT(), nullable=False),
        sa.Column("title", sa.TEXT(), nullable=False),
        sa.Column("settings", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("secret", sa.LargeBinary(), nullable=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("read_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("tried_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("failing_since", sa.DateTime(timezone=True), nullable=True),
        sa.Column("reason", sa.TEXT(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sources")),
    )
    op.create_table(
        "subscribers",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("title", sa.TEXT(), nullable=False),
        sa.Column("address", sa.TEXT(), nullable=False),
        sa.Column("actions", postgresql.ARRAY(sa.TEXT()), nullable=False),
        sa.Column("secret", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_subscribers")),
    )
    op.create_table(
        "deliveries",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("entry_id", sa.BigInteger(), nullable=False),
        sa.Column("subscriber_id", sa.TEXT(), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("due_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("delivered_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("dead_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("reason", sa.TEXT(), nullable=True),
        sa.ForeignKeyConstraint(["entry_id"], ["ledger_entries.id"], name=op.f("fk_deliveries_entry_id")),
        sa.ForeignKeyConstraint(
            ["subscriber_id"],
            ["subscribers.id"],
            name=op.f("fk_deliveries_subscriber_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_deliveries")),
    )
    op.create_index(
        "ix_deliveries_due",
        "deliveries",
        ["due_at"],
        unique=False,
        postgresql_where=sa.text("delivered_at IS NULL AND dead_at IS NULL"),
    )
    op.create_table(
        "samples",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("source_id", sa.TEXT(), nullable=False),
        sa.Column("name", sa.TEXT(), nullable=False),
        sa.Column("labels", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("value", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(
            ["source_id"], ["sources.id"], name=op.f("fk_samples_source_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_samples")),
    )
    op.create_index("ix_samples_source_name_at", "samples", ["source_id", "name", "at"], unique=False)
    op.create_table(
        "senders",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("title", sa.TEXT(), nullable=False),
        sa.Column("person_id", sa.TEXT(), nullable=False),
        sa.Column("secret", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_senders_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_senders")),
    )
    op.create_table(
        "arrivals",
        sa.Column("source", sa.TEXT(), nullable=False),
        sa.Column("event_id", sa.TEXT(), nullable=False),
        sa.Column("sender_id", sa.TEXT(), nullable=False),
        sa.Column("type", sa.TEXT(), nullable=False),
        sa.Column("body", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("arrived_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("state", sa.TEXT(), nullable=False),
        sa.Column("says", sa.TEXT(), nullable=False),
        sa.ForeignKeyConstraint(
            ["sender_id"], ["senders.id"], name=op.f("fk_arrivals_sender_id"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("source", "event_id", name=op.f("pk_arrivals")),
    )
    op.create_index(
        "ix_arrivals_waiting",
        "arrivals",
        ["arrived_at"],
        unique=False,
        postgresql_where=sa.text("state = 'waiting'"),
    )
    op.create_table(
        "incidents",
        sa.Column("source", sa.TEXT(), nullable=False),
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("service_id", sa.TEXT(), nullable=False),
        sa.Column("environment_id", sa.TEXT(), nullable=False),
        sa.Column("what", sa.TEXT(), nullable=False),
        sa.Column("detected_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("resolved_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(
            ["environment_id"], ["environments.id"], name=op.f("fk_incidents_environment_id")
        ),
        sa.ForeignKeyConstraint(["service_id"], ["services.id"], name=op.f("fk_incidents_service_id")),
        sa.PrimaryKeyConstraint("source", "id", name=op.f("pk_incidents")),
    )
    op.create_table(
        "sealed_values",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("service_id", sa.TEXT(), nullable=False),
        sa.Column("environment_id", sa.TEXT(), nullable=True),
        sa.Column("name", sa.TEXT(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("set_by_id", sa.TEXT(), nullable=False),
        sa.Column("set_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["environment_id"], ["environments.id"], name=op.f("fk_sealed_values_environment_id")
        ),
        sa.ForeignKeyConstraint(["service_id"], ["services.id"], name=op.f("fk_sealed_values_service_id")),
        sa.ForeignKeyConstraint(["set_by_id"], ["people.id"], name=op.f("fk_sealed_values_set_by_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sealed_values")),
    )
    op.create_index(
        "uq_sealed_values_name",
        "sealed_values",
        ["service_id", "name", sa.literal_column("coalesce(environment_id, '')")],
        unique=True,
    )
    op.create_table(
        "clearances",
        sa.Column("id", sa.TEXT(), nullable=False),
        sa.Column("promotion", sa.BigInteger(), nullable=False),
        sa.Column("holder_id", sa.TEXT(), nullable=False),
        sa.Column("issued_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("not_before", sa.DateTime(timezone=True), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("revoked_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["holder_id"], ["people.id"], name=op.f("fk_clearances_holder_id")),
        sa.ForeignKeyConstraint(["promotion"], ["promotions.number"], name=op.f("fk_clearances_promotion")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_clearances")),
    )
    op.create_index(
        "uq_clearances_one_live",
        "clearances",
        ["promotion"],
        unique=True,
        postgresql_where=sa.text("revoked_at IS NULL"),
    )
    op.create_table(
        "report_files",
        sa.Column("report_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.TEXT(), nullable=False),
        sa.Column("media_type", sa.TEXT(), nullable=False),
        sa.Column("digest", sa.TEXT(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["report_id"], ["reports.id"], name=op.f("fk_report_files_report_id")),
        sa.PrimaryKeyConstraint("report_id", name=op.f("pk_report_files")),
    )
    op.add_column(
        "environments",
        sa.Column("timetable", postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True),
    )
    op.add_column(
        "environments",
        sa.Column("template", postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True),
    )
    op.add_column("environments", sa.Column("taken_in_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("environments", sa.Column("made_from_id", sa.TEXT(), nullable=True))
    op.add_column("environments", sa.Column("made_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("environments", sa.Column("ends_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("environments", sa.Column("removed_at", sa.DateTime(timezone=True), nullable=True))
    op.create_foreign_key(
        op.f("fk_environments_made_from_id"), "environments", "environments", ["made_from_id"], ["id"]
    )
    op.add_column("promotions", sa.Column("asked_revision", sa.TEXT(), nullable=False, server_default=""))
    op.alter_column("promotions", "asked_revision", server_default=None)
    op.add_column("promotions", sa.Column("route_id", sa.TEXT(), nullable=True))
    op.execute(
        "UPDATE promotions SET route_id = services.route_id FROM services "
        "WHERE services.id = promotions.service_id"
    )
    op.alter_column("promotions", "route_id", nullable=False)
    op.add_column("promotions", sa.Column("bundle_id", sa.BigInteger(), nullable=True))
    op.add_column("promotions", sa.Column("prepared_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("promotions", sa.Column("followed_at", sa.DateTime(timezone=True), nullable=True))
    op.alter_column("promotions", "facts_digest", existing_type=sa.TEXT(), nullable=True)
    op.alter_column(
        "promotions", "sheet", existing_type=postgresql.JSONB(astext_type=sa.Text()), nullable=True
    )
    op.create_index(op.f("ix_promotions_bundle_id"), "promotions", ["bundle_id"], unique=False)
    op.create_foreign_key(op.f("fk_promotions_route_id"), "promotions", "routes", ["route_id"], ["id"])
    op.create_foreign_key(op.f("fk_promotions_bundle_id"), "promotions", "bundles", ["bundle_id"], ["id"])
    op.add_column(
        "routes",
        sa.Column("lets_in", postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True),
    )
    op.add_column("services", sa.Column("urgent_route_id", sa.TEXT(), nullable=True))
    op.create_foreign_key(
        op.f("fk_services_urgent_route_id"), "services", "routes", ["urgent_route_id"], ["id"]
    )
    op.execute("UPDATE promotions SET followed_at = landed_at")
    op.drop_constraint(op.f("ck_environments_departs"), "environments", type_="check")
    op.create_check_constraint(
        op.f("ck_environments_departs"),
        "environments",
        "departs IN ('at once', 'by deployer', 'by timetable', 'never')",
    )
