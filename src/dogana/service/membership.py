"""Who may do what, and who sits for which group: set by administrators, each change an entry."""

from typing import Annotated, Any

from pydantic import Field, StringConstraints

from dogana.core.change import as_compared
from dogana.core.document import Document, Slug
from dogana.core.errors import InvalidError
from dogana.core.words import listed
from dogana.service.access import Actor, Right, Role
from dogana.service.accounts import hash_password
from dogana.service.backend import Backend
from dogana.service.record import record
from dogana.service.views import Named
from dogana.store import Session, accounts, promotions
from dogana.store.database import announce
from dogana.store.tables import GroupRow, PersonRow

Name = Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[^\x00-\x1f]*$")]
Address = Annotated[
    str, StringConstraints(strip_whitespace=True, max_length=200, pattern=r"^[^@\s\x00]+@[^@\s\x00]+$")
]
Password = Annotated[str, StringConstraints(min_length=12, max_length=200, pattern=r"^[^\x00]*$")]


class Member(Document):
    """Somebody, with what they may do and for whom they sit."""

    name: Name
    email: Address
    roles: tuple[Role, ...] = Field(min_length=1, max_length=5)
    other_emails: tuple[Address, ...] = Field(default=(), max_length=50)
    """By which else they write commits; whoever wrote part of a change may not decide on it."""
    groups: tuple[Slug, ...] = Field(default=(), max_length=50)
    password: Password | None = None
    """A first password, or another one; None leaves the one there is."""


class Group(Document):
    """People who may take the same seats."""

    title: Name


async def groups(backend: Backend, actor: Actor) -> list[Named]:
    """Every group, by id."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        return [Named(id=row.id, name=row.title) for row in await accounts.groups(session)]


async def keep_group(backend: Backend, actor: Actor, name: str, wanted: Group) -> None:
    """Set up a group, or call it otherwise."""
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        row = await session.get(GroupRow, name)
        if row is None:
            row = GroupRow(id=name)
            session.add(row)
        row.title = wanted.title
        await _say(backend, session, actor, f"{actor.name} set up the group {wanted.title}.", {"group": name})


async def keep_person(backend: Backend, actor: Actor, name: str, wanted: Member) -> None:
    """Set up somebody, or change what they may do and for whom they sit; seats they hold are looked at anew.

    Raises:
        InvalidError: for an unknown group, an address that is somebody else's, nobody left to administer, or
            somebody new without a password.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        people = {person.id: person for person in await accounts.people(session)}
        known = {group.id: group for group in await accounts.groups(session)}
        row = people.get(name)
        _must_be_sound(name, wanted, people, known.keys())
        if row is None:
            row = PersonRow(id=name, groups=[], password_hash="")
            session.add(row)
        row.name, row.email, row.roles = wanted.name, wanted.email, [role.value for role in wanted.roles]
        row.other_emails = sorted({as_compared(one) for one in wanted.other_emails})
        row.groups = [known[group] for group in sorted(set(wanted.groups))]
        if wanted.password is not None:
            row.password_hash = hash_password(wanted.password)
        titles = [group.title for group in row.groups]
        sits = f", of {listed(titles)}" if titles else ""
        says = f"{actor.name} set up {wanted.name} as {listed(row.roles)}{sits}."
        details = {
            "person": name,
            "roles": row.roles,
            "groups": sorted(set(wanted.groups)),
            "addresses": [row.email, *row.other_emails],
        }
        await _say(backend, session, actor, says, details)


def _must_be_sound(name: str, wanted: Member, people: dict[str, PersonRow], known: Any) -> None:
    faults = [(f"/groups/{n}", "unknown") for n, group in enumerate(wanted.groups) if group not in known]
    taken = {
        as_compared(one)
        for person in people.values()
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
    if name not in people and wanted.password is None:
        faults.append(("/password", "needed for somebody new"))
    administrators = {p.id for p in people.values() if Role.ADMINISTRATOR in p.roles}
    if Role.ADMINISTRATOR not in wanted.roles and administrators == {name}:
        faults.append(("/roles", "nobody would be left to administer"))
    if faults:
        raise InvalidError("They cannot be set up like this.", fields=faults)


async def _say(backend: Backend, session: Session, actor: Actor, says: str, details: dict[str, Any]) -> None:
    now = backend.clock()
    await record(session, actor, "set up", says, now, details=details)
    await promotions.make_due(session, now)
    await announce(session, "people")
