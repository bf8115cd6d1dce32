"""What entries say is found by its words, however many there are."""

from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.execute(
        "CREATE FUNCTION ledger_words(body text) RETURNS tsvector"
        " LANGUAGE sql IMMUTABLE STRICT PARALLEL SAFE AS $$"
        " SELECT to_tsvector('simple'::regconfig, coalesce(e ->> 'says', '')"
        " || ' ' || coalesce(e ->> 'reason', '')"
        " || ' ' || coalesce(e #>> '{actor,name}', '') || ' ' || coalesce(e ->> 'promotion', '')"
        " || ' ' || coalesce(e ->> 'service', '') || ' ' || coalesce(e ->> 'version', '')"
        " || ' ' || coalesce(e ->> 'environment', ''))"
        " FROM (SELECT body::jsonb AS e) AS entry $$"
    )
    op.execute("CREATE INDEX ix_ledger_entries_words ON ledger_entries USING gin (ledger_words(body))")


def downgrade() -> None:
    op.drop_index("ix_ledger_entries_words", "ledger_entries")
    op.execute("DROP FUNCTION ledger_words(text)")
