"""Drafting and adopting policies."""

from datetime import datetime
from typing import Any

from dogana.core.errors import (
    InvalidError,
    InvalidPolicyError,
    MovedOnError,
    NotFoundError,
    OwnDraftError,
    UnknownNameError,
)
from dogana.core.policy.document import Policy, PolicyError, policy_of, read_policy
from dogana.core.policy.inheritance import loosened
from dogana.core.record.actions import Action
from dogana.core.record.canonical import canonical
from dogana.core.words import when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.policies.in_force import heirs
from dogana.service.stepping_up import must_be_fresh
from dogana.store import Session, calendars, exchange, landscape, people, policies, schedule
from dogana.store.database import announce
from dogana.store.tables.landscape import EnvironmentRow
from dogana.store.tables.policies import PolicyRow

_READ_HERE = 2000
"""How long a document may be, in characters, to be read at once."""

_MISSING = {
    "group": "there is no group",
    "person": "there is nobody called",
    "calendar": "there is no calendar",
    "sender": "there is no sender of events",
}


async def draft(
    backend: Backend, actor: Actor, environment: str, document: str | dict[str, Any]
) -> PolicyRow:
    """Write a new version; it is in force only once somebody else has adopted it.

    Args:
        backend: the outside.
        actor: the author.
        environment: which environment it guards.
        document: plain values, or YAML or JSON text.

    Raises:
        InvalidPolicyError: with the pointer and reason of every fault.
        UnknownNameError: for an unknown environment.
    """
    actor.must(Right.WRITE_POLICY)
    now, policy = backend.clock(), await read(backend, document)
    async with backend.database.transaction() as session:
        target = await checked(session, environment, policy, now)
        number = await policies.next_version(session, environment)
        row = PolicyRow(
            environment_id=environment,
            version=number,
            digest=policy.digest,
            document=canonical(policy).decode(),
            written=document if isinstance(document, str) else None,
            author_id=actor.id,
            drafted_at=now,
        )
        session.add(row)
        says = f"{actor.name} drafted version {number} of the policy of {target.title}."
        on = {"policy": row.digest}
        record(session, actor, Action.DRAFT, says, now, environment=environment, on=on)
    return row


async def read(backend: Backend, document: str | dict[str, Any]) -> Policy:
    """A document as a policy; a long one is read beside the event loop.

    Raises:
        InvalidPolicyError: with the pointer and reason of every fault, of fifty at most.
        TooMuchError: when reading it takes too long, or too much memory.
    """
    try:
        if len(document if isinstance(document, str) else str(document)) <= _READ_HERE:
            return read_policy(document)
        return await backend.pool.run(read_policy, document)
    except PolicyError as exc:
        raise InvalidPolicyError(fields=exc.faults) from exc


async def checked(session: Session, environment: str, policy: Policy, now: datetime) -> EnvironmentRow:
    """The environment whose policy a document could be.

    Raises:
        InvalidPolicyError: with the pointer and reason of every fault.
        UnknownNameError: for an unknown environment.
    """
    target = await landscape.environment(session, environment)
    if target is None or target.removed_at is not None:
        raise UnknownNameError(f"There is no environment {environment}.")
    await _names_known(session, policy)
    await _keeps_to_baseline(session, policy, now)
    return target


async def adopt(
    backend: Backend,
    actor: Actor,
    environment: str,
    version: int,
    *,
    reason: str,
    in_force_from: datetime | None = None,
) -> PolicyRow:
    """Put a draft in force, by a second person: from now on, or from a later instant.

    Raises:
        NotFoundError: when there is no such version.
        InvalidError: for an instant that has passed.
        MovedOnError: when it is in force or was, or a later one is.
        OwnDraftError: for its author.
    """
    actor.must(Right.ADOPT_POLICY)
    must_be_fresh(backend, actor)
    now = backend.clock()
    start = now if in_force_from is None else in_force_from
    if start < now:
        raise InvalidError(
            "A policy comes into force now or later.", fields=[("/in_force_from", "has passed")]
        )
    async with backend.database.transaction() as session:
        row = await policies.version(session, environment, version, lock=True)
        target = await landscape.environment(session, environment)
        if row is None or target is None:
            raise NotFoundError(f"There is no version {version} of a policy of {environment}.")
        if row.dropped_at is not None:
            raise MovedOnError(f"Version {version} was let be; draft it anew.")
        if row.in_force_from is not None:
            raise MovedOnError(f"Version {version} has been adopted already.")
        if row.author_id == actor.id:
            raise OwnDraftError
        policy = policy_of(row.document)
        await _keeps_to_baseline(session, policy, now)
        await _heirs_keep_to(session, environment, policy, now)
        before = await policies.in_force(session, environment, now)
        if start == now and before is not None and before.in_force_from is not None:
            # The clock may have gone back since that one was adopted; this one comes after it all the same.
            start = now = max(now, before.in_force_from)
        row.adopter_id, row.in_force_from, row.started = actor.id, start, start == now
        later = "" if start == now else f", in force from {when(start, target.zone)}"
        says = f"{actor.name} adopted version {version} of the policy of {target.title}{later}."
        on = {"policy": row.digest}
        record(session, actor, Action.ADOPT, says, now, environment=environment, reason=reason, on=on)
        concerned = None if target.departs == "never" else environment
        schedule.inspection(session, now, environment=concerned)
        announce(session, "policy")
    return row


async def drop(backend: Backend, actor: Actor, environment: str, version: int) -> None:
    """Let a draft be that nobody has adopted; its number is not given again.

    Raises:
        NotFoundError: when there is no such version.
        MovedOnError: when it was adopted, or let be already.
    """
    actor.must(Right.WRITE_POLICY)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await policies.version(session, environment, version, lock=True)
        target = await landscape.environment(session, environment)
        if row is None or target is None:
            raise NotFoundError(f"There is no version {version} of a policy of {environment}.")
        if row.in_force_from is not None or row.dropped_at is not None:
            raise MovedOnError(f"Version {version} is no draft any more.")
        row.dropped_at = now
        says = f"{actor.name} let version {version} of the policy of {target.title} be."
        on = {"policy": row.digest}
        record(session, actor, Action.DROP_DRAFT, says, now, environment=environment, on=on)
        announce(session, "policy")


async def begin_due(backend: Backend) -> None:
    """Keep of every version whose time has come that it is in force."""
    async with backend.database.transaction() as session:
        await policies.begin_due(session, backend.clock())


async def _keeps_to_baseline(session: Session, policy: Policy, at: datetime) -> None:
    """An heir adds and tightens; where it loosens, every such rule is named."""
    if policy.inherits is None:
        return
    row = await policies.in_force(session, policy.inherits, at)
    if row is None:
        raise InvalidPolicyError(fields=[("/inherits", f"no policy of {policy.inherits} is in force")])
    baseline = policy_of(row.document)
    if baseline.inherits is not None:
        raise InvalidPolicyError(fields=[("/inherits", f"{policy.inherits} is an heir itself")])
    faults = loosened(baseline, policy)
    if faults:
        raise InvalidPolicyError(fields=faults)


async def _heirs_keep_to(session: Session, name: str, baseline: Policy, at: datetime) -> None:
    """A baseline is not tightened beyond an heir that would then be laxer: the heir goes first."""
    for environment, heir in (await heirs(session, name, at)).items():
        faults = loosened(baseline, heir)
        if faults:
            raise InvalidPolicyError(
                f"The policy of {environment} would be laxer than this; change it first.", fields=faults
            )


async def _names_known(session: Session, policy: Policy) -> None:
    """Groups and people a policy names must exist, or a seat could never be taken."""
    groups = {group.id for group in await people.groups(session)}
    everybody = {person.id for person in await people.people(session)}
    senders = {one.id for one in await exchange.senders(session)}
    there = {"group": groups, "person": everybody, "calendar": set(await calendars.calendars(session))}
    there |= {"sender": senders}
    faults = [
        (pointer, f"{_MISSING['group']} {name}") for pointer, name in policy.groups() if name not in groups
    ]
    faults += [
        (f"/rules/{n}{one.pointer}", f"{_MISSING[one.kind]} {one.name}")
        for n, rule in enumerate(policy.rules)
        for one in rule.refers_to()
        if one.name not in there[one.kind]
    ]
    if faults:
        raise InvalidPolicyError(fields=faults)
