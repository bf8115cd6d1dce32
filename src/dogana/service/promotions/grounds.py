"""What a promotion is inspected on: the policy in force, what others said, and what our own record says."""

from dataclasses import dataclass, replace
from datetime import datetime
from typing import cast

from pydantic import TypeAdapter

from dogana.core.change import Change, Origin
from dogana.core.decisions import Decision, Decisions
from dogana.core.document import InParts
from dogana.core.errors import ConflictError
from dogana.core.facts import (
    Facts,
    Landing,
    Place,
    PromotionKind,
    Reading,
)
from dogana.core.inspect.engine import case_of, inspect
from dogana.core.inspect.sheet import Sheet
from dogana.core.policy.document import Policy, policy_of
from dogana.core.record.canonical import canonical
from dogana.core.rollout import Plan
from dogana.core.routes import LetsIn
from dogana.core.rules.case import Case
from dogana.core.traffic import Prepared, RouteLimit, Sighting
from dogana.service.backend import Backend
from dogana.service.landscape.releases import artifacts_of
from dogana.service.landscape.stops import stop_of
from dogana.service.policies.in_force import InForce, in_force, next_policies
from dogana.service.promotions.outside_facts import Outside
from dogana.service.promotions.own_record import Landed, OnRecord, Record, Shared, There, Trouble, recorded
from dogana.store import Session, documents, landscape, promotions, sightings
from dogana.store import facts as on_record
from dogana.store.tables.landscape import EnvironmentRow, RouteRow
from dogana.store.tables.policies import PolicyRow
from dogana.store.tables.promotions import PENDING, PromotionRow


@dataclass(frozen=True, kw_only=True)
class Turns:
    """How often something was let into an environment, or it was closed, since an instant."""

    since: datetime
    count: int


@dataclass(frozen=True, kw_only=True)
class Grounds:
    """What one inspection is made from."""

    policy_row: PolicyRow
    policy: Policy
    facts: Facts
    decisions: Decisions
    turns: Turns | None = None
    """What others had done in its environment when our record was read; None where nobody does meanwhile."""

    def sheet(self, at: datetime) -> Sheet:
        """Inspect."""
        return inspect(self.policy, self.facts, self.decisions, at)

    def case(self, sheet: Sheet) -> Case:
        """What the rules were asked about for a sheet."""
        return case_of(self.policy, self.facts, self.decisions, sheet.at)

    def said(self, decision: Decision) -> "Grounds":
        """The same with one more word spoken."""
        made = (*self.decisions.made, decision)
        return replace(self, decisions=Decisions(made=made, earlier=self.decisions.earlier))

    def under(self, policy: Policy) -> "Grounds":
        """The same if another policy came into force now: this one would be an earlier one."""
        made = self.decisions.made
        texts = {**self.decisions.earlier, self.policy.digest: canonical(self.policy).decode()}
        others = {one.shown.policy for one in made} - {policy.digest}
        earlier = {digest: text for digest, text in texts.items() if digest in others}
        return replace(self, policy=policy, decisions=Decisions(made=made, earlier=earlier))

    def may_have_part(self, person: str) -> bool:
        """Whether somebody asked for it or may have written part of it: anybody, where that is not known."""
        return self.facts.has_part(person) is not False


_DECISIONS = TypeAdapter(tuple[Decision, ...])


async def present(
    backend: Backend,
    session: Session,
    row: PromotionRow,
    outside: Outside,
    read: OnRecord | None = None,
    holds: InForce | None = None,
) -> Grounds:
    """What a promotion is inspected on now: our own record as it is, and what others said when asked.

    Args:
        backend: the clock.
        session: the transaction.
        row: the promotion.
        outside: what the outside systems said.
        read: what our record says of it, and of others; read where None.
        holds: the policy in force; looked for where None.
    """
    now = backend.clock()
    read = read or await recorded(backend, session, [row.number])
    there, record = read.there(row.environment_id), read.of(row.number)
    limit = await _route_limit(session, row, outside.origin)
    facts = facts_of(row, outside, read.common, there, record, limit)
    holds = holds or await in_force(session, row.environment, now)
    following = await next_policies(session, holds, read.common.coming, now)
    if following:
        facts = facts.model_copy(update={"next_policies": following})
    if holds.policy.looks_at_what_runs():
        facts = facts.model_copy(update={"sightings": await _sightings(session, row)})
    grounds = await grounds_on(session, holds, facts, record.decisions)
    return replace(grounds, turns=Turns(since=read.lately, count=there.turns))


async def _sightings(session: Session, row: PromotionRow) -> tuple[Sighting, ...]:
    """What is seen to run in the target and in the leg before, and where nobody ever looked."""
    seen = await sightings.of_service(session, row.service_id)
    places = [*stop_of(row).before(), row.environment]
    return tuple(
        Sighting(environment=place.id, title=place.title, **seen.get(place.id, {})) for place in places
    )


async def facts_text(session: Session, row: PromotionRow) -> str | None:
    """The text of the facts that a promotion was last inspected on; None before it ever was."""
    if row.state in PENDING:
        found = await promotions.with_facts(session, row.number)
        return found.facts if found is not None else None
    digest = row.facts_digest or ""
    return (await documents.facts(session, {digest})).get(digest)


async def change_inspected(session: Session, row: PromotionRow) -> Change | None:
    """The change that a promotion was last inspected on; None while it is not known."""
    text = await facts_text(session, row)
    return as_far_as_asked(text).change.value if text else None


_IN_PARTS = InParts(Facts)


def as_far_as_asked(text: str) -> Facts:
    """Facts that were kept, of which only what is looked at is read."""
    return _IN_PARTS.read(text)


def facts_inspected(row: PromotionRow, text: str | None) -> Facts:
    """The facts that a promotion was last inspected on.

    Raises:
        ConflictError: when it never was.
    """
    return Facts.model_validate_json(_must_be(row, text))


def _must_be(row: PromotionRow, text: str | None) -> str:
    if text is None:
        raise ConflictError(f"Promotion {row.number} has not been inspected yet.")
    return text


def last_said(row: PromotionRow, text: str | None) -> Outside:
    """What the outside systems said when a promotion was last inspected; `text` is of its facts.

    Raises:
        ConflictError: when it never was.
    """
    return Outside.known(as_far_as_asked(_must_be(row, text)))


async def grounds_on(session: Session, holds: InForce, facts: Facts, made: tuple[Decision, ...]) -> Grounds:
    """Grounds of a policy, facts, and words, with the earlier policies that those were spoken under."""
    others = {one.shown.policy for one in made} - {holds.policy.digest}
    earlier = await documents.texts(session, others)
    return Grounds(
        policy_row=holds.row,
        policy=holds.policy,
        facts=facts,
        decisions=Decisions(made=made, earlier=earlier),
    )


def facts_of(
    row: PromotionRow,
    outside: Outside,
    common: Shared,
    there: There,
    record: Record,
    limit: RouteLimit | None = None,
) -> Facts:
    """All facts about a promotion: what others said when they were asked, and our own record."""
    here, service = row.environment, row.release.service
    return Facts(
        number=row.number,
        service=service.id,
        version=row.release.version,
        repository=service.repository,
        paths=tuple(service.paths) or None,
        target=Place(id=here.id, title=here.title, zone=here.zone),
        route=row.route.id,
        kind=cast("PromotionKind", row.kind),
        requester=row.requester_id,
        requested_at=row.requested_at,
        not_before=row.not_before,
        artifacts=artifacts_of(row.release),
        plan=Plan.model_validate(row.plan) if row.plan else None,
        route_limit=limit,
        closed_now=there.closed_now,
        prepared=_prepared(row, common),
        change=outside.change,
        origin=outside.origin,
        tickets=outside.tickets,
        key_forms=outside.key_forms,
        monitors=outside.monitors,
        evidence=record.evidence,
        checks=record.checks or None,
        waiting=tuple(other for other in record.waiting if other.number != row.number),
        leg_before=_leg_before(row, record),
        runs=there.runs,
        services={name: common.services[name] for name in {service.id} | there.services},
        traffic=there.traffic,
        calendars=common.calendars,
        late_calendars=common.late_calendars or None,
        stand_ins=common.stand_ins,
        people=common.people,
        groups=common.groups,
    )


def _leg_before(row: PromotionRow, record: Record) -> tuple[Landing, ...]:
    """What happened to the release in each environment of the leg before."""
    before = stop_of(row).before()
    landed = {one.environment: one for one in record.landings}
    troubles = {one.environment: one for one in record.troubles}
    if row.kind == "rollback" and before and not any(one.id in landed for one in before):
        # What came by an urgent route never was in the leg before; it goes back to where it has run itself.
        before = [row.environment]
    return tuple(_landing(other, landed.get(other.id), troubles.get(other.id)) for other in before)


def _landing(environment: EnvironmentRow, landed: Landed | None, trouble: Trouble | None) -> Landing:
    """What happened in one; healthy since nothing is known to have gone wrong there, if it is over."""
    if landed is None:
        return Landing(environment=environment.id, title=environment.title)
    healthy_since: datetime | None = landed.landed_at
    if trouble is not None:
        over = trouble.over_at or landed.landed_at
        healthy_since = None if trouble.on else max(landed.landed_at, over)
    if landed.issues is not None:
        healthy_since = None
    return Landing(
        environment=environment.id,
        title=environment.title,
        landed_at=landed.landed_at,
        healthy_since=healthy_since,
        replaced_at=landed.replaced_at,
        confirmed_at=landed.confirmed_at,
        issues=landed.issues,
        artifacts=landed.artifacts,
    )


async def _route_limit(
    session: Session, row: PromotionRow, origin: Reading[Origin] | None
) -> RouteLimit | None:
    """What an urgent route says of a release now; nothing of one that goes back."""
    if row.route.lets_in is None or row.kind == "rollback":
        return None
    lets_in = LetsIn.model_validate(row.route.lets_in)
    read = origin.value if origin is not None else None
    unknown = None
    if lets_in.branches and read is None:
        unknown = (origin.unknown if origin is not None else None) or "its branches were not read"
    runs = await running_at_end(session, row.route, row.service_id)
    against = lets_in.against(
        row.release.version, runs, read.branches if read else (), known=read is not None
    )
    return RouteLimit(
        route=row.route.title,
        against=against,
        unknown=None if against else unknown,
        waivable=lets_in.waivable,
    )


async def running_at_end(session: Session, route: RouteRow, service: str) -> list[str]:
    """Which versions of a service run where a route ends."""
    ends = max(leg.position for leg in route.legs)
    last = [leg.environment_id for leg in route.legs if leg.position == ends]
    there = [await landscape.running_everywhere(session, one) for one in last]
    return sorted({one[service] for one in there if service in one})


def _prepared(row: PromotionRow, common: Shared) -> Prepared | None:
    if row.prepared_at is None:
        return None
    by = row.prepared_by_id or "its deployer"
    return Prepared(at=row.prepared_at, by=common.names.get(by, by))


async def sheet_of(session: Session, row: PromotionRow) -> Sheet:
    """What a promotion was decided on last.

    Raises:
        ConflictError: when that is not kept.
    """
    if row.sheet is not None:
        return Sheet.model_validate(row.sheet)
    digest = row.sheet_digest or ""
    text = (await documents.texts(session, {digest})).get(digest)
    if text is None:
        raise ConflictError(f"What promotion {row.number} was decided on is not kept.")
    return Sheet.model_validate_json(text)


async def decided_on(session: Session, row: PromotionRow, sheet: Sheet) -> Grounds:
    """What a promotion that waits no longer was decided on, with the policy that held then.

    Raises:
        ConflictError: when that policy is not kept.
    """
    facts = facts_inspected(row, await facts_text(session, row))
    made = _DECISIONS.validate_json(await on_record.decisions(session, row.number))
    text = (await documents.texts(session, {sheet.policy})).get(sheet.policy)
    if text is None:
        raise ConflictError(f"The policy that promotion {row.number} was decided on is not kept.")
    holds = InForce(row=await session.get_one(PolicyRow, row.policy_id), policy=policy_of(text))
    return await grounds_on(session, holds, facts, made)


async def kept(session: Session, row: PromotionRow, at: datetime) -> Grounds:
    """What a promotion was inspected on last.

    Raises:
        ConflictError: when it never was.
    """
    facts = facts_inspected(row, await facts_text(session, row))
    made = _DECISIONS.validate_json(await on_record.decisions(session, row.number))
    return await grounds_on(session, await in_force(session, row.environment, at), facts, made)
