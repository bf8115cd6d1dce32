"""Who may do what, and who sits for which group."""

import pytest
from tests.world import World

from dogana.core.errors import ForbiddenError, InvalidError, SignedOutError
from dogana.demo.simulate import ACTORS
from dogana.service import accounts, decisions, membership, reading
from dogana.service.access import Role
from dogana.service.membership import Group, Member

DARIO = ACTORS["dario"]
ZOE = Member(
    name="Zoe Zander",
    email="zoe@corvale.example",
    roles=(Role.APPROVER,),
    groups=("release-desk",),
    password="long enough to keep",
)


async def test_somebody_new_signs_in_and_may_take_the_seats_of_their_group(world: World):
    row = await world.waiting()
    await membership.keep_person(world.backend, DARIO, "zoe", ZOE)
    signed_in = await accounts.sign_in(world.backend, "zoe@corvale.example", "long enough to keep")
    await world.refresh(row.number)
    assert (await reading.dossier(world.backend, signed_in.actor, row.number)).mine.may_approve
    entry = (await reading.ledger_page(world.backend, DARIO, reading.Wanted(), 1)).entries[0]
    assert entry.says == "Dario Conti set up Zoe Zander as approver, of release desk."
    assert "password" not in str(entry.details)


async def test_who_leaves_a_group_loses_its_seat(world: World):
    """Also one taken before: the approval counts for nobody's seat any more."""
    row = await world.waiting()
    await membership.keep_person(world.backend, DARIO, "zoe", ZOE)
    zoe = (await accounts.sign_in(world.backend, "zoe@corvale.example", "long enough to keep")).actor
    await world.refresh(row.number)
    file = await reading.dossier(world.backend, zoe, row.number)
    await decisions.approve(world.backend, zoe, row.number, shown=file.mine.shown, comment="")
    moved = ZOE.model_copy(update={"groups": (), "password": None})
    await membership.keep_person(world.backend, DARIO, "zoe", moved)
    seats = (await world.refresh(row.number)).row.seats
    assert [seat.taken_by for seat in seats] == [None, None]
    await accounts.sign_in(world.backend, "zoe@corvale.example", "long enough to keep")


@pytest.mark.parametrize(
    ("name", "change", "place"),
    [
        ("zoe", {"password": None}, "/password"),
        ("zoe", {"email": "Ilse@corvale.example"}, "/email"),
        ("zoe", {"groups": ("nobody",)}, "/groups/0"),
        ("dario", {"roles": (Role.AUDITOR,)}, "/roles"),
    ],
)
async def test_what_cannot_be_is_refused_at_its_field(world: World, name: str, change: dict, place: str):
    with pytest.raises(InvalidError) as caught:
        await membership.keep_person(world.backend, DARIO, name, ZOE.model_copy(update=change))
    assert [where for where, _ in caught.value.fields] == [place]
    with pytest.raises(SignedOutError):
        await accounts.sign_in(world.backend, "zoe@corvale.example", "long enough to keep")


async def test_groups_are_set_up_by_administrators_alone(world: World):
    await membership.keep_group(world.backend, DARIO, "divers", Group(title="divers"))
    assert "divers" in [one.id for one in await membership.groups(world.backend, DARIO)]
    with pytest.raises(ForbiddenError):
        await membership.keep_group(world.backend, ACTORS["ilse"], "divers", Group(title="friends"))
