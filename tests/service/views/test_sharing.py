"""How a promotion stands, for whoever has the address: to an end, and without a name or a reason in it."""

from datetime import timedelta

import pytest
from tests.world import World

from dogana.core.errors import ForbiddenError, InvalidError, NotFoundError
from dogana.demo.cast import ACTORS, CAST
from dogana.service.promotions import decisions
from dogana.service.views import sharing


async def test_an_address_shows_how_it_stands_until_it_ends(world: World):
    """Made, used and ended by whoever writes here; on record."""
    row = await world.waiting()
    noor, number = ACTORS["noor"], row.number
    made = await sharing.make(world.backend, noor, number, hours=4)
    page = await sharing.look(world.backend, made.token)
    assert (page.about, page.state) == ("Taps portal 1.2.0 into Rehearsal", "waiting")
    assert page.sentence.startswith("Waits for two seats")
    assert [(one.by.name, one.ends_at) for one in await sharing.addresses(world.backend, noor, number)] == [
        ("Noor Haddad", made.ends_at)
    ]
    world.clock.now += timedelta(hours=4)
    with pytest.raises(NotFoundError, match="good no longer"):
        await sharing.look(world.backend, made.token)
    other = await sharing.make(world.backend, noor, number, hours=720)
    await sharing.end(world.backend, ACTORS["ilse"], number)
    for token in (other.token, "x" * 43, ""):
        with pytest.raises(NotFoundError):
            await sharing.look(world.backend, token)
    with pytest.raises(NotFoundError, match="no address"):
        await sharing.end(world.backend, noor, number)
    assert (await world.actions(number))[-3:] == ["share status", "share status", "end shared"]


async def test_it_names_nobody_and_says_no_reason(world: World):
    """Neither what was changed, nor by whom, nor why it was turned back."""
    row = await world.waiting()
    made = await sharing.make(world.backend, ACTORS["noor"], row.number, hours=4)
    await world.approve(row.number, "ilse")
    told = [(await sharing.look(world.backend, made.token)).model_dump_json()]
    file = await world.dossier(row.number, "henrik")
    await decisions.turn_back(
        world.backend, ACTORS["henrik"], row.number, shown=file.mine.shown, comment="the pumps of Via Roma"
    )
    told.append((await sharing.look(world.backend, made.token)).model_dump_json())
    for page in told:
        for hidden in (*(one.name for one in CAST), "TAPS-2", "Via Roma", file.change.value.revision):
            assert hidden not in page
    assert "turned back" in told[1]


async def test_who_only_reads_shares_nothing_and_nobody_for_longer_than_thirty_days(world: World):
    row = await world.ask()
    with pytest.raises(ForbiddenError):
        await sharing.make(world.backend, ACTORS["wanjiru"], row.number, hours=4)
    for hours in (0, -1, 721):
        with pytest.raises(InvalidError):
            await sharing.make(world.backend, ACTORS["noor"], row.number, hours=hours)
    with pytest.raises(NotFoundError):
        await sharing.make(world.backend, ACTORS["noor"], 999_999, hours=4)
