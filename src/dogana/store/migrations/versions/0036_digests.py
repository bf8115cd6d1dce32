"""What names a digest is found by it, however long the ledger is."""

from alembic import op

revision = "0036"
down_revision = "0035"


def upgrade() -> None:
    # How each begins: an artifact, a commit or a document is told from all others by less.
    op.execute(
        "CREATE FUNCTION ledger_digests(body text) RETURNS text[]"
        " LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE AS $$"
        " SELECT coalesce(array_agg(DISTINCT found[1]), '{}')"
        " FROM regexp_matches(body, '([0-9a-f]{16})[0-9a-f]*', 'g') AS found $$"
    )
    op.execute("CREATE INDEX ix_ledger_entries_digests ON ledger_entries USING gin (ledger_digests(body))")


def downgrade() -> None:
    op.drop_index("ix_ledger_entries_digests", "ledger_entries")
    op.execute("DROP FUNCTION ledger_digests(text)")
