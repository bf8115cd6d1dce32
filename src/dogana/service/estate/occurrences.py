"""What happened around an environment along time: landings, steps, incidents, closed times, policies."""

import asyncio
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Literal

from dogana.core.document import Instant
from dogana.core.policy.document import Policy, policy_of
from dogana.core.time.intervals import Interval
from dogana.core.time.windows import Calendar
from dogana.core.words import counted, lasting, lower_first
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.environments import must_know
from dogana.service.policies.in_force import found_in_force
from dogana.service.shapes import View
from dogana.store import Session, calendars, history, landscape, people
from dogana.store.history import Ended

Kind = Literal["landing", "rollback", "taken back", "step", "incident", "freeze", "closing", "policy"]

_MOST = 500
_LONGEST = timedelta(days=400)
_EARLIER = timedelta(days=2)


class Occurrence(View):
    """Something that happened, or was so for a while."""

    kind: Kind
    at: Instant
    until: Instant | None
    """Its end, of what lasts; absent while it has none."""
    says: str
    promotion: int | None
    service: str | None
    version: str | None
    """What landed, or moved on."""


class Suspect(View):
    """Something that happened in or just before a stretch of time."""

    occurrence: Occurrence
    away: str
    """How long before the stretch, in words; or that it is in it."""


async def occurrences(
    backend: Backend,
    actor: Actor,
    *,
    environment: str,
    service: str | None,
    start: datetime,
    end: datetime,
) -> list[Occurrence]:
    """What happened around an environment in a stretch of time, the first of it first.

    Raises:
        InvalidError: for an unknown environment or service.
    """
    actor.must(Right.READ)
    start = max(start, end - _LONGEST)
    async with backend.database.transaction() as session:
        await must_know(session, environment=environment, service=service)
        return await read(session, environment=environment, service=service, start=start, end=end)


async def suspects(
    backend: Backend,
    actor: Actor,
    *,
    environment: str,
    service: str | None,
    start: datetime,
    end: datetime,
) -> list[Suspect]:
    """What changed in a stretch of time or in the two days before it, the nearest to its beginning first.

    Of what went in step by step and landed only the landing is named.
    """
    found = await occurrences(
        backend, actor, environment=environment, service=service, start=start - _EARLIER, end=end
    )
    landed = {one.promotion for one in found if one.kind in ("landing", "rollback", "taken back")}
    changing = [
        one
        for one in found
        if one.kind not in ("freeze", "closing")
        and one.at <= end
        and not (one.kind == "step" and one.promotion in landed)
    ]
    return [
        Suspect(
            occurrence=one,
            away=f"{lasting(start - one.at)} before it begins" if one.at < start else "in it",
        )
        for one in sorted(changing, key=lambda one: abs(one.at - start))
    ]


async def read(
    session: Session, *, environment: str, service: str | None, start: datetime, end: datetime
) -> list[Occurrence]:
    """What happened around an environment in a stretch of time, the first of it first."""
    ended = await history.within(
        session, service=service, environment=environment, start=start, end=end, most=_MOST
    )
    titles = {one.id: one.title for one in await landscape.services(session, retired=True)}
    found = [_ended(one, titles) for one in ended]
    steps = await history.steps(
        session, service=service, environment=environment, start=start, end=end, most=_MOST
    )
    for step in steps:
        name = f"{titles.get(step.service, step.service)} {step.version}"
        found.append(
            Occurrence(
                kind="step",
                at=step.at,
                until=None,
                says=f"{step.share} % of {name}: {lower_first(step.reason)}",
                promotion=step.promotion,
                service=step.service,
                version=step.version,
            )
        )
    wrong = await history.incidents(
        session, service=service, environment=environment, start=start, end=end, most=_MOST
    )
    found += [
        _plain("incident", row.detected_at or row.opened_at, row.resolved_at, row.what, row.service_id)
        for row in wrong
    ]
    found += await lasting_track(session, environment, start, end)
    return sorted(found, key=lambda one: one.at)


async def lasting_track(
    session: Session, environment: str, start: datetime, end: datetime
) -> list[Occurrence]:
    """Freezes, closings and policies of an environment in a stretch of time, in no order."""
    names = await people.names(session)
    found = [
        _plain(
            "closing",
            row.since,
            row.opened_at or row.until,
            f"Closed at once by {row.by.name}: {lower_first(row.reason)}",
        )
        for row in await history.closings(session, environment, start, end, _MOST)
    ]
    adopted = await history.policies(session, environment, start, end, _MOST)
    for row in adopted:
        if row.in_force_from is not None:
            who = names.get(row.adopter_id or "", "nobody")
            says = f"Policy version {row.version} in force, adopted by {who}"
            found.append(_plain("policy", row.in_force_from, None, says))
    held = await found_in_force(session, environment, end)
    policies = [policy_of(row.document) for row in adopted] + ([held.policy] if held else [])
    shared = {
        name: Calendar.model_validate(document)
        for name, document in (await calendars.calendars(session)).items()
    }
    frozen = await asyncio.to_thread(lambda: list(_freezes(policies, shared, Interval(start, end))))
    return found + list({(one.at, one.says): one for one in frozen}.values())


def _freezes(
    policies: Sequence[Policy], shared: Mapping[str, Calendar], within: Interval
) -> Iterator[Occurrence]:
    for policy in policies:
        for rule in policy.rules:
            for closing in rule.closed(shared, within):
                if closing.texture == "freeze":
                    yield _plain("freeze", closing.start, closing.end, f"Closed by {closing.name}")


def _ended(one: Ended, titles: Mapping[str, str]) -> Occurrence:
    name = f"{titles.get(one.service, one.service)} {one.version}"
    kind: Kind = "taken back" if one.taken_back else "rollback" if one.kind == "rollback" else "landing"
    said = {"taken back": "was taken back", "rollback": "landed, going back", "landing": "landed"}[kind]
    brought = f" with {counted(one.brought['commits'], 'commit')}" if one.brought else ""
    return Occurrence(
        kind=kind,
        at=one.at,
        until=None,
        says=f"{name} {said}{brought}",
        promotion=one.promotion,
        service=one.service,
        version=one.version,
    )


def _plain(
    kind: Kind, at: datetime, until: datetime | None, says: str, service: str | None = None
) -> Occurrence:
    return Occurrence(kind=kind, at=at, until=until, says=says, promotion=None, service=service, version=None)
