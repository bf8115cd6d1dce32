"""Who leaves, and groups that are over: disabled at once; gone where nothing on record refers to them."""

from datetime import datetime

from dogana.core.errors import ConflictError, NotFoundError, RefusedError
from dogana.core.policy.document import policy_of
from dogana.core.record.actions import Action
from dogana.core.words import listed
from dogana.service import dual_control
from dogana.service.actor import Actor, Right, Role
from dogana.service.backend import Backend
from dogana.service.dual_control import ALONE, ProposedChange, could_confirm, in_entry
from dogana.service.landscape.retiring import Removed
from dogana.service.ledger.entries import record
from dogana.service.shapes import ChangeOutcome
from dogana.service.stepping_up import must_be_fresh
from dogana.store import Session, directory, landscape, people, policies, removal, schedule
from dogana.store.database import announce, hold
from dogana.store.tables.people import PersonRow


async def remove_person(backend: Backend, actor: Actor, name: str) -> Removed:
    """Disable somebody at once, with every session, token and invitation; delete them if they did nothing.

    Nobody else has to agree: it takes rights away and gives none. Seats wait for them no more.

    Raises:
        NotFoundError: for nobody, or somebody who is disabled already.
        RefusedError: for oneself.
        ConflictError: when nobody would be left to administer.
    """
    actor.must(Right.ADMINISTER)
    if name == actor.id:
        raise RefusedError("Somebody else has to disable you.")
    async with backend.database.transaction() as session:
        # Two who disabled each other at once would each find the other one left.
        await hold(session, "people held")
        row = await people.person(session, name)
        if row is None or row.disabled_at is not None:
            raise NotFoundError("There is nobody of that name.")
        await _must_leave_an_administrator(backend, session, name)
        now, called = backend.clock(), row.name
        # In the order in which whoever accepts an invitation takes them.
        await people.drop_invitations(session, name)
        await people.lock(session, name)
        # Whom the directory keeps it would only set up anew; who could have confirmed is missed for a while.
        kept = await directory.of_person(session, name) is not None or could_confirm(backend, row, "person")
        if kept or not await removal.person_went(session, row):
            await _disable(backend, session, actor, name, called, "")
            return Removed(how="disabled")
        says = f"{actor.name} deleted {called}; whatever they had signed in with has ended."
        record(session, actor, Action.DELETE, says, now, details={"person": name})
        _announce(session, now)
        return Removed(how="deleted")


async def disabled_by_directory(backend: Backend, session: Session, actor: Actor, row: PersonRow) -> None:
    """Disable somebody at once because their directory has them no more.

    Raises:
        ConflictError: when nobody would be left to administer.
    """
    await _must_leave_an_administrator(backend, session, row.id)
    await people.drop_invitations(session, row.id)
    await people.lock(session, row.id)
    await _disable(backend, session, actor, row.id, row.name, " The directory says so.")


async def _must_leave_an_administrator(backend: Backend, session: Session, name: str) -> None:
    left = [
        one
        for one in await people.people(session)
        if Role.ADMINISTRATOR in one.roles and backend.lets_in(one) and one.id != name
    ]
    if not left:
        raise ConflictError("Nobody would be left to administer.")


async def _disable(
    backend: Backend, session: Session, actor: Actor, name: str, called: str, how: str
) -> None:
    now = backend.clock()
    await people.end_access(session, name, now)
    await people.disable(session, name, now)
    says = f"{actor.name} disabled {called}; whatever they had signed in with has ended.{how}"
    record(session, actor, Action.DISABLE, says, now, details={"person": name})
    _announce(session, now)


def _announce(session: Session, now: datetime) -> None:
    """That seats wait for somebody no more, and what they had open has ended."""
    schedule.inspection(session, now)
    announce(session, "people")
    announce(session, "access")


async def enabled_by_directory(backend: Backend, session: Session, actor: Actor, row: PersonRow) -> None:
    """Let somebody in again because their directory has them again."""
    row.disabled_at = None
    now = backend.clock()
    says = f"{actor.name} let {row.name} in again. The directory says so."
    record(session, actor, Action.ENABLE, says, now, details={"person": row.id})
    _announce(session, now)


async def enable(backend: Backend, actor: Actor, name: str) -> ChangeOutcome:
    """Let somebody in again who was disabled; it takes a second person, where there is one.

    Raises:
        NotFoundError: for nobody who is disabled.
        ConflictError: while another change of theirs waits.
    """
    actor.must(Right.ADMINISTER)
    must_be_fresh(backend, actor, tokens=True)
    async with backend.database.transaction() as session:
        row = await _disabled(session, name)
        title = f"to let {row.name} in again"
        change = ProposedChange(kind="enabling", subject=name, title=title, old=None, new=None)
        waits = await dual_control.ask(backend, session, actor, change)
        if waits is not None:
            return ChangeOutcome(waits=waits)
        await enabled(backend, session, change)
        says = f"{actor.name} let {row.name} in again.{ALONE}"
        record(session, actor, Action.ENABLE, says, backend.clock(), details=in_entry(change))
        announce(session, "people")
        return ChangeOutcome(alone=True)


async def enabled(backend: Backend, session: Session, change: ProposedChange) -> None:
    """Let somebody in again, as it was confirmed."""
    await hold(session, "people held")
    row = await _disabled(session, change.subject)
    row.disabled_at = None
    schedule.inspection(session, backend.clock())


async def _disabled(session: Session, name: str) -> PersonRow:
    row = await people.person(session, name)
    if row is None or row.disabled_at is None:
        raise NotFoundError("There is nobody of that name who is disabled.")
    return row


async def remove_group(backend: Backend, actor: Actor, name: str) -> Removed:
    """Take a group away that nobody belongs to and nothing names.

    Raises:
        NotFoundError: when there is none, or it was retired.
        ConflictError: while people, policies, services or environments need it.
    """
    actor.must(Right.ADMINISTER)
    now = backend.clock()
    async with backend.database.transaction() as session:
        await hold(session, "policies held")
        row = next((one for one in await people.groups(session) if one.id == name), None)
        if row is None:
            raise NotFoundError(f"There is no group {name}.")
        needed = await _needs_group(backend, session, name)
        if needed:
            raise ConflictError(f"{row.title} is needed by {listed(needed)}; change that first.")
        deleted = await removal.went(session, row)
        if not deleted:
            row.retired_at = now
        says = f"{actor.name} {'deleted' if deleted else 'retired'} the group {row.title}."
        action = Action.DELETE if deleted else Action.RETIRE
        record(session, actor, action, says, now, details={"group": name})
        announce(session, "people")
        return Removed(how="deleted" if deleted else "retired")


async def _needs_group(backend: Backend, session: Session, name: str) -> list[str]:
    needs = [
        one.name
        for one in await people.people(session)
        if one.disabled_at is None and name in {group.id for group in one.groups}
    ]
    latest = (await policies.latest_everywhere(session)).values()
    rows = (*await policies.in_force_or_coming(session, backend.clock()), *latest)
    named = {row.environment_id for row in rows if _names_group(row.document, name)}
    needs += [f"the policy of {environment}" for environment in sorted(named)]
    needs += [one.title for one in await landscape.services(session) if one.group_id == name]
    needs += [
        one.title
        for one in await landscape.environments(session)
        if one.deployers and name in one.deployers.get("groups", ())
    ]
    needs += [
        one.title
        for one in await landscape.routes(session)
        if one.lets_in and one.lets_in.get("waivable") == name
    ]
    return needs


def _names_group(document: str, name: str) -> bool:
    policy = policy_of(document)
    named = {group for _, group in policy.groups()}
    named |= {one.name for rule in policy.rules for one in rule.refers_to() if one.kind == "group"}
    return name in named
