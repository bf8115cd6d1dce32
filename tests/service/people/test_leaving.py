"""Who leaves: out at once, seats and tokens with them; and in again by two."""

import asyncio
from dataclasses import replace
from datetime import timedelta

import pytest
from tests.service.people.test_members import CHOSEN, HERE, newcomer
from tests.world import World, directory_at

from dogana.core.errors import ConflictError, NotFoundError, RefusedError, SignedOutError
from dogana.demo.cast import ACTORS
from dogana.service.configuration import proposals
from dogana.service.people import leaving, members, passwords, sessions, tokens
from dogana.service.people.members import Group

DARIO, MARCO = ACTORS["dario"], ACTORS["marco"]


async def test_somebody_disabled_is_out_at_once(world: World):
    """Session, token, password, invitation and seats; what they did stays theirs."""
    row = await world.waiting()
    zoe = await newcomer(world)
    token = await world.token(zoe.actor, title="t", scopes=("read",), days=1)
    await world.refresh(row.number)
    removed = await leaving.remove_person(world.backend, DARIO, "zoe")
    assert removed.how == "disabled"
    for fails in (
        sessions.session_of(world.backend, zoe.session_token),
        tokens.actor_by_token(world.backend, token),
        sessions.sign_in(world.backend, "zoe@corvale.example", CHOSEN, HERE),
    ):
        with pytest.raises(SignedOutError):
            await fails
    (one,) = [one for one in await sessions.everybody(world.backend, DARIO) if one.id == "zoe"]
    assert one.disabled_at is not None
    with pytest.raises(NotFoundError):
        await leaving.remove_person(world.backend, DARIO, "zoe")


async def test_a_seat_that_was_taken_counts_no_more(world: World):
    """An approval of somebody who is disabled while it waits."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    await leaving.remove_person(world.backend, DARIO, "ilse")
    file = await world.refresh(row.number)
    seats = {seat.label: seat.taken_by for seat in file.row.seats}
    assert all(taken is None for taken in seats.values()), seats


async def test_nobody_is_left_alone(world: World):
    """Oneself, and the last administrator."""
    with pytest.raises(RefusedError, match="Somebody else"):
        await leaving.remove_person(world.backend, DARIO, "dario")
    other = DARIO.__class__(id="other", name="Other", rights=DARIO.rights, channel="desk")
    with pytest.raises(ConflictError, match="left to administer"):
        await leaving.remove_person(world.backend, other, "dario")


async def test_of_two_who_disable_each_other_at_once_one_is_left(world: World):
    """Or who take the role from each other: each found the other there still."""
    wanted = members.Member(name="Zoe", email="z@corvale.example", roles=("administrator",))
    await world.set_up("zoe", wanted)
    zoe = DARIO.__class__(id="zoe", name="Zoe", rights=DARIO.rights, channel="desk")
    came = await asyncio.gather(
        leaving.remove_person(world.backend, DARIO, "zoe"),
        leaving.remove_person(world.backend, zoe, "dario"),
        return_exceptions=True,
    )
    refused = [str(one) for one in came if isinstance(one, BaseException)]
    assert refused == ["Nobody would be left to administer."]


async def test_nobody_gets_round_a_second_person_by_disabling_them(world: World):
    """For a week, in which they will have noticed; while others could confirm it, those are asked."""
    other = members.Member(name="Olga", email="olga@corvale.example", roles=("administrator", "approver"))
    everybody = await sessions.everybody(world.backend, DARIO)
    confirm = {one.id for one in everybody if {"administrator", "policy owner"} & set(one.roles)} - {"dario"}
    for name in sorted(confirm - {"marco"}):
        await leaving.remove_person(world.backend, DARIO, name)
    assert (await members.keep_person(world.backend, DARIO, "olga", other)).waits is not None
    await leaving.remove_person(world.backend, DARIO, "marco")
    olaf = other.model_copy(update={"email": "olaf@corvale.example"})
    for days in (0, 6):
        world.clock.now += timedelta(days=days)
        with pytest.raises(ConflictError, match="nobody makes it alone before"):
            await members.keep_person(world.backend, DARIO, "olaf", olaf)
    world.clock.now += timedelta(days=1)
    assert (await members.keep_person(world.backend, DARIO, "olaf", olaf)).alone


async def test_who_could_confirm_is_not_deleted(world: World):
    """Though they never came in: they could, by the invitation that they hold or at the directory."""
    wanted = members.Member(name="Zoe", email="z@corvale.example", roles=("administrator",))
    await world.set_up("zoe", wanted)
    world.backend = replace(world.backend, directory=directory_at(world))
    assert (await leaving.remove_person(world.backend, DARIO, "zoe")).how == "disabled"


async def test_who_never_chose_a_password_is_nobody_left_to_administer(world: World):
    """Else the house would be locked, with its key inside."""
    wanted = members.Member(name="Zoe", email="z@corvale.example", roles=("administrator",))
    await world.set_up("zoe", wanted)
    other = DARIO.__class__(id="other", name="Other", rights=DARIO.rights, channel="desk")
    with pytest.raises(ConflictError, match="left to administer"):
        await leaving.remove_person(world.backend, other, "dario")


async def test_in_again_takes_two(world: World):
    """One asks, another confirms; the password that they had is theirs again."""
    await newcomer(world)
    await leaving.remove_person(world.backend, DARIO, "zoe")
    asked = await leaving.enable(world.backend, DARIO, "zoe")
    with pytest.raises(SignedOutError):
        await sessions.sign_in(world.backend, "zoe@corvale.example", CHOSEN, HERE)
    await proposals.confirm(world.backend, MARCO, asked.waits or 0)
    assert (await sessions.sign_in(world.backend, "zoe@corvale.example", CHOSEN, HERE)).person.id == "zoe"
    with pytest.raises(NotFoundError):
        await leaving.enable(world.backend, DARIO, "zoe")


async def test_somebody_set_up_by_mistake_goes(world: World):
    """Who never came in, and did nothing that is on record; their invitation with them."""
    wanted = members.Member(name="Zoe", email="z@corvale.example", roles=("auditor",))
    invitation = (await world.set_up("zoe", wanted)).invitation
    assert (await leaving.remove_person(world.backend, DARIO, "zoe")).how == "deleted"
    with pytest.raises(SignedOutError):
        await passwords.accept(world.backend, invitation or "", CHOSEN, address="192.0.2.1")
    assert "zoe" not in {one.id for one in await sessions.everybody(world.backend, DARIO)}


async def test_a_group_goes_once_nothing_needs_it(world: World):
    """People, policies in force or drafted, services: each is named."""
    with pytest.raises(ConflictError) as refused:
        await leaving.remove_group(world.backend, DARIO, "test-leads")
    assert "the policy of rehearsal" in refused.value.detail
    assert "Henrik" in refused.value.detail
    await members.keep_group(world.backend, DARIO, "divers", Group(title="Divers"))
    assert (await leaving.remove_group(world.backend, DARIO, "divers")).how == "deleted"
    with pytest.raises(NotFoundError):
        await leaving.remove_group(world.backend, DARIO, "divers")
