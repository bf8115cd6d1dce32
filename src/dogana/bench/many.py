"""Many promotions at once, written past the application: copies of one that the application made."""

from datetime import datetime, timedelta
from typing import Any

import psycopg
from psycopg.rows import dict_row

from dogana.bench.history import History
from dogana.core.decisions import Decisions
from dogana.core.facts import Facts
from dogana.core.inspect.sheet import Sheet
from dogana.core.policy.document import Policy
from dogana.core.record.actions import Action
from dogana.core.record.canonical import canonical
from dogana.demo.cluster import plain
from dogana.service.actor import ENGINE
from dogana.service.ledger.entries import entry
from dogana.store.tables.landscape import ReleaseRow
from dogana.store.tables.promotions import PromotionRow

_COPIED = (
    "service_id, release_id, environment_id, source, requester_id, note, asked_revision, route_id, kind,"
    " facts_read_at, policy_id, inspect_at"
)
_A_DAY = 300
_FIRST = 1_000_000


def departed(
    past: History,
    like: dict[str, Any],
    count: int,
    at: datetime,
    documents: tuple[Policy, Facts, Decisions, Sheet],
) -> None:
    """Promotions that departed on such documents, each with facts of its own day, 300 on one day a week.

    Args:
        past: where they are written.
        like: the columns of a promotion to copy.
        count: how many.
        at: when the last one departed; the others of a day in the five hours before.
        documents: what each was let go on; the facts differ in version, and
            in when it was asked for and had landed in the leg before.
    """
    policy, facts, decisions, sheet = documents
    on = {
        kind: past.document(kind, canonical(document))
        for kind, document in (("policy", policy), ("decisions", decisions), ("sheet", sheet))
    }
    (landed,) = facts.leg_before
    for n in range(1, count + 1):
        when = at - n // _A_DAY * timedelta(days=7) - n % _A_DAY * timedelta(minutes=1)
        before = landed.model_copy(update={"landed_at": when - timedelta(days=3)})
        own = {"version": f"1.4.{n}", "requested_at": when - timedelta(hours=5), "leg_before": (before,)}
        number, kept = _FIRST + n, on | {"facts": past.facts(facts.model_copy(update=own))}
        times = dict.fromkeys(("requested_at", "changed_at", "departed_at", "landed_at", "closed_at"), when)
        state = {"number": number, "state": "landed", "followed_at": when, "facts_digest": kept["facts"]}
        past.row("promotions", **like, **times, **state, ended="")
        row = PromotionRow(number=number, release=ReleaseRow(version=own["version"]), **_of(like))
        past.entry(entry(ENGINE, Action.DEPART, "It departed.", when, promotion=row, on=kept))
        past.flush()


def _of(like: dict[str, Any]) -> dict[str, Any]:
    return {"service_id": like["service_id"], "environment_id": like["environment_id"]}


def columns_of(url: str, number: int) -> dict[str, Any]:
    """What another promotion has in common with one, by column."""
    with psycopg.connect(plain(url), row_factory=dict_row) as connection:
        query = f"SELECT {_COPIED} FROM promotions WHERE number = %s"  # noqa: S608 - our own columns
        found = connection.execute(query, [number]).fetchone()
    if found is None:
        raise ValueError(f"there is no promotion {number}")
    return found


def pending(url: str, like: int, count: int) -> None:
    """Promotions that wait as one does, each of a release of its own, asked for a minute apart.

    Args:
        url: the database, as its owner.
        like: the number of a promotion to copy.
        count: how many more of them there are to be.
    """
    values = {"like": like, "count": count}
    copied = _COPIED.removeprefix("service_id, release_id, ")
    with psycopg.connect(plain(url)) as connection:
        connection.execute(
            "WITH made AS (INSERT INTO releases (service_id, version, revision, created_at, artifacts)"  # noqa: S608 - our own columns
            " SELECT service_id, '2.0.' || more.n, revision, created_at, artifacts FROM releases,"
            " (SELECT n + (SELECT count(*) FROM promotions) AS n FROM generate_series(1, %(count)s) AS n)"
            " AS more WHERE id = (SELECT release_id FROM promotions WHERE number = %(like)s) RETURNING id)"
            f" INSERT INTO promotions (service_id, release_id, {copied}, state, requested_at, changed_at,"
            " facts_digest, facts, facts_parts, sheet, brief, ended)"
            f" SELECT service_id, made.id, {copied}, state,"
            " requested_at - made.id * interval '1 minute', changed_at, facts_digest, facts, facts_parts,"
            " sheet, brief, ''"
            " FROM promotions, made WHERE number = %(like)s",
            values,
        )
        connection.execute("ANALYZE")
