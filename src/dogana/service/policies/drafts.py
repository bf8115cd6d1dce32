"""Drafting and adopting policies."""

from datetime import datetime
from typing import Any

from dogana.core.errors import (
    ConflictError,
    InvalidError,
    InvalidPolicyError,
    MovedOnError,
    NotFoundError,
    OwnDraftError,
    RefusedError,
    UnknownNameError,
)
from dogana.core.policy.document import Policy, PolicyError, policy_of, read_policy
from dogana.core.policy.inheritance import loosened
from dogana.core.record.actions import Action
from dogana.core.record.canonical import canonical
from dogana.core.words import listed, when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.dual_control import still_stands
from dogana.service.ledger.entries import record
from dogana.service.policies.in_force import heirs_from
from dogana.service.stepping_up import must_be_fresh
from dogana.store import Session, calendars, exchange, landscape, people, policies, schedule
from dogana.store.database import announce, hold
from dogana.store.tables.landscape import EnvironmentRow
from dogana.store.tables.policies import PolicyRow

_MOST_COMING = 10
"""How many versions of a policy may be adopted for later: each inspection looks ahead under all of them."""
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
    await _keeps_to_baseline(session, environment, policy, now)
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
        MovedOnError: when it was adopted or let be, or one drafted later was adopted.
        ConflictError: when too many are to come already.
        InvalidPolicyError: when it names what is gone since, would be laxer than its baseline, or an heir
            laxer than it, then or later.
        OwnDraftError: for its author.
        RefusedError: where its author could not draft it any more.
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
        await hold(session, "policies held")
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
        if not await still_stands(session, row.author_id, Right.WRITE_POLICY):
            raise RefusedError("Who drafted it could not any more; draft it anew.")
        newer = await policies.adopted_after(session, environment, version)
        if newer is not None:
            raise MovedOnError(f"Version {newer}, drafted later, was adopted already; draft this anew.")
        policy = policy_of(row.document)
        await _names_known(session, policy)
        await _keeps_to_baseline(session, environment, policy, start)
        refusals = await against_heirs(session, environment, policy, start)
        if refusals:
            raise InvalidPolicyError(refusals[0], fields=[("", one) for one in refusals])
        before = await policies.in_force(session, environment, now)
        if start == now and before is not None and before.in_force_from is not None:
            # The clock may have gone back since that one was adopted; this one comes after it all the same.
            start = now = max(now, before.in_force_from)
        later = await _when_it_holds(session, target, start, now)
        row.adopter_id, row.in_force_from, row.started = actor.id, start, start == now
        says = f"{actor.name} adopted version {version} of the policy of {target.title}{later}."
        on = {"policy": row.digest}
        record(session, actor, Action.ADOPT, says, now, environment=environment, reason=reason, on=on)
        concerned = None if target.departs == "never" else environment
        schedule.inspection(session, now, environment=concerned)
        announce(session, "policy")
    return row


async def _when_it_holds(session: Session, target: EnvironmentRow, start: datetime, now: datetime) -> str:
    """From when on, and until when another takes its place, to go on after what is adopted.

    Raises:
        ConflictError: when too many are to come already.
    """
    coming = await policies.coming(session, now, target.id)
    if start > now and len(coming) >= _MOST_COMING:
        raise ConflictError(f"{len(coming)} versions are to come there already, which is as many as may be.")
    says = "" if start == now else f", in force from {when(start, target.zone)}"
    for one in coming:
        if one.in_force_from is not None and one.in_force_from > start:
            return (
                f"{says}, until version {one.version} takes its place {when(one.in_force_from, target.zone)}"
            )
    return says


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


async def may_return(session: Session, environment: EnvironmentRow, at: datetime) -> None:
    """Check the policy of an environment that was retired: its baseline may ask for more since.

    Raises:
        ConflictError: when it would be laxer than its baseline.
    """
    await hold(session, "policies held")
    row = await policies.in_force(session, environment.id, at)
    try:
        if row is not None:
            await _keeps_to_baseline(session, environment.id, policy_of(row.document), at)
    except InvalidPolicyError as exc:
        why = listed([reason for _, reason in exc.fields])
        raise ConflictError(
            f"{environment.title} would be back with a policy that is laxer than its baseline by now: {why}. "
            "Set it up under another name."
        ) from exc


async def _keeps_to_baseline(session: Session, environment: str, policy: Policy, at: datetime) -> None:
    """An heir adds and tightens, beside its baseline as it is and will be; each rule that loosens is named.

    Raises:
        InvalidPolicyError: when it does not keep to it.
    """
    name = policy.inherits
    if name is None:
        return
    if name == environment:
        raise InvalidPolicyError(fields=[("/inherits", "a policy cannot inherit from itself")])
    row = await policies.in_force(session, name, at)
    if row is None:
        raise InvalidPolicyError(fields=[("/inherits", f"no policy of {name} is in force")])
    for one in (row, *await policies.coming(session, at, name)):
        faults = loosened(policy_of(one.document), policy)
        if faults:
            raise InvalidPolicyError(fields=[(pointer, f"{why}{_from(one, at)}") for pointer, why in faults])


async def against_heirs(session: Session, environment: str, policy: Policy, at: datetime) -> list[str]:
    """Why a policy cannot be adopted for the sake of those that inherit from it, then or later; sentences.

    A baseline is not tightened beyond an heir that would then be laxer: the heir goes first. Nor does it come
    to inherit itself: what it has from elsewhere its heirs would lose.
    """
    titles = {one.id: one.title for one in await landscape.environments(session)}
    found = [one for one in await heirs_from(session, environment, at) if one[0].environment_id in titles]
    if found and policy.inherits is not None:
        by = listed(sorted({titles[row.environment_id] for row, _ in found}))
        return [f"{by} would lose what this inherits; let it inherit from nothing."]
    return [
        f"The policy of {titles[row.environment_id]} would be laxer than this{_from(row, at)}: {why}. "
        "Change that one first."
        for row, heir in found
        for _, why in loosened(policy, heir)
    ]


def _from(row: PolicyRow, at: datetime) -> str:
    """Since when a version is what something is held against, where that is later."""
    start = row.in_force_from
    if row.started or start is None or start <= at:
        return ""
    return f", from {when(start, policy_of(row.document).zone)}"


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
