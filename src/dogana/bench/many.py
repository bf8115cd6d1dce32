"""Many promotions at once, written past the application: copies of one that the application made."""

from datetime import datetime

import psycopg

from dogana.core.decisions import Decisions
from dogana.core.facts import Facts
from dogana.core.inspect.sheet import Sheet
from dogana.core.policy.document import Policy
from dogana.core.record.canonical import canonical, digest

_COPIED = (
    "service_id, release_id, environment_id, source, requester_id, note, asked_revision, route_id, kind,"
    " facts_read_at, policy_id, inspect_at"
)
_WHEN = "LATERAL (SELECT %(at)s - n / 300 * interval '7 days' - n %% 300 * interval '1 minute' AS at) AS t"
_UTC = "to_char((at - interval '{}') AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS\"Z\"')"


def departed(
    url: str,
    like: int,
    count: int,
    at: datetime,
    documents: tuple[Policy, Facts, Decisions, Sheet],
) -> None:
    """Promotions that departed on such documents, each with facts of its own day, 300 on one day a week.

    Args:
        url: the database, as its owner.
        like: the number of a promotion to copy.
        count: how many.
        at: when the last one departed; the others of a day in the five hours before.
        documents: what each was let go on; the facts differ in version, and
            in when it was asked for and had landed in the leg before.
    """
    policy, facts, decisions, sheet = documents
    with psycopg.connect(url.replace("+psycopg", "")) as connection:
        keep = "INSERT INTO documents (digest, kind, body) VALUES (%s, %s, %s) ON CONFLICT DO NOTHING"
        for kind, document in (("policy", policy), ("decisions", decisions), ("sheet", sheet)):
            connection.execute(keep, (digest(document), kind, canonical(document).decode()))
        values = {
            "like": like,
            "count": count,
            "at": at,
            "facts": canonical(facts).decode(),
            "version": f'"version":"{facts.version}"',
            "requested": facts.plain()["requested_at"],
            "landed": facts.plain()["leg_before"][0]["landed_at"],
            "policy": digest(policy),
            "decisions": digest(decisions),
            "sheet": digest(sheet),
        }
        connection.execute(
            "INSERT INTO documents (digest, kind, body)"  # noqa: S608 - our own words
            " SELECT 'sha256:' || encode(sha256(('facts ' || n)::bytea), 'hex'), 'facts',"
            """ replace(replace(replace(%(facts)s, %(version)s, '"version":"1.4.' || n || '"'),"""
            f" %(requested)s, {_UTC.format('5 hours')}), %(landed)s, {_UTC.format('3 days')})"
            f" FROM generate_series(1, %(count)s) AS n, {_WHEN}",
            values,
        )
        connection.execute(
            f"INSERT INTO promotions (number, {_COPIED}, state, requested_at, changed_at, departed_at,"  # noqa: S608 - our own columns
            " landed_at, closed_at, followed_at, facts_digest, ended)"
            f" SELECT 1000000 + n, {_COPIED}, 'landed', at, at, at, at, at, at,"
            " 'sha256:' || encode(sha256(('facts ' || n)::bytea), 'hex'), ''"
            f" FROM promotions, generate_series(1, %(count)s) AS n, {_WHEN}"
            " WHERE number = %(like)s",
            values,
        )
        connection.execute(
            "INSERT INTO ledger_entries (at, action, actor_id, promotion, environment_id, service_id, body)"
            " SELECT departed_at, 'depart', 'dogana', number, environment_id, service_id,"
            " json_build_object('on', json_build_object('policy', %(policy)s::text, 'facts', facts_digest,"
            " 'decisions', %(decisions)s::text, 'sheet', %(sheet)s::text))::text"
            " FROM promotions WHERE number > 1000000",
            values,
        )
        connection.execute("ANALYZE")


def pending(url: str, like: int, count: int) -> None:
    """Promotions that wait as one does, each of a release of its own, asked for a minute apart.

    Args:
        url: the database, as its owner.
        like: the number of a promotion to copy.
        count: how many more of them there are to be.
    """
    values = {"like": like, "count": count}
    copied = _COPIED.removeprefix("service_id, release_id, ")
    with psycopg.connect(url.replace("+psycopg", "")) as connection:
        connection.execute(
            "WITH made AS (INSERT INTO releases (service_id, version, revision, created_at)"  # noqa: S608 - our own columns
            " SELECT service_id, '2.0.' || more.n, revision, created_at FROM releases,"
            " (SELECT n + (SELECT count(*) FROM promotions) AS n FROM generate_series(1, %(count)s) AS n)"
            " AS more WHERE id = (SELECT release_id FROM promotions WHERE number = %(like)s) RETURNING id)"
            f" INSERT INTO promotions (service_id, release_id, {copied}, state, requested_at, changed_at,"
            f" facts_digest, facts, facts_parts, sheet, ended) SELECT service_id, made.id, {copied}, state,"
            " requested_at - made.id * interval '1 minute', changed_at, facts_digest, facts, facts_parts, sheet,"
            " ''"
            " FROM promotions, made WHERE number = %(like)s",
            values,
        )
        connection.execute("ANALYZE")
