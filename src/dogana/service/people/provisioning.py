"""What a directory keeps here by itself: its people and groups, and what they come to.

Each change is made whole, with everything that follows from it: who is set up, changed, disabled or let in
again. Changes wait for one another, so that what follows from them is always from all that was said.
"""

import asyncio
import re
import uuid
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, TypeVar

from pydantic import ValidationError

from dogana.core.change import as_compared
from dogana.core.errors import InvalidError, NotFoundError, TakenError
from dogana.core.record.actions import Action
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.people import leaving, members
from dogana.service.people.directory import comes_to
from dogana.service.people.members import Member
from dogana.store import Session, directory, people
from dogana.store.database import hold
from dogana.store.tables.directory import DirectoryGroupRow, DirectoryPersonRow
from dogana.store.tables.people import PersonRow

R = TypeVar("R", DirectoryPersonRow, DirectoryGroupRow)
MOST = 20_000
"""People, groups, and members of a group."""


@dataclass(frozen=True, kw_only=True)
class Kept:
    """Somebody, or a group, as the directory has it."""

    id: str
    document: dict[str, Any]
    created_at: datetime
    changed_at: datetime
    related: tuple[tuple[str, str], ...]
    """Of a person the groups, of a group the people: id and name of each."""


@dataclass(frozen=True, kw_only=True)
class PersonSaid:
    """What the directory says of somebody."""

    document: dict[str, Any]
    user_name: str
    name: str
    email: str | None
    active: bool


@dataclass(frozen=True, kw_only=True)
class GroupSaid:
    """What the directory says of a group."""

    document: dict[str, Any]
    name: str
    members: tuple[str, ...]
    """The people in it, by id."""


def key_of(name: str) -> str:
    """A name as names are compared: no two of the directory are alike but for their capitals."""
    return as_compared(name)


async def all_people(backend: Backend, actor: Actor, user_name: str | None = None) -> list[Kept]:
    """Everybody of the directory in the order in which they came, or who has a name alone."""
    actor.must(Right.PROVISION)
    async with backend.database.transaction() as session:
        key = None if user_name is None else key_of(user_name)
        rows = await directory.rows(session, DirectoryPersonRow, MOST, key)
        return await _people(session, rows)


async def all_groups(backend: Backend, actor: Actor, name: str | None = None) -> list[Kept]:
    """Every group of the directory, or the one of a name alone."""
    actor.must(Right.PROVISION)
    async with backend.database.transaction() as session:
        key = None if name is None else key_of(name)
        return await _groups(session, await directory.rows(session, DirectoryGroupRow, MOST, key))


async def person(backend: Backend, actor: Actor, name: str) -> Kept:
    """Somebody, by the id that we gave them.

    Raises:
        NotFoundError: for nobody.
    """
    actor.must(Right.PROVISION)
    async with backend.database.transaction() as session:
        return (await _people(session, [await _row(session, DirectoryPersonRow, name)]))[0]


async def group(backend: Backend, actor: Actor, name: str) -> Kept:
    """A group, by the id that we gave it.

    Raises:
        NotFoundError: for none.
    """
    actor.must(Right.PROVISION)
    async with backend.database.transaction() as session:
        return (await _groups(session, [await _row(session, DirectoryGroupRow, name)]))[0]


async def keep_person(
    backend: Backend, actor: Actor, name: str | None, change: Callable[[Kept | None], PersonSaid]
) -> Kept:
    """Take somebody in, or change them, with what follows from that.

    Args:
        backend: the outside.
        actor: the directory.
        name: the id of who is changed; None for somebody new.
        change: what is said of them now, from how they were kept; None for somebody new.

    Raises:
        NotFoundError: for nobody to change.
        TakenError: for a name that somebody else has.
        ConflictError: when nobody would be left to administer.
        InvalidError: for what cannot be.
    """
    actor.must(Right.PROVISION)
    now = backend.clock()
    async with backend.database.transaction() as session:
        await hold(session, "people held")
        row = await _row(session, DirectoryPersonRow, name) if name is not None else None
        before = (await _people(session, [row]))[0] if row is not None else None
        said = await asyncio.to_thread(change, before)
        await _must_be_free(session, DirectoryPersonRow, said.user_name, name)
        if row is None:
            await _must_have_room(session, DirectoryPersonRow)
            row = DirectoryPersonRow(id=str(uuid.uuid4()), created_at=now, document=said.document)
        await _follow(backend, session, actor, [row], lambda _: said)
        # People are locked before what the directory keeps of them.
        row.key, row.document, row.changed_at = key_of(said.user_name), said.document, now
        session.add(row)
        await session.flush()
        return (await _people(session, [row]))[0]


async def keep_group(
    backend: Backend,
    actor: Actor,
    name: str | None,
    change: Callable[[Kept | None], GroupSaid],
    read: Callable[[Kept], PersonSaid],
) -> Kept:
    """Take a group in, or change it, with what follows from that for who is or was in it.

    Args:
        backend: the outside.
        actor: the directory.
        name: the id of what is changed; None for a new group.
        change: what is said of it now, from how it was kept; None for a new one.
        read: what the directory says of somebody, from how they are kept.

    Raises:
        NotFoundError: for no group to change.
        TakenError: for a name that another has.
        ConflictError: when nobody would be left to administer.
        InvalidError: for members that are not there, or too many.
    """
    actor.must(Right.PROVISION)
    now = backend.clock()
    async with backend.database.transaction() as session:
        await hold(session, "people held")
        row = await _row(session, DirectoryGroupRow, name) if name is not None else None
        before = (await _groups(session, [row]))[0] if row is not None else None
        said = await asyncio.to_thread(change, before)
        await _must_be_free(session, DirectoryGroupRow, said.name, name)
        if row is None:
            await _must_have_room(session, DirectoryGroupRow)
            row = DirectoryGroupRow(id=str(uuid.uuid4()), created_at=now)
            session.add(row)
        row.key, row.document, row.changed_at = key_of(said.name), said.document, now
        await session.flush()
        were = {one for one, _ in before.related} if before is not None else set()
        wanted = {*said.members}
        known = await directory.by_ids(session, were | wanted)
        if not wanted <= known.keys() or len(wanted) > MOST:
            raise InvalidError("Some of its members are nobody's ids here; groups of groups are not taken.")
        await directory.set_members(session, row.id, wanted)
        await _follow(backend, session, actor, known.values(), read)
        return (await _groups(session, [row]))[0]


async def drop_person(backend: Backend, actor: Actor, name: str) -> None:
    """Let go of somebody; who they are here may not come in any more.

    Raises:
        NotFoundError: for nobody.
        ConflictError: when nobody would be left to administer.
    """
    actor.must(Right.PROVISION)
    async with backend.database.transaction() as session:
        await hold(session, "people held")
        row = await _row(session, DirectoryPersonRow, name)
        own = await people.person(session, row.person_id) if row.person_id else None
        if own is not None and own.disabled_at is None:
            await leaving.disabled_by_directory(backend, session, actor, own)
        await session.delete(row)


async def drop_group(backend: Backend, actor: Actor, name: str, read: Callable[[Kept], PersonSaid]) -> None:
    """Let go of a group, with what follows from that for who was in it.

    Raises:
        NotFoundError: for none.
        ConflictError: when nobody would be left to administer.
    """
    actor.must(Right.PROVISION)
    async with backend.database.transaction() as session:
        await hold(session, "people held")
        row = await _row(session, DirectoryGroupRow, name)
        were = [one for _, one in await directory.members(session, [row.id])]
        await session.delete(row)
        await session.flush()
        await _follow(backend, session, actor, were, read)


async def _follow(
    backend: Backend,
    session: Session,
    actor: Actor,
    some: Iterable[DirectoryPersonRow],
    read: Callable[[Kept], PersonSaid],
) -> None:
    """Have people here be what the directory says that they are, each read by itself: there may be many."""
    some = list(some)
    theirs: dict[str, list[str]] = defaultdict(list)
    for one, group_row in await directory.groups_of(session, [row.id for row in some]):
        theirs[one].append(str(group_row.document["displayName"]))
    came_to: list[tuple[DirectoryPersonRow, str | None, bool]] = []
    for row in some:
        said = read(_kept(row, []))
        own = await people.person(session, row.person_id) if row.person_id else None
        wanted = _member(backend, said, theirs[row.id], own)
        if wanted is None:
            leaves = own is not None and own.disabled_at is None
            if own is not None and leaves:
                await leaving.disabled_by_directory(backend, session, actor, own)
            came_to.append((row, row.person_id, bool(row.disabled) or leaves))
            continue
        if own is None and (own := await _linked(backend, session, actor, row, wanted.email)) is not None:
            wanted = wanted.model_copy(update={"other_emails": tuple(own.other_emails)})
        name = own.id if own is not None else await _new_id(session, said.user_name)
        own = await members.as_directory_says(backend, session, actor, name, wanted)
        if own.disabled_at is not None and row.disabled:
            await leaving.enabled_by_directory(backend, session, actor, own)
        came_to.append((row, own.id, False if own.disabled_at is None else bool(row.disabled)))
    await session.flush()
    for row, person_id, disabled in came_to:
        row.person_id, row.disabled = person_id, disabled


def _member(
    backend: Backend, said: PersonSaid, groups: Iterable[str], own: PersonRow | None
) -> Member | None:
    """Somebody as they are to be here; None where what the directory says of them comes to nothing.

    Raises:
        InvalidError: for a name or an address that nobody can have here.
    """
    roles, sits = comes_to(backend, groups)
    if not (said.active and roles and said.email):
        return None
    given = {"name": said.name, "email": said.email, "roles": roles, "groups": sits}
    other_emails = tuple(own.other_emails) if own is not None else ()
    try:
        return Member.model_validate(given | {"other_emails": other_emails})
    except ValidationError as exc:
        raise InvalidError(f"{said.user_name} has no name or address that can be used.") from exc


async def _linked(
    backend: Backend, session: Session, actor: Actor, row: DirectoryPersonRow, email: str
) -> PersonRow | None:
    """Who has that address here, unless they are somebody else in the directory already, or a machine."""
    found = await people.person_by_email(session, as_compared(email))
    if found is None or found.machine or await directory.of_person(session, found.id) is not None:
        return None
    says = f"{found.name} is kept by the directory from now on."
    details = {"person": found.id, "directory": row.id}
    record(session, actor, Action.LINK_ACCOUNT, says, backend.clock(), details=details)
    return found


async def _new_id(session: Session, user_name: str) -> str:
    """An id for somebody new, made of their name there."""
    plain = re.sub(r"[^a-z0-9]+", "-", user_name.partition("@")[0].casefold()).strip("-")[:40] or "person"
    taken = {one.id for one in await people.people(session)}
    others = (f"{plain}-{n}" for n in range(2, len(taken) + 3))
    return plain if plain not in taken else next(one for one in others if one not in taken)


async def _people(session: Session, rows: Sequence[DirectoryPersonRow]) -> list[Kept]:
    theirs: dict[str, list[tuple[str, str]]] = defaultdict(list)
    for one, found in await directory.groups_of(session, [row.id for row in rows]):
        theirs[one].append((found.id, str(found.document["displayName"])))
    return [_kept(row, theirs[row.id]) for row in rows]


async def _groups(session: Session, rows: Sequence[DirectoryGroupRow]) -> list[Kept]:
    theirs: dict[str, list[tuple[str, str]]] = defaultdict(list)
    for one, found in await directory.members(session, [row.id for row in rows]):
        theirs[one].append((found.id, str(found.document["userName"])))
    return [_kept(row, theirs[row.id]) for row in rows]


def _kept(row: DirectoryPersonRow | DirectoryGroupRow, related: list[tuple[str, str]]) -> Kept:
    return Kept(
        id=row.id,
        document=row.document,
        created_at=row.created_at,
        changed_at=row.changed_at,
        related=tuple(related),
    )


async def _row(session: Session, kind: type[R], name: str) -> R:
    row = await session.get(kind, name)
    if row is None:
        raise NotFoundError(f"There is nothing called {name}.")
    return row


async def _must_be_free(session: Session, kind: type[R], name: str, own: str | None) -> None:
    if any(one.id != own for one in await directory.rows(session, kind, 2, key_of(name))):
        raise TakenError(f"{name} is there already.")


async def _must_have_room(session: Session, kind: type[DirectoryPersonRow | DirectoryGroupRow]) -> None:
    if await directory.size(session, kind) >= MOST:
        raise InvalidError(f"At most {MOST} are kept.")
