"""The first administrator, made by whoever runs the server: nobody is there yet who could be asked."""

from dogana.core.errors import ConflictError
from dogana.core.record.actions import Action
from dogana.core.words import listed
from dogana.service.actor import ENGINE, Role
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.people import members, passwords
from dogana.service.people.members import Member
from dogana.store import people
from dogana.store.database import announce, hold


async def found(
    backend: Backend, name: str, wanted: Member, password: str | None, *, in_need: bool
) -> str | None:
    """Make an administrator from the server's own command line; the ledger says that it was so.

    Args:
        backend: the outside.
        name: their id.
        wanted: who they are.
        password: what they sign in with; an invitation is made where None.
        in_need: make them although there are administrators, as when none of those can sign in any more.

    Returns:
        The invitation, where no password was given.

    Raises:
        ConflictError: when there is an administrator already, or somebody of that id.
        InvalidError: when they cannot be set up like this.
    """
    hashed = await backend.hashing.hash(password) if password is not None else ""
    async with backend.database.transaction() as session:
        await hold(session, "people held")
        there = [
            one.name
            for one in await people.people(session)
            if Role.ADMINISTRATOR in one.roles and backend.lets_in(one)
        ]
        if there and not in_need:
            raise ConflictError(
                f"{listed(there)} can already administer: they add people in Set-up. If none of them can "
                "sign in any more, say --in-need; it stands on record."
            )
        if await people.person(session, name) is not None:
            raise ConflictError(f"There is somebody called {name} already.")
        row = await members.add(backend, session, name, wanted)
        row.password_hash = hashed
        now = backend.clock()
        need = ", although there are administrators" if there else ""
        says = f"{wanted.name} was made an administrator by a command on the server{need}."
        record(
            session, ENGINE, Action.SET_UP, says, now, details={"person": name, "new": members.plain(wanted)}
        )
        announce(session, "people")
        return await passwords.make_invitation(backend, session, name) if password is None else None
