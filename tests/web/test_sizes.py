"""What the views that everybody opens cost with much that waits: statements, and bytes on the wire."""

import psycopg
from tests.conftest import Urls
from tests.statements import asked
from tests.web.test_access import signed_in
from tests.world import World

from dogana.bench import many
from dogana.demo.cluster import plain

FEW, MANY = 20, 600
ROUTES = (
    "/api/desk",
    "/api/promotions?limit=50",
    "/api/timeline?days=14&start=2026-03-10T00:00:00Z",
    "/api/ledger",
    "/api/policy-board",
)


def wait(owner: str, number: int, count: int) -> None:
    """As many more that wait as one does, each with digests of its own to show."""
    many.pending(owner, number, count)
    with psycopg.connect(plain(owner)) as connection:
        connection.execute(
            "UPDATE promotions SET brief = jsonb_set(brief, '{shown,change}',"
            " to_jsonb('sha256:' || encode(sha256(release_id::text::bytea), 'hex'))) WHERE number > %s",
            [number],
        )


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
        with asked() as statements:
            answer = await client.get(route)
        assert answer.status_code == 200, answer.text
        found[route] = (len(statements), answer.num_bytes_downloaded)
    return found
