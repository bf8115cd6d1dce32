"""What a long past costs: nothing that people wait for, or that is asked again and again, goes through it."""

import json
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import timedelta
from typing import Any

import psycopg
import pytest
from sqlalchemy import text
from tests.conftest import Urls
from tests.statements import asked
from tests.web.doors import DOORS
from tests.web.test_access import signed_in
from tests.world import NOW, World

from dogana.demo.cast import ACTORS
from dogana.demo.cluster import plain
from dogana.service.chat import listening, posting, rooms
from dogana.service.delivery import automation
from dogana.service.estate import changes, history, matrix, occurrences, sightings, where
from dogana.service.landed import going_back, incidents, sign_offs
from dogana.service.ledger import sequencer
from dogana.service.messages import entries, mailing, seats, told
from dogana.service.promotions import refreshing
from dogana.service.views import desk, timeline
from dogana.service.views import ledger as ledger_pages
from dogana.sources import Heard, Posted, Said
from dogana.sources.mail import SmtpMailer
from dogana.store import facts
from dogana.store.ledger import EntryFilter

pytestmark = pytest.mark.thorough

MANY, RELEASES = 100_000, 20_000
MOST_BLOCKS = 2000
"""Of 8 KiB; there are some 9,000 of promotions."""
GROWS = {"promotions", "ledger_entries", "ledger_leaves", "messages", "mails", "answer_links"} | {
    "checks",
    "chat_posts",
    "releases",
}


class Silence:
    """A chat in which one thing is said, in answer to the first that we wrote."""

    async def join(self, room: str) -> None: ...

    async def post(self, room: str, key: str, text: str, html: str, **_) -> Posted:
        return Posted(event=key, at=NOW)

    async def heard(self, since: str | None, seconds: float) -> Heard:
        asks = Said(room="!a:x", event="$1", sender="@a:x", at=NOW, text="why", about="past/1")
        return Heard(said=(asks,), following="2", whole=True)


@contextmanager
def filled_faster(connection: psycopg.Connection) -> Iterator[None]:
    """The indexes of what grows are made once it has grown; an entry is not noted as one that waits."""
    indexes = connection.execute(
        "SELECT indexname, indexdef FROM pg_indexes WHERE tablename = ANY(%s)"
        " AND indexname NOT IN (SELECT conname FROM pg_constraint)",
        [list(GROWS)],
    ).fetchall()
    for name, _ in indexes:
        connection.execute(f"DROP INDEX {name}")
    connection.execute("ALTER TABLE ledger_entries DISABLE TRIGGER USER")
    yield
    connection.execute("ALTER TABLE ledger_entries ENABLE TRIGGER USER")
    for _, definition in indexes:
        connection.execute(definition)
    connection.execute("VACUUM ANALYZE")


def grow(owner: str, number: int) -> None:
    """A past of copies of one promotion that landed, each with an entry that is sequenced."""
    with psycopg.connect(plain(owner), autocommit=True) as connection, filled_faster(connection):
        named = connection.execute(
            "SELECT column_name FROM information_schema.columns"
            " WHERE table_name = 'promotions' AND column_name <> 'number'"
        )
        earlier = {
            one: f"{one} - n * interval '2 hours'"
            for one in ("requested_at", "departed_at", "landed_at", "closed_at", "changed_at")
        }
        connection.execute(
            "INSERT INTO releases (service_id, version, revision, created_at, artifacts)"
            " SELECT service_id, '0.' || n || '.0', revision, created_at, artifacts"
            f" FROM releases, generate_series(1, {RELEASES}) n"
            f" WHERE id = (SELECT release_id FROM promotions WHERE number = {number})"
        )
        columns = [one for (one,) in named]
        release = f"(SELECT max(id) FROM releases) - n % {RELEASES}"
        values = [
            {**earlier, "followed_at": "now()", "tell_at": "NULL", "release_id": release}.get(one, one)
            for one in columns
        ]
        connection.execute(
            f"INSERT INTO promotions ({', '.join(columns)}) SELECT {', '.join(values)}"
            f" FROM promotions, generate_series(1, {MANY}) n WHERE number = {number}"
        )
        connection.execute(
            "INSERT INTO ledger_entries (at, action, actor_id, promotion, environment_id, service_id, body)"
            " SELECT at, action, actor_id, promotion, environment_id, service_id,"
            " json_build_object('actor', body::json->'actor', 'says', body::json->'says')"
            f" FROM ledger_entries, generate_series(1, {MANY}) n"
            f" WHERE id = (SELECT min(id) FROM ledger_entries WHERE promotion = {number})"
        )
        connection.execute(
            "INSERT INTO ledger_leaves SELECT row_number() OVER () + 999, id, '\\x00' FROM ledger_entries"
            " WHERE id NOT IN (SELECT entry_id FROM ledger_leaves)"
        )
        connection.execute(
            f"INSERT INTO ledger_checkpoints SELECT size + {MANY}, frontier, note FROM ledger_checkpoints"
            " ORDER BY size DESC LIMIT 1"
        )
        connection.execute(
            "INSERT INTO mails (person_id, made_at, attempts, next_attempt_at, sent_at)"
            f" SELECT 'tomas', now(), 1, now(), now() FROM generate_series(1, {MANY})"
        )
        connection.execute(
            "INSERT INTO messages (person_id, kind, key, promotion, path, about, says, at, mail_id, over)"
            f" SELECT 'tomas', 'landed', 'past/' || id, {number}, '', '', '', now(), id, '' FROM mails"
        )
        connection.execute(
            "INSERT INTO answer_links (digest, person_id, promotion, shown, expires_at)"
            f" SELECT 'past/' || id, 'tomas', {number}, '{{}}', now() FROM mails"
        )
        connection.execute(
            "INSERT INTO checks (entry_id, promotion, name, about, asked_at)"
            " SELECT id, number, 'capacity', 'sha256:' || repeat('0', 64), at"
            " FROM (SELECT id, at, row_number() OVER () n FROM ledger_entries) entries"
            " JOIN (SELECT number, row_number() OVER () n FROM promotions) promotions USING (n)"
        )
        connection.execute(
            "INSERT INTO chat_posts (room_id, promotion, event, text, posted_at)"
            " SELECT 'all', number, 'past/' || number, '', now() FROM promotions"
        )


def scanned(plan: dict[str, Any]) -> set[str]:
    """The tables that a plan reads whole."""
    own = {plan["Relation Name"]} if plan["Node Type"] == "Seq Scan" else set()
    return own.union(*(scanned(part) for part in plan.get("Plans", [])))


def goes_through_the_past(owner: str, statements: dict[str, Any]) -> dict[str, tuple[int, set[str]]]:
    """The statements that look at more than a page's worth: how many blocks, and what they read whole.

    A scan of an index may go through as much as one of a table, so each is carried out again, and taken back;
    what was written stands there already, so of writing the plan alone is read.
    """
    found = {}
    with psycopg.connect(plain(owner)) as connection:
        for statement, parameters in statements.items():
            if not statement.lstrip("(").startswith(("SELECT", "WITH", "UPDATE", "DELETE", "INSERT")):
                continue
            if "pg_total_relation_size" in statement:
                continue  # It is the catalogue that is read, the first time whole.
            one = parameters[0] if isinstance(parameters, list) else parameters
            analyze = not statement.startswith("INSERT")
            (plan,) = connection.execute(
                f"EXPLAIN (ANALYZE {analyze}, BUFFERS, FORMAT JSON) {statement}", one
            ).fetchone()
            connection.rollback()
            (read,) = json.loads(plan) if isinstance(plan, str) else plan
            blocks = read["Plan"].get("Shared Hit Blocks", 0) + read["Plan"].get("Shared Read Blocks", 0)
            whole = scanned(read["Plan"]) & GROWS
            # Whether there is any at all is seen in the first block.
            if blocks > MOST_BLOCKS or (whole and blocks > 1):
                found[statement] = (blocks, whole)
    return found


def everything_shown(number: int) -> list[str]:
    """Whatever can be read by an address, but the ledger as one file, which is all of it."""
    shown = [one.path.format(number=number) for one in DOORS if one.method == "GET"]
    listed = [
        f"/api/promotions?service=taps-portal&environment=bench&state={state}&after=1"
        for state in ("waiting", "cleared", "moving", "landed", "turned back", "superseded")
    ]
    more = [
        "/api/estate?at=2026-03-01T00:00Z",
        "/api/estate?words=taps",
        "/api/incidents?closed=true&after=7&service=taps-portal",
        "/api/services/taps-portal/releases?after=1000",
        "/api/deliveries?dead=true",
        "/api/messages?before=2026-03-01T00:00Z",
        "/api/house/first-steps?whole=true",
    ]
    return [one for one in [*shown, *listed, *more] if not one.startswith("/api/ledger/export")]


async def plans_kept(world: World, number: int) -> int:
    """How often what the record says of a promotion is read by a plan that was made before, of some times."""
    async with world.backend.database.transaction() as session:
        for _ in range(14):
            await facts.of_promotions(session, [number], NOW, NOW - timedelta(days=62), NOW)
        kept = "SELECT generic_plans FROM pg_prepared_statements WHERE statement LIKE '% AS asked %'"
        return await session.scalar(text(kept)) or 0


async def test_nothing_that_is_waited_for_goes_through_the_past(world: World, urls: Urls):
    """Plans at a hundred thousand promotions and entries, of all that people and workers ask for daily."""
    landed = await world.landed("bench")
    waiting = await world.ask("rehearsal")
    await world.refresh(waiting.number)
    await world.sequence()
    world.backend = replace(world.backend, chat=Silence())
    await rooms.keep(
        world.backend, ACTORS["dario"], "all", title="All", address="!a:x", service=None, environment=None
    )
    grow(urls.owner, landed.number)
    backend, ilse, marco = world.backend, ACTORS["ilse"], ACTORS["marco"]
    with asked() as said:
        await desk.desk(backend, ilse)
        await desk.route_lines(backend, ilse)
        await timeline.timeline(backend, ilse, NOW, 14)
        await world.dossier(waiting.number, "ilse")
        await refreshing.refresh(backend, waiting.number)
        await world.approve(waiting.number, "ilse")
        await world.land((await world.ask("bench", "1.3.0")).number)
        await sign_offs.remind_due(backend)
        await going_back.landings(backend, ilse, "taps-portal", "bench")
        await incidents.latest(backend, ilse, closed=True)
        await matrix.matrix(
            backend, ilse, at=None, services=None, group=None, environment=None, words=None, skip=0
        )
        for service, environment in (("taps-portal", None), (None, "bench"), (None, None)):
            await history.read_history(
                backend, ilse, service=service, environment=environment, before=None, limit=50
            )
        await changes.changes(backend, ilse, NOW - timedelta(hours=3), None)
        await occurrences.occurrences(
            backend, ilse, environment="bench", service=None, start=NOW - timedelta(hours=3), end=NOW
        )
        for what in ("TAPS-2", "1.2.0", "sha256:" + "0" * 64, "codec < 2"):
            await where.where(backend, ilse, what)
        await sightings.look_due(backend)
        await incidents.open_by_hand(
            backend, ilse, service="taps-portal", environment="bench", what="bills show twice"
        )
        await entries.tell_of_entries(backend)
        await seats.tell_of_seats(backend)
        await entries.tell_of_sources(backend)
        await mailing.mail_due(replace(backend, mailer=SmtpMailer("smtp://127.0.0.1:1", "d@corvale.example")))
        await mailing.forget_old(backend)
        await told.told(backend, ilse, before=None, limit=50)
        await posting.post_due(backend)
        await listening.listen(backend)
        await automation.follow(backend)
        await automation.depart_on_schedule(backend)
        await automation.end_previews(backend)
        await ledger_pages.ledger_filters(backend, marco)
        for narrowed in (
            {},
            {"actor": "nobody"},
            {"environment": "live-north"},
            {"service": "none"},
            {"action": "accept"},
            {"words": "nobody ever"},
            {"words": "rehearsal asked taps"},
            {"words": "sha256:" + "0" * 64},
            {"promotion": waiting.number},
        ):
            await ledger_pages.ledger_page(backend, marco, EntryFilter(**narrowed), 50)
        for who in ("ilse", "dario"):
            client = await signed_in(world, who)
            for path in everything_shown(waiting.number):
                answer = await client.get(path)
                assert answer.status_code < 500, (path, answer.text)
    statements = dict(said)
    assert len(statements) > 100
    assert await plans_kept(world, landed.number) > 0
    assert goes_through_the_past(urls.owner, statements) == {}


async def test_an_entry_waits_for_its_index_however_it_was_written(world: World, urls: Urls):
    """The database notes it, and the sequencer alone lets go of it."""
    await world.landed()
    await world.sequence()
    with psycopg.connect(plain(urls.owner), autocommit=True) as owner:
        owner.execute(
            "INSERT INTO ledger_entries (at, action, actor_id, body)"
            " SELECT at, action, actor_id, body FROM ledger_entries ORDER BY id LIMIT 3"
        )
        assert owner.execute("SELECT count(*) FROM ledger_unsequenced").fetchone() == (3,)
        total = (await ledger_pages.ledger_page(world.backend, ACTORS["marco"], EntryFilter(), 1)).total
        assert owner.execute("SELECT count(*) FROM ledger_entries").fetchone() == (total,)
        assert await sequencer.sequence(world.backend, world.key, "test") == 3
        assert owner.execute("SELECT count(*) FROM ledger_unsequenced").fetchone() == (0,)
