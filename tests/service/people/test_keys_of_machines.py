"""What lets one act as a machine is handed out by two: tokens, and what signs events."""

import pytest
from tests.world import World

from dogana.core.errors import ConflictError, InvalidError, RefusedError, SignedOutError, UnknownNameError
from dogana.demo.cast import ACTORS
from dogana.service.configuration import proposals
from dogana.service.exchange import parties
from dogana.service.people import leaving, tokens
from dogana.store import people

DARIO, MARCO, CHIARA = (ACTORS[who] for who in ("dario", "marco", "chiara"))


def wanted(**changes) -> tokens.NewToken:
    given = {"person": "pipeline", "title": "ci", "scopes": ("deploy",), "days": 9}
    return tokens.NewToken(**given | changes)


async def signs(world: World, name: str = "builder") -> tuple[str | None, str | None]:
    """Whose events a sender's are, and what signs them."""
    async with world.backend.database.transaction() as session:
        secret = await parties.opened(world.backend, session, "sender", name)
    return next((one.person.id for one in await parties.senders(world.backend, DARIO)), None), secret


async def sends(world: World, **changes) -> parties.MadeSender:
    given = {"title": "Builder", "person": "pipeline", "binary": False} | changes
    return await parties.set_sender(world.backend, DARIO, "builder", **given)


async def test_a_key_of_a_machine_opens_nothing_before_somebody_else_confirmed_it(world: World):
    """Its text is told to who asked, and is good for nothing until then; dropped, it never will be."""
    made = await tokens.make_token(world.backend, DARIO, wanted())
    assert (made.waits is not None, made.id) == (True, None)
    with pytest.raises(SignedOutError):
        await tokens.actor_by_token(world.backend, made.token)
    with pytest.raises(RefusedError):
        await proposals.confirm(world.backend, DARIO, made.waits or 0)
    with pytest.raises(ConflictError):
        await tokens.make_token(world.backend, DARIO, wanted(title="another"))
    await proposals.confirm(world.backend, MARCO, made.waits or 0)
    assert (await tokens.actor_by_token(world.backend, made.token)).id == "pipeline"
    other = await tokens.make_token(world.backend, DARIO, wanted(title="another"))
    await proposals.drop(world.backend, MARCO, other.waits or 0)
    with pytest.raises(SignedOutError):
        await tokens.actor_by_token(world.backend, other.token)
    # One's own, which acts as nobody else, takes nobody.
    own = await tokens.make_token(world.backend, MARCO, wanted(person=None, scopes=("read",)))
    assert own.waits is None


async def test_a_token_for_what_is_no_machine_any_more_is_not_confirmed(world: World):
    """Nor one for more than the machine may do by now; only what was made is left."""
    made = await tokens.make_token(world.backend, DARIO, wanted())
    async with world.backend.database.transaction() as session:
        (await people.person(session, "pipeline")).roles = []
    with pytest.raises(InvalidError):
        await proposals.confirm(world.backend, MARCO, made.waits or 0)
    await leaving.remove_person(world.backend, DARIO, "pipeline")
    with pytest.raises(UnknownNameError):
        await proposals.confirm(world.backend, MARCO, made.waits or 0)
    assert await tokens.tokens(world.backend, DARIO) == []


async def test_nobody_signs_as_a_machine_with_a_secret_of_their_own_making(world: World):
    """A new sender, another secret, another machine, unsigned attributes: each waits; a title does not."""
    first = await sends(world)
    assert (first.waits is not None, await signs(world)) == (True, (None, None))
    await proposals.confirm(world.backend, CHIARA, first.waits or 0)
    assert await signs(world) == ("pipeline", first.secret)
    renamed = await sends(world, title="The builder", secret=first.secret)
    assert renamed.waits is None
    for change in ({}, {"secret": first.secret, "binary": True}):
        asked = await sends(world, **change)
        assert asked.waits is not None
        assert await signs(world) == ("pipeline", first.secret)
        await proposals.drop(world.backend, DARIO, asked.waits)
    again = await sends(world)
    await sends(world, title="Builder", secret=first.secret)
    with pytest.raises(ConflictError, match="has changed since"):
        await proposals.confirm(world.backend, CHIARA, again.waits or 0)
    await parties.drop_sender(world.backend, DARIO, "builder")
    assert await signs(world) == (None, None)
