"""What the views that everybody opens cost with much that waits: statements, and bytes on the wire."""

from contextlib import contextmanager

import psycopg
import pytest
from sqlalchemy import event
from sqlalchemy.engine import Engine
from tests.conftest import Urls
from tests.store.test_ledger_tables import plain
from tests.web.test_access import signed_in
from tests.world import World

FEW, MANY = 20, 600
ROUTES = (
    "/api/desk",
    "/api/promotions?limit=50",
    "/api/timeline?days=14&start=2026-03-10T00:00:00Z",
    "/api/ledger",
    "/api/policy-board",
)


def wait(owner: str, number: int, count: int) -> None:
    """As many more that wait as one does, each a release of its own, with digests of its own to show."""
    with psycopg.connect(plain(owner)) as connection:
        named = connection.execute(
            "SELECT column_name FROM information_schema.columns"
            " WHERE table_name = 'promotions' AND column_name NOT IN ('number', 'release_id', 'brief')"
        )
        columns = ", ".join(column for (column,) in named)
        connection.execute(
            "WITH made AS (INSERT INTO releases (service_id, version, revision, created_at, artifacts)"
            " SELECT service_id, '2.' || (SELECT count(*) FROM releases) || '.' || n, revision, created_at,"
            " artifacts"
            f" FROM releases, generate_series(1, {count}) n"
            f" WHERE id = (SELECT release_id FROM promotions WHERE number = {number}) RETURNING id)"
            f" INSERT INTO promotions (release_id, brief, {columns}) SELECT made.id, jsonb_set(brief,"
            " '{shown,change}', to_jsonb('sha256:' || encode(sha256(made.id::text::bytea), 'hex'))),"
            f" {columns} FROM promotions, made WHERE number = {number}"
        )


@contextmanager
def counted():
    asked: list[str] = []

    def note(_connection, _cursor, statement, *_) -> None:
        asked.append(statement)

    event.listen(Engine, "before_cursor_execute", note)
    try:
        yield asked
    finally:
        event.remove(Engine, "before_cursor_execute", note)


@pytest.mark.timeout(120)
async def test_no_view_asks_more_of_the_database_or_sends_more_than_it_may(world: World, urls: Urls):
    """With thirty times as much that waits: no statement more; on the wire less than 150 bytes for each."""
    row = await world.waiting()
    wait(urls.owner, row.number, FEW)
    client = await signed_in(world, "ilse")
    few = await spent(client)
    wait(urls.owner, row.number, MANY)
    many = await spent(client)
    assert {route: statements for route, (statements, _) in many.items()} == {
        route: statements for route, (statements, _) in few.items()
    }
    assert all(statements <= 12 for statements, _ in many.values()), many
    assert many["/api/desk"][1] - few["/api/desk"][1] < MANY * 150, many
    for route in ROUTES[1:]:
        assert many[route][1] < 60_000, many


async def spent(client) -> dict[str, tuple[int, int]]:
    """Statements and bytes by route."""
    found = {}
    for route in ROUTES:
        await client.get(route)
        with counted() as asked:
            answer = await client.get(route)
        assert answer.status_code == 200, answer.text
        found[route] = (len(asked), answer.num_bytes_downloaded)
    return found
