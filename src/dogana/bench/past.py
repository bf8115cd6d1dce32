"""A past of some size for the bench: fifty services, years of promotions of which each left eight entries."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from dogana.bench import cases
from dogana.bench.history import History
from dogana.core.facts import Facts
from dogana.core.inspect.engine import inspect
from dogana.core.record.actions import Action
from dogana.core.record.canonical import canonical
from dogana.demo.cast import ACTORS
from dogana.service.actor import ENGINE
from dogana.service.ledger.entries import entry
from dogana.store.tables.landscape import ReleaseRow
from dogana.store.tables.promotions import PromotionRow, State

SERVICES = 50
ENTRIES_EACH = 8
_APART = timedelta(minutes=35)
"""Forty-one promotions a day: already ten thousand entries fill the 31 days that an inspection looks back on,
so that what is measured with more of them is the past, and not how much goes on lately.
"""
_ARTIFACTS = [{"name": "app.tar.gz", "digest": "sha256:" + "a" * 64, "size": 10}]
_RARE = 10
"""How many promotions a rare approver decided on."""
APPROVERS = ("ilse", "henrik")
RARE_APPROVER, RARE_WORDS = "adaeze", "storm drill of the north"


@dataclass(frozen=True, kw_only=True)
class Setting:
    """What the promotions of the past refer to."""

    environments: Sequence[str]
    route: str
    policy: int
    """The row of the policy they were held against."""
    first_number: int
    first_release: int


def write(past: History, setting: Setting, *, entries: int, until: datetime) -> int:
    """Promotions that landed, the last one not long before an instant, until there are so many entries.

    Returns:
        How many promotions.
    """
    made, known = cases.full_policy(), cases.full_facts(commits=8, files=20)
    spoken = cases.decisions(made, known)
    shown = spoken.made[0].shown.plain()
    past.facts(known)
    documents = {
        "policy": past.document("policy", canonical(made)),
        "decisions": past.document("decisions", canonical(spoken)),
    }
    sheet = inspect(made, known, spoken, cases.AT)
    text = canonical(sheet).decode()
    for n in range(SERVICES):
        title = f"Service {n}"
        past.row("services", id=f"service-{n}", title=title, repository="r", paths=[], route_id=setting.route)
    count = (entries - past.entries) // ENTRIES_EACH
    for n in range(count):
        at = until - (count - n) * _APART
        row = _promotion(past, setting, n, at)
        approvers = (RARE_APPROVER, APPROVERS[1]) if n < _RARE else APPROVERS
        on = dict(documents)
        for minutes in range(2):
            on["facts"] = past.document("facts", _index(known, row, at + timedelta(minutes=minutes)))
        later = _written(at + timedelta(minutes=3))
        own = text.replace(_written(cases.AT), later).replace(known.digest, on["facts"])
        on["sheet"] = past.document("sheet", own.encode())
        for step, (who, action, says) in enumerate(
            (
                ("pipeline", Action.REQUEST, f"asked for {row.release.version}"),
                ("pipeline", Action.ATTACH, "attached what the build said"),
                (approvers[0], Action.COMMENT, RARE_WORDS if n < _RARE else "seen, and nothing is odd"),
                (approvers[0], Action.APPROVE, "approved"),
                (approvers[1], Action.APPROVE, "approved"),
                (None, Action.CLEAR, "cleared"),
                (None, Action.DEPART, "departed"),
                ("pipeline", Action.LAND, "landed"),
            )
        ):
            decided = on if action in (Action.APPROVE, Action.CLEAR, Action.DEPART) else None
            actor = ACTORS[who] if who else ENGINE
            past.entry(
                entry(
                    actor,
                    action,
                    f"{actor.name} {says}.",
                    at + step * timedelta(minutes=1),
                    promotion=row,
                    on=decided,
                )
            )
        _finish(past, row, setting, on, at, shown)
        past.flush()
    return count


def _promotion(past: History, setting: Setting, n: int, at: datetime) -> PromotionRow:
    service, release = f"service-{n % SERVICES}", setting.first_release + n // len(setting.environments)
    version = f"{n // SERVICES}.{n % SERVICES}.0"
    if n % len(setting.environments) == 0:
        past.row(
            "releases",
            id=release,
            service_id=service,
            version=version,
            revision="c" * 40,
            created_at=at,
            artifacts=_ARTIFACTS,
        )
    return PromotionRow(
        number=setting.first_number + n,
        service_id=service,
        release_id=release,
        environment_id=setting.environments[n % len(setting.environments)],
        requested_at=at,
        release=ReleaseRow(version=version),
    )


def _finish(
    past: History,
    row: PromotionRow,
    setting: Setting,
    on: dict[str, str],
    at: datetime,
    shown: dict[str, Any],
) -> None:
    landed = at + (ENTRIES_EACH - 1) * timedelta(minutes=1)
    departed = landed - timedelta(minutes=1)
    past.row(
        "promotions",
        number=row.number,
        service_id=row.service_id,
        release_id=row.release_id,
        environment_id=row.environment_id,
        source=None,
        state=State.LANDED.value,
        requester_id="pipeline",
        requested_at=at,
        note="",
        asked_revision="main",
        route_id=setting.route,
        kind="ordinary",
        facts_digest=on["facts"],
        facts_read_at=departed,
        policy_id=setting.policy,
        sheet_digest=on["sheet"],
        inspect_at=departed,
        changed_at=landed,
        departed_at=departed,
        landed_at=landed,
        landed_artifacts=_ARTIFACTS,
        followed_at=landed,
        closed_at=landed,
        ended="Landed.",
    )
    for who in APPROVERS:
        past.row(
            "decisions",
            promotion=row.number,
            action="approve",
            person_id=who,
            comment="",
            at=at,
            shown=shown,
            standing=True,
        )


def _index(known: Facts, row: PromotionRow, at: datetime) -> bytes:
    """Facts of a promotion's own, of which the parts are those of all."""
    said = known.divided.index.decode()
    said = said.replace(f'"version":"{known.version}"', f'"version":"{row.release.version}"')
    said = said.replace(f'"number":{known.number}', f'"number":{row.number}')
    return said.replace(_written(cases.AT), _written(at)).encode()


def _written(at: datetime) -> str:
    return at.strftime("%Y-%m-%dT%H:%M:%SZ")
