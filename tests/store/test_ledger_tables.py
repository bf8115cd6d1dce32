"""The ledger's tables: append-only for the application and for the owner; tampering is found all the same."""

import json

import psycopg
import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine
from tests.world import World

from dogana.core.record.export import read
from dogana.core.record.verify import Verification, Verifier, verified
from dogana.demo.cluster import plain
from dogana.service.ledger import audit
from dogana.store import database as store_database
from dogana.store.packing import packed
from dogana.store.tables.base import Table

CHANGES = (
    "UPDATE ledger_entries SET body = 'x'",
    "DELETE FROM ledger_entries",
    "TRUNCATE ledger_entries CASCADE",
    "UPDATE ledger_leaves SET leaf_index = leaf_index + 100",
    "DELETE FROM ledger_checkpoints",
    "UPDATE documents SET body = 'x'",
)
LIFTS = (
    "ALTER TABLE ledger_entries DISABLE TRIGGER append_only",
    "DROP TRIGGER append_only ON ledger_entries",
    "SET session_replication_role = replica",
    "DROP TABLE ledger_checkpoints",
)


@pytest.mark.parametrize("statement", CHANGES + LIFTS)
async def test_the_application_cannot_change_the_record_nor_lift_the_guard(world: World, statement: str):
    """With the application's own password, from any program."""
    await world.ask()
    with (
        psycopg.connect(plain(world.urls.application)) as connection,
        pytest.raises(psycopg.Error) as refused,
    ):
        connection.execute(statement)
    assert refused.value.sqlstate == "42501"


@pytest.mark.parametrize("statement", CHANGES)
async def test_even_the_owner_is_refused_by_the_trigger(world: World, statement: str):
    """So a careless migration cannot rewrite history either."""
    await world.ask()
    with (
        psycopg.connect(plain(world.urls.owner)) as connection,
        pytest.raises(psycopg.Error, match="append-only"),
    ):
        connection.execute(statement)


async def test_what_is_sequenced_while_one_verifies_is_no_fault(world: World):
    """Entries and checkpoints are those of one instant."""
    await world.landed()
    await world.sequence()
    verifier = Verifier(world.key.public_key())
    async with audit.at_one_instant(world.backend) as session:
        await world.ask("rehearsal")
        await world.sequence()
        async for lot in audit.record_of(session):
            verifier.follow(lot)
    result = verifier.done()
    assert result.verified
    assert result.entries < await world.entries()
    assert (await world.verified()).entries == await world.entries()


async def test_a_byte_changed_behind_every_guard_is_found_and_named(world: World, cluster, monkeypatch):
    """By somebody who may do anything to the database; however the entries fall into lots."""
    monkeypatch.setattr(store_database, "_LOT", 3)
    await world.landed()
    await world.sequence()
    assert (await world.verified()).verified
    database = world.urls.application.rsplit("/", 1)[-1]
    with psycopg.connect(cluster.superuser_url(database)) as connection:
        connection.execute("SET session_replication_role = replica")
        connection.execute(
            "UPDATE ledger_entries SET body = replace(body, 'version', 'edition') "
            "WHERE id = (SELECT entry_id FROM ledger_leaves ORDER BY leaf_index DESC LIMIT 1 OFFSET 1)"
        )
        connection.execute("UPDATE documents SET body = %s WHERE kind = 'sheet'", [packed("{}")])
        connection.execute("UPDATE documents SET body = 'no frame' WHERE kind = 'policy'")
    result = await world.verified()
    index = await world.entries() - 2
    assert result.faults[0].index == index
    assert f"entry {index} was changed" in result.faults[0].what
    changed = {one.what.split()[3] for one in result.faults if "stored document" in one.what}
    with psycopg.connect(plain(world.urls.owner)) as connection:
        rows = connection.execute("SELECT digest FROM documents WHERE kind IN ('sheet', 'policy')")
        assert changed == {digest for (digest,) in rows}


async def test_an_export_verifies_offline_and_a_changed_byte_in_it_is_named(world: World):
    """From the lines and the public key alone."""
    await world.landed()
    await world.sequence()
    lines = [line async for line in audit.export(world.backend)]
    old = [line for line in lines if "checkpoint" not in line] + [
        line for line in lines if "checkpoint" in line
    ]
    for written in (lines, old):
        good = offline(world, written)
        assert (good.verified, good.entries) == (True, await world.entries())
    index = next(n for n, line in enumerate(lines) if "adopted" in line)
    changed = [*lines[:index], lines[index].replace("adopted", "adapted"), *lines[index + 1 :]]
    assert offline(world, changed).faults[0].index == json.loads(lines[index])["place"]


def offline(world: World, lines: list[str]) -> Verification:
    return verified(read(lines, lines), Verifier(world.key.public_key()))


async def test_entries_get_places_in_batches_by_one_sequencer_at_a_time(world: World):
    """No gaps however often it runs; a checkpoint is signed only when there is something new."""
    await world.ask()
    await world.sequence()
    await world.sequence()
    first = len(await world.notes())
    await world.land((await world.dossier(1001)).row.number)
    await world.sequence()
    assert len(await world.notes()) == first + 1
    assert (await world.verified()).entries == await world.entries()


async def test_what_is_hashed_is_what_is_stored(world: World):
    """Entries are canonical text, never rebuilt from columns."""
    await world.ask()
    lines = [line async for line in audit.export(world.backend)]
    assert lines == []
    await world.sequence()
    lines = [json.loads(line) async for line in audit.export(world.backend)]
    written = [json.loads(line["entry"]) for line in lines if "entry" in line]
    request, cleared = written[-3], written[-2]
    assert (request["action"], request["actor"]["id"], request["service"]) == (
        "request",
        "noor",
        "taps-portal",
    )
    assert cleared["action"] == "clear"
    assert set(cleared["on"]) == {"policy", "facts", "decisions", "sheet"}


async def test_the_migrations_make_the_tables_the_code_expects(world: World):
    """Nothing is left for a later migration to notice."""
    engine = create_engine(world.urls.owner)
    with engine.connect() as connection:
        difference = compare_metadata(MigrationContext.configure(connection), Table.metadata)
    engine.dispose()
    assert difference == []
