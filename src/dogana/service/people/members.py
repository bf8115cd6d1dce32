"""Who may do what, and who sits for which group: asked for by an administrator, confirmed by another."""

from typing import Annotated, Any

from pydantic import Field, StringConstraints

from dogana.core.change import as_compared
from dogana.core.document import Document, Slug
from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.record.actions import Action
from dogana.core.words import listed
from dogana.service import dual_control
from dogana.service.actor import Actor, Right, Role
from dogana.service.backend import Backend
from dogana.service.dual_control import ALONE, CONFIRMED, ProposedChange, in_entry
from dogana.service.ledger.entries import record
from dogana.service.people import passwords
from dogana.service.people.passwords import Invited
from dogana.service.shapes import ChangeOutcome, Named
from dogana.service.stepping_up import must_be_fresh
from dogana.store import Session, people, schedule
from dogana.store.database import announce, hold
from dogana.store.tables.people import GroupRow, PersonRow

Name = Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[^\x00-\x1f]*$")]

Address = Annotated[
    str, StringConstraints(strip_whitespace=True, max_length=200, pattern=r"^[^@\s\x00]+@[^@\s\x00]+$")
]

_OF_MACHINES = frozenset({Role.REQUESTER, Role.AUDITOR})


class Member(Document):
    """Somebody, with what they may do and for whom they sit."""

    name: Name
    email: Address
    roles: tuple[Role, ...] = Field(min_length=1, max_length=5)
    other_emails: tuple[Address, ...] = Field(default=(), max_length=50)
    """By which else they write commits; whoever wrote part of a change may not decide on it."""
    groups: tuple[Slug, ...] = Field(default=(), max_length=50)
    machine: bool = False
    """A pipeline or the like: acts by tokens that administrators make, never signs in, never decides."""


class Group(Document):
    """People who may take the same seats."""

    title: Name


async def groups(backend: Backend, actor: Actor) -> list[Named]:
    """Every group, by id."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [Named(id=row.id, name=row.title) for row in await people.groups(session)]


async def all_members(backend: Backend, actor: Actor) -> dict[str, Member]:
    """Everybody by id, as they were set up."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return {row.id: as_kept(row) for row in await people.people(session)}


async def keep_group(backend: Backend, actor: Actor, name: str, wanted: Group) -> None:
    """Set up a group, or call it otherwise."""
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        row = await session.get(GroupRow, name)
        old = {"title": row.title} if row else None
        if row is None:
            row = GroupRow(id=name)
            session.add(row)
        row.title, row.retired_at = wanted.title, None
        details = {"group": name, "old": old, "new": {"title": wanted.title}}
        await _say(backend, session, actor, f"{actor.name} set up the group {wanted.title}.", details)


async def keep_person(backend: Backend, actor: Actor, name: str, wanted: Member) -> ChangeOutcome:
    """Set up somebody, or change them; but for their name it takes a second person, where there is one.

    Raises:
        InvalidError: for an unknown group, an address that is somebody else's, nobody left to administer, or
            a machine that would decide.
        ConflictError: while another change of theirs waits.
    """
    actor.must(Right.ADMINISTER)
    must_be_fresh(backend, actor, tokens=True)
    new = plain(wanted)
    async with backend.database.transaction() as session:
        await hold(session, "people held")
        row = await people.person(session, name)
        await _must_be_sound(backend, session, name, wanted)
        old = _as_kept(row) if row else None
        if old is not None and {**old, "name": ""} == {**new, "name": ""}:
            await _apply(backend, session, actor, name, old, new, how="")
            return ChangeOutcome()
        title = (
            f"{wanted.name} as {listed(list(new['roles']))}" if old is None else f"a change of {old['name']}"
        )
        change = ProposedChange(kind="person", subject=name, title=title, old=old, new=new)
        waits = await dual_control.ask(backend, session, actor, change)
        if waits is not None:
            return ChangeOutcome(waits=waits)
        await _apply(backend, session, actor, name, old, new, how=ALONE)
        return outcome_of(await _invited(backend, session, actor, name, old, new), alone=True)


def outcome_of(invited: Invited | None, *, alone: bool = False) -> ChangeOutcome:
    """What came of a change, by which somebody may have been invited to choose a password."""
    secret = invited.secret if invited else None
    return ChangeOutcome(alone=alone, invitation=secret, mailed=invited is not None and secret is None)


async def confirmed(
    backend: Backend, session: Session, actor: Actor, change: ProposedChange
) -> Invited | None:
    """Make a change of a person that was confirmed; gives the invitation of somebody new.

    Raises:
        ConflictError: when they are not as they were any more.
    """
    await hold(session, "people held")
    row = await people.person(session, change.subject)
    wanted = Member.model_validate(change.new)
    await _must_be_sound(backend, session, change.subject, wanted)
    dual_control.must_be_as_it_was(_as_kept(row) if row else None, change)
    new = plain(wanted)
    await _apply(backend, session, actor, change.subject, change.old, new, how=CONFIRMED)
    return await _invited(backend, session, actor, change.subject, change.old, new)


async def _invited(
    backend: Backend,
    session: Session,
    actor: Actor,
    name: str,
    old: dict[str, Any] | None,
    new: dict[str, Any],
) -> Invited | None:
    """The invitation of somebody new, who has yet to choose a password; a machine has none."""
    if old is not None or new["machine"]:
        return None
    return await passwords.invite(backend, session, actor, name)


async def invite(backend: Backend, actor: Actor, name: str) -> ChangeOutcome:
    """Have somebody choose another password; they are mailed it, or whoever confirms it hands it over.

    Raises:
        NotFoundError: for nobody, or a machine.
        ConflictError: while another invitation of theirs waits.
    """
    actor.must(Right.ADMINISTER)
    must_be_fresh(backend, actor, tokens=True)
    async with backend.database.transaction() as session:
        row = await people.person(session, name)
        if row is None or row.machine:
            raise NotFoundError("There is nobody of that name who signs in.")
        title = f"an invitation for {row.name} to choose a password"
        change = ProposedChange(kind="invitation", subject=name, title=title, old=None, new=None)
        waits = await dual_control.ask(backend, session, actor, change)
        if waits is not None:
            return ChangeOutcome(waits=waits)
        says = f"{actor.name} made {title}.{ALONE}"
        await _say(backend, session, actor, says, in_entry(change))
        return outcome_of(await passwords.invite(backend, session, actor, name), alone=True)


async def invited(backend: Backend, session: Session, actor: Actor, change: ProposedChange) -> Invited:
    """The invitation that was confirmed."""
    return await passwords.invite(backend, session, actor, change.subject)


async def end_access(backend: Backend, actor: Actor, name: str) -> None:
    """End every session and token of somebody at once, as when a machine of theirs is lost.

    Raises:
        NotFoundError: for nobody.
    """
    actor.must(Right.ADMINISTER)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await people.person(session, name)
        if row is None:
            raise NotFoundError("There is nobody of that name.")
        await people.end_access(session, name, now)
        says = f"{actor.name} ended every session and token of {row.name}."
        record(session, actor, Action.END_ACCESS, says, now, details={"person": name})
        announce(session, "access")


async def add(backend: Backend, session: Session, name: str, wanted: Member) -> PersonRow:
    """Put somebody new in the database, without a password.

    Raises:
        InvalidError: for an unknown group, or an address that is somebody else's.
    """
    await _must_be_sound(backend, session, name, wanted)
    return await _put(session, name, plain(wanted))


async def as_directory_says(
    backend: Backend, session: Session, actor: Actor, name: str, wanted: Member
) -> PersonRow:
    """Somebody as their directory has them, set up where they are not yet; what changes is on record.

    Raises:
        InvalidError: for an unknown group, an address that is somebody else's, or where nobody would be left
            to administer.
    """
    row = await people.person(session, name)
    old, new = _as_kept(row) if row is not None else None, plain(wanted)
    if row is not None and old == new:
        return row
    await _must_be_sound(backend, session, name, wanted)
    return await _apply(backend, session, actor, name, old, new, how=" The directory says so.")


def as_kept(row: PersonRow) -> Member:
    """Somebody as they are set up."""
    return Member.model_validate(_as_kept(row))


async def _apply(
    backend: Backend,
    session: Session,
    actor: Actor,
    name: str,
    old: dict[str, Any] | None,
    new: dict[str, Any],
    *,
    how: str,
) -> PersonRow:
    row = await _put(session, name, new)
    if old is not None and (old["roles"], old["machine"]) != (new["roles"], new["machine"]):
        await people.end_access(session, name, backend.clock())
        announce(session, "access")
    titles = [group.title for group in row.groups]
    sits = f", of {listed(titles)}" if titles else ""
    says = f"{actor.name} set up {row.name} as {listed(row.roles)}{sits}.{how}"
    await _say(backend, session, actor, says, {"person": name, "old": old, "new": new})
    if old is not None and as_compared(old["email"]) != as_compared(new["email"]):
        says = f"{actor.name} changed the mail address of {row.name}."
        details = {"person": name, "old": old["email"], "new": new["email"]}
        record(session, actor, Action.CHANGE_ADDRESS, says, backend.clock(), details=details)
    return row


async def _put(session: Session, name: str, new: dict[str, Any]) -> PersonRow:
    known = {group.id: group for group in await people.groups(session)}
    row = await people.person(session, name)
    if row is None:
        row = PersonRow(id=name, groups=[], password_hash="")
        session.add(row)
    row.name, row.email, row.roles, row.machine = new["name"], new["email"], new["roles"], new["machine"]
    row.other_emails = new["other_emails"]
    row.groups = [known[group] for group in new["groups"]]
    return row


def plain(wanted: Member) -> dict[str, Any]:
    """Somebody as entries and proposals keep them."""
    return {
        "name": wanted.name,
        "email": wanted.email,
        "roles": sorted({role.value for role in wanted.roles}),
        "other_emails": sorted({as_compared(one) for one in wanted.other_emails}),
        "groups": sorted(set(wanted.groups)),
        "machine": wanted.machine,
    }


def _as_kept(row: PersonRow) -> dict[str, Any]:
    return {
        "name": row.name,
        "email": row.email,
        "roles": sorted(row.roles),
        "other_emails": sorted(row.other_emails),
        "groups": sorted(group.id for group in row.groups),
        "machine": row.machine,
    }


async def _must_be_sound(backend: Backend, session: Session, name: str, wanted: Member) -> None:
    everybody = {person.id: person for person in await people.people(session)}
    known = {group.id for group in await people.groups(session)}
    faults = [(f"/groups/{n}", "unknown") for n, group in enumerate(wanted.groups) if group not in known]
    taken = {
        as_compared(one)
        for person in everybody.values()
        if person.id != name
        for one in (person.email, *person.other_emails)
    }
    if as_compared(wanted.email) in taken:
        faults.append(("/email", "is somebody else's"))
    faults += [
        (f"/other_emails/{n}", "is somebody else's")
        for n, one in enumerate(wanted.other_emails)
        if as_compared(one) in taken
    ]
    if wanted.machine and not {*wanted.roles} <= _OF_MACHINES:
        faults.append(("/roles", "a machine requests, deploys and reads; it does nothing else"))
    administrators = {
        one.id for one in everybody.values() if Role.ADMINISTRATOR in one.roles and backend.lets_in(one)
    }
    if Role.ADMINISTRATOR not in wanted.roles and administrators == {name}:
        faults.append(("/roles", "nobody would be left to administer"))
    if faults:
        raise InvalidError("They cannot be set up like this.", fields=faults)


async def _say(backend: Backend, session: Session, actor: Actor, says: str, details: dict[str, Any]) -> None:
    now = backend.clock()
    record(session, actor, Action.SET_UP, says, now, details=details)
    schedule.inspection(session, now)
    announce(session, "people")
