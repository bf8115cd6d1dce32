"""Writing to each other about a promotion."""

import pytest
from tests.world import World

from dogana.core.errors import ForbiddenError, InvalidError, NotFoundError
from dogana.demo.cast import ACTORS
from dogana.service.promotions import comments
from dogana.service.views import desk


async def asked_of(world: World, who: str) -> list[str]:
    seen = await desk.desk(world.backend, ACTORS[who])
    return [f"{one.by.name}: {one.text}" for one in seen.questions]


async def test_who_is_named_is_asked_until_they_do_something_there(world: World):
    """On their Desk and nobody else's; the words stand in the ledger."""
    row = await world.waiting()
    await comments.comment(world.backend, ACTORS["henrik"], row.number, "Is this safe, @Ilse Brandt?")
    await comments.comment(world.backend, ACTORS["henrik"], row.number, "mail: a@ilsebrandt.example")
    assert await asked_of(world, "ilse") == ["Henrik Solberg: Is this safe, @Ilse Brandt?"]
    assert await asked_of(world, "priya") == []
    entry = (await world.dossier(row.number)).course[-2]
    assert (entry.action, entry.reason) == ("comment", "Is this safe, @Ilse Brandt?")
    assert entry.says.startswith("Henrik Solberg wrote to Ilse Brandt about Taps portal 1.2.0")
    await comments.comment(world.backend, ACTORS["ilse"], row.number, "It is, @henrik.")
    assert await asked_of(world, "ilse") == []
    assert len(await asked_of(world, "henrik")) == 1
    await world.approve(row.number, "henrik")
    assert await asked_of(world, "henrik") == []


async def test_what_is_refused(world: World):
    """Nothing said, nowhere to say it, nobody who may."""
    row = await world.waiting()
    with pytest.raises(InvalidError):
        await comments.comment(world.backend, ACTORS["ilse"], row.number, "  \n")
    with pytest.raises(NotFoundError):
        await comments.comment(world.backend, ACTORS["ilse"], 99, "Hello?")
    with pytest.raises(ForbiddenError):
        await comments.comment(world.backend, ACTORS["wanjiru"], row.number, "I only read.")
