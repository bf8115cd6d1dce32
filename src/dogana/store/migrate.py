"""Bring a database to the present schema, and give the application's role what it needs, no more."""

from functools import cache
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import create_engine, make_url, text
from sqlalchemy.engine import Connection

import dogana.store.tables  # noqa: F401 - which are granted
from dogana.store.tables.base import Table

_APPEND_ONLY = ("ledger_entries", "ledger_leaves", "ledger_checkpoints", "documents")


def alembic_config(owner_url: str) -> Config:
    """Alembic, pointed at the migrations inside the package."""
    config = Config(Path(__file__).with_name("alembic.ini"))
    config.attributes["url"] = owner_url
    return config


@cache
def revisions() -> tuple[str, ...]:
    """Every version of the schema that this Dogana knows, the present one first."""
    scripts = ScriptDirectory.from_config(alembic_config(""))
    return tuple(one.revision for one in scripts.walk_revisions())


def migrate(owner_url: str, application_url: str) -> None:
    """Run every migration still due as the owner, then grant the application's role its rights.

    The application's role owns nothing: it can read and add to the ledger, and neither change or delete
    entries nor lift the trigger that refuses it.
    """
    command.upgrade(alembic_config(owner_url), "head")
    role = make_url(application_url).username
    if role is None:
        raise ValueError("the application's address of the database names no role")
    engine = create_engine(owner_url)
    with engine.begin() as connection:
        _grant(connection, role)
    engine.dispose()


def _grant(connection: Connection, role: str) -> None:
    quoted = connection.dialect.identifier_preparer.quote(role)
    connection.execute(text(f"GRANT USAGE ON SCHEMA public TO {quoted}"))
    connection.execute(text(f"GRANT USAGE ON ALL SEQUENCES IN SCHEMA public TO {quoted}"))
    connection.execute(text(f"GRANT SELECT ON alembic_version TO {quoted}"))
    for table in Table.metadata.sorted_tables:
        rights = "SELECT, INSERT" if table.name in _APPEND_ONLY else "SELECT, INSERT, UPDATE, DELETE"
        connection.execute(text(f"GRANT {rights} ON {table.name} TO {quoted}"))
