"""Gathering facts, inspecting, and moving a promotion on as far as its verdict lets it."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from dogana.core.decisions import Decision, Decisions, Shown
from dogana.core.errors import InvalidError
from dogana.core.facts import Artifact, Change, Facts, Landing, Passage, Person, Place, Reading, Ticket
from dogana.core.inspect.engine import inspect
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.policy.document import Policy
from dogana.core.record.canonical import canonical, digest_bytes
from dogana.core.words import listed
from dogana.service.access import ENGINE, Actor
from dogana.service.backend import Backend
from dogana.service.record import record
from dogana.sources.git import ticket_keys
from dogana.store import Session, accounts, estate, policies, promotions
from dogana.store.database import announce
from dogana.store.tables import PENDING, PolicyRow, PromotionRow, ReleaseRow, ServiceRow, State

_TRAFFIC_KEPT = timedelta(days=31)


@dataclass(frozen=True, kw_only=True)
class Grounds:
    """What one inspection is made from."""

    policy_row: PolicyRow
    policy: Policy
    facts: Facts
    decisions: Decisions

    def sheet(self, at: datetime) -> Sheet:
        """Inspect."""
        return inspect(self.policy, self.facts, self.decisions, at)


def with_decision(grounds: Grounds, decision: Decision) -> Grounds:
    """The same grounds with one more word spoken."""
    return replace(grounds, decisions=Decisions(made=(*grounds.decisions.made, decision)))


async def policy_in_force(session: Session, environment: str, at: datetime) -> PolicyRow:
    """The policy version in force.

    Raises:
        InvalidError: when the environment has none: nothing is let in where nothing is asked.
    """
    row = await policies.in_force(session, environment, at)
    if row is None:
        raise InvalidError(f"No policy is in force in {environment} yet; nothing can enter it.")
    return row


async def grounds_of(session: Session, promotion: PromotionRow, at: datetime) -> Grounds:
    """Load what a pending promotion is inspected from."""
    policy_row = await policy_in_force(session, promotion.environment_id, at)
    body = await promotions.document(session, promotion.facts_digest)
    assert body is not None
    made = [
        Decision.model_validate(
            {
                "action": row.action,
                "person": row.person_id,
                "at": row.at,
                "comment": row.comment,
                "shown": Shown.model_validate(row.shown),
            }
        )
        for row in await promotions.decisions(session, promotion.number)
    ]
    return Grounds(
        policy_row=policy_row,
        policy=Policy.model_validate_json(policy_row.document),
        facts=Facts.model_validate_json(body),
        decisions=Decisions(made=tuple(made)),
    )


@dataclass(frozen=True, kw_only=True)
class Asked:
    """The part of the facts that the database knows: what was asked, and what has landed where."""

    service: ServiceRow
    version: str
    revision: str
    artifacts: tuple[Artifact, ...]
    target: Place
    requester: str
    requested_at: datetime
    note: str
    leg_before: tuple[Landing, ...]
    base: str | None
    runs: dict[str, str]
    traffic: tuple[Passage, ...]
    people: tuple[Person, ...]
    groups: dict[str, str]


async def ask(
    session: Session,
    service: ServiceRow,
    release: ReleaseRow | None,
    *,
    version: str,
    revision: str,
    artifacts: tuple[Artifact, ...],
    environment: str,
    requester: str,
    requested_at: datetime,
    note: str,
    at: datetime,
) -> Asked:
    """Read that part; `release` is None for a version that is not on record yet."""
    legs = service.route.legs
    leg = next(leg for leg in legs if leg.environment_id == environment)
    landed = await estate.landings(session, release.id) if release else {}
    before = []
    for other in (one for one in legs if one.position == leg.position - 1):
        row = landed.get(other.environment_id)
        before.append(
            Landing(
                environment=other.environment_id,
                title=other.environment.title,
                landed_at=row.landed_at if row else None,
                healthy_since=row.landed_at if row else None,
                replaced_at=await estate.replaced_at(session, service.id, row) if row else None,
                artifacts=tuple(Artifact.model_validate(a) for a in row.artifacts) if row else (),
            )
        )
    runs_here = await estate.running(session, service.id, environment)
    return Asked(
        service=service,
        version=version,
        revision=revision,
        artifacts=artifacts,
        target=Place(id=environment, title=leg.environment.title, zone=leg.environment.zone),
        requester=requester,
        requested_at=requested_at,
        note=note,
        leg_before=tuple(before),
        base=runs_here.revision if runs_here else None,
        runs=await estate.running_everywhere(session, environment),
        traffic=await _traffic(session, environment, at),
        people=tuple(
            Person(id=p.id, name=p.name, email=p.email, groups=tuple(g.id for g in p.groups))
            for p in await accounts.people(session)
        ),
        groups={group.id: group.title for group in await accounts.groups(session)},
    )


async def _traffic(session: Session, environment: str, at: datetime) -> tuple[Passage, ...]:
    latest = await estate.departures(session, environment, at - _TRAFFIC_KEPT)
    return tuple(
        Passage(
            service=one.service_id,
            version=one.version,
            departed_at=one.departed_at,
            arrived_at=one.closed_at,
        )
        for one in latest
    )


def artifacts_of(release: ReleaseRow) -> tuple[Artifact, ...]:
    """A release's artifacts as facts."""
    return tuple(Artifact(name=a.name, digest=a.digest, size=a.size) for a in release.artifacts)


async def gather(backend: Backend, asked: Asked, known: Facts | None = None) -> Facts:
    """Read the outside systems and put all facts together; takes as long as they take, holds no transaction.

    Args:
        backend: the sources.
        asked: what the database knows.
        known: earlier facts; the change is not read again while its two ends are the same.
    """
    change: Reading[Change]
    if known and known.change.value and known.change.value.base == asked.base:
        change = known.change
    else:
        change = await backend.repositories.change(asked.service.repository, asked.base, asked.revision)
    if change.value is not None:
        named = tuple(sorted({*change.value.ticket_keys, *ticket_keys(asked.note)}))
        change = change.model_copy(update={"value": change.value.model_copy(update={"ticket_keys": named})})
        tickets = await backend.tracker.tickets(named)
    else:
        tickets = Reading[tuple[Ticket, ...]](
            source=change.source, read_at=change.read_at, unknown="the change could not be read"
        )
    return Facts(
        service=asked.service.id,
        version=asked.version,
        repository=asked.service.repository,
        target=asked.target,
        route=asked.service.route_id,
        requester=asked.requester,
        requested_at=asked.requested_at,
        artifacts=asked.artifacts,
        change=change,
        tickets=tickets,
        leg_before=asked.leg_before,
        runs=asked.runs,
        traffic=asked.traffic,
        people=asked.people,
        groups=asked.groups,
    )


async def keep_document(session: Session, kind: str, document: Facts | Decisions | Sheet) -> str:
    """Store a document's canonical text under its digest."""
    body = canonical(document)
    name = digest_bytes(body)
    await promotions.keep(session, name, kind, body.decode())
    return name


async def refresh(backend: Backend, number: int) -> None:
    """Read a pending promotion's facts anew, inspect it again, and move it on."""
    async with backend.database.transaction() as session:
        row = await promotions.get(session, number)
        if row is None or row.state not in PENDING:
            return
        body = await promotions.document(session, row.facts_digest)
        assert body is not None
        known = Facts.model_validate_json(body)
        asked = await _ask_for(session, row, backend.clock())
    facts = await gather(backend, asked, known)
    async with backend.database.transaction() as session:
        row = await promotions.get(session, number, lock=True)
        if row is None or row.state not in PENDING:
            return
        row.facts_digest = await keep_document(session, "facts", facts)
        row.facts_read_at = facts.tickets.read_at
        await advance(backend, session, row)


async def advance(backend: Backend, session: Session, row: PromotionRow) -> Sheet:
    """Inspect a locked pending promotion now, and clear, hold or depart it as its verdict says.

    The inspection that lets it depart is the one made in the same transaction.
    """
    now = backend.clock()
    await promotions.lock_environment(session, row.environment_id)
    grounds = await _with_present_estate(session, row, await grounds_of(session, row, now), now)
    sheet = grounds.sheet(now)
    before = Sheet.model_validate(row.sheet)
    row.sheet = sheet.plain()
    row.policy_id = grounds.policy_row.id
    soonest = row.facts_read_at + timedelta(seconds=backend.refresh)
    row.due_at = max(now + timedelta(seconds=0.2), min(sheet.next_change() or soonest, soonest))
    state = row.state
    if state == State.WAITING and sheet.verdict is Verdict.CLEARED:
        row.state = State.CLEARED
        await record_on(session, ENGINE, "clear", f"Cleared {what(row)}.", row, grounds, sheet)
    elif state == State.CLEARED and sheet.verdict is not Verdict.CLEARED:
        row.state = State.WAITING
        says = f"Held {what(row)} again. {sheet.sentence}"
        await record_on(session, ENGINE, "hold", says, row, grounds, sheet)
    if row.state == State.CLEARED and row.environment.departs == "at once":
        occupied = await promotions.moving(session, row.service_id, row.environment_id)
        if occupied is None:
            row.state, row.departed_at = State.MOVING, now
            await record_on(session, ENGINE, "depart", f"{what(row)} departed.", row, grounds, sheet)
    if row.state != state or _differs(before, sheet):
        row.changed_at = now
        await announce(session, kind="promotion", promotion=row.number)
    await session.flush()
    return sheet


async def _with_present_estate(
    session: Session, row: PromotionRow, grounds: Grounds, now: datetime
) -> Grounds:
    """The same grounds with what our own record says now: what runs, what moves, what landed before."""
    asked = await _ask_for(session, row, now)
    present = {
        "leg_before": asked.leg_before,
        "runs": asked.runs,
        "traffic": asked.traffic,
        "people": asked.people,
        "groups": asked.groups,
    }
    facts = grounds.facts.model_copy(update=present)
    if facts != grounds.facts:
        row.facts_digest = await keep_document(session, "facts", facts)
    return replace(grounds, facts=facts)


async def _ask_for(session: Session, row: PromotionRow, now: datetime) -> Asked:
    return await ask(
        session,
        row.release.service,
        row.release,
        version=row.release.version,
        revision=row.release.revision,
        artifacts=artifacts_of(row.release),
        environment=row.environment_id,
        requester=row.requester_id,
        requested_at=row.requested_at,
        note=row.note,
        at=now,
    )


def what(row: PromotionRow) -> str:
    """A promotion in words: `Leak watch 4.2.0 into Live north`."""
    return f"{row.release.service.title} {row.release.version} into {row.environment.title}"


async def record_on(
    session: Session,
    actor: Actor,
    action: str,
    says: str,
    row: PromotionRow,
    grounds: Grounds,
    sheet: Sheet,
    *,
    reason: str = "",
) -> None:
    """Record a decision together with everything it was decided on, each stored under its digest."""
    await keep_document(session, "decisions", grounds.decisions)
    on = {
        "policy": sheet.policy,
        "facts": sheet.facts,
        "decisions": sheet.decisions,
        "sheet": await keep_document(session, "sheet", sheet),
    }
    details = {"verdict": sheet.verdict.value, "state": str(row.state)}
    if action == "clear":
        names = [grounds.facts.name_of(s.taken_by) for s in sheet.seats() if s.taken_by]
        if names:
            details["seats"] = listed(names)
    await record(session, actor, action, says, sheet.at, promotion=row, reason=reason, on=on, details=details)


def _differs(before: Sheet, after: Sheet) -> bool:
    """Whether anything but the passing of time is different."""

    def gist(sheet: Sheet) -> object:
        return (
            sheet.verdict,
            sheet.sentence,
            [(f.rule, f.outcome, f.seats) for f in sheet.findings],
            sheet.shown,
        )

    return gist(before) != gist(after)
