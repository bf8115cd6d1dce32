"""Who may do what, and who sits for which group: one asks, another confirms."""

from functools import partial
from typing import Any

import pytest
from tests.world import World

from dogana.core.errors import (
    ConflictError,
    ForbiddenError,
    InvalidError,
    NotFoundError,
    RefusedError,
    SignedOutError,
)
from dogana.demo.cast import ACTORS
from dogana.service.actor import Role
from dogana.service.configuration import proposals
from dogana.service.people import members, passwords, sessions, tokens
from dogana.service.people.members import Group, Member
from dogana.service.people.sessions import Caller, SignedIn
from dogana.service.promotions import decisions
from dogana.service.views import dossier
from dogana.service.views import ledger as ledger_pages
from dogana.store import people as store
from dogana.store.ledger import EntryFilter

DARIO, MARCO, CHIARA = (ACTORS[who] for who in ("dario", "marco", "chiara"))
ZOE = Member(
    name="Zoe Zander",
    email="zoe@corvale.example",
    roles=(Role.APPROVER,),
    groups=("release-desk",),
)
CHOSEN = "long enough to keep"
HERE = Caller(address="192.0.2.1")


async def newcomer(world: World) -> SignedIn:
    invitation = (await world.set_up("zoe", ZOE)).invitation
    await passwords.accept(world.backend, invitation or "", CHOSEN, address="192.0.2.1")
    return await sessions.sign_in(world.backend, "Zoe@corvale.example", CHOSEN, HERE)


async def entries(world: World) -> list[Any]:
    page = await ledger_pages.ledger_page(world.backend, DARIO, EntryFilter(), 50)
    return page.entries


@pytest.mark.thorough
async def test_somebody_new_is_there_once_a_second_person_confirmed(world: World):
    """Confirmed by another, who hands over the invitation; only they themselves choose the password."""
    row = await world.waiting()
    asked = await members.keep_person(world.backend, DARIO, "zoe", ZOE)
    assert (asked.invitation, asked.alone) == (None, False)
    assert "zoe" not in {one.id for one in await sessions.everybody(world.backend, DARIO)}
    given = await proposals.confirm(world.backend, MARCO, asked.waits or 0)
    assert given.invitation is not None
    await passwords.accept(world.backend, given.invitation, CHOSEN, address="192.0.2.1")
    zoe = await sessions.sign_in(world.backend, "zoe@corvale.example", CHOSEN, HERE)
    await world.refresh(row.number)
    assert (await dossier.dossier(world.backend, zoe.actor, row.number)).mine.may_approve
    said = [one.says for one in await entries(world)]
    assert said[:5] == [
        "Zoe Zander signed in.",
        "Zoe Zander chose their password; whatever they had signed in with before has ended.",
        "Marco Bellandi set up Zoe Zander as approver, of release desk. It was confirmed.",
        "Marco Bellandi confirmed Zoe Zander as approver, which Dario Conti had asked for.",
        "Dario Conti asked for Zoe Zander as approver; somebody else has to confirm it.",
    ]


async def test_an_entry_says_what_was_and_what_is(world: World):
    """Readable in the entry itself, and never with a secret in it."""
    await newcomer(world)
    changed = ZOE.model_copy(update={"roles": (Role.AUDITOR,), "groups": ()})
    await world.set_up("zoe", changed)
    entry = next(one for one in await entries(world) if one.action == "set up")
    before, after = entry.details["old"], entry.details["new"]
    assert (before["roles"], before["groups"]) == (["approver"], ["release-desk"])
    assert (after["roles"], after["groups"], after["email"]) == (["auditor"], [], "zoe@corvale.example")
    assert all(CHOSEN not in str(one) and "argon2" not in str(one) for one in await entries(world))


@pytest.mark.parametrize(
    "change",
    [
        {"roles": (Role.APPROVER, Role.ADMINISTRATOR)},
        {"groups": ("release-desk", "test-leads")},
        {"groups": ()},
        {"email": "elsewhere@corvale.example"},
        {"other_emails": ("ilse.b@corvale.example",)},
    ],
)
async def test_whatever_lets_one_decide_as_two_takes_a_second(world: World, change: dict):
    """Roles, groups and addresses, also one's own; but not the name."""
    ilse = Member(
        name="Ilse Brandt", email="ilse@corvale.example", roles=(Role.APPROVER,), groups=("release-desk",)
    )
    renamed = ilse.model_copy(update={"name": "Ilse B. Brandt"})
    assert (await members.keep_person(world.backend, DARIO, "ilse", renamed)).waits is None
    asked = await members.keep_person(world.backend, DARIO, "ilse", renamed.model_copy(update=change))
    assert asked.waits is not None
    person = next(one for one in await sessions.everybody(world.backend, DARIO) if one.id == "ilse")
    assert (person.roles, [group.id for group in person.groups]) == (["approver"], ["release-desk"])
    assert (person.email, person.other_emails) == ("ilse@corvale.example", [])


async def test_nobody_confirms_what_they_asked_for_or_what_is_about_them(world: World):
    """Nor who could not have asked; what was dropped is gone, and only one change of somebody waits."""
    me = Member(name="Dario Conti", email="dario@corvale.example", roles=(Role.ADMINISTRATOR, Role.APPROVER))
    mine = (await members.keep_person(world.backend, DARIO, "dario", me)).waits or 0
    owner = Member(name="Marco Bellandi", email="marco@corvale.example", roles=(Role.APPROVER,))
    his = (await members.keep_person(world.backend, DARIO, "marco", owner)).waits or 0
    for actor, number, why in (
        (DARIO, mine, "You asked for it"),
        (MARCO, his, "It is about you"),
        (ACTORS["ilse"], mine, "You may not confirm"),
    ):
        with pytest.raises(RefusedError, match=why):
            await proposals.confirm(world.backend, actor, number)
    assert (await members.keep_person(world.backend, DARIO, "marco", owner)).waits == his
    with pytest.raises(ConflictError):
        await members.keep_person(world.backend, DARIO, "marco", owner.model_copy(update={"roles": ()}))
    with pytest.raises(RefusedError):
        await proposals.drop(world.backend, ACTORS["ilse"], his)
    await proposals.drop(world.backend, DARIO, his)
    with pytest.raises(NotFoundError):
        await proposals.confirm(world.backend, CHIARA, his)
    shown = {one.id: one for one in await proposals.proposals(world.backend, MARCO)}
    assert {number: one.mine_to_confirm for number, one in shown.items()} == {mine: True}


async def test_nothing_is_confirmed_that_its_asker_could_not_ask_for_any_more(world: World):
    """Who was sent away leaves nothing behind that others let in; they may drop it."""
    zoe = Member(name="Zoe", email="zoe@corvale.example", roles=(Role.ADMINISTRATOR,))
    waits = (await members.keep_person(world.backend, DARIO, "zoe", zoe)).waits or 0
    for change in ({"roles": ["approver"]}, {"roles": ["administrator"], "disabled_at": world.clock.now}):
        async with world.backend.database.transaction() as session:
            person = await store.person(session, "dario")
            for field, value in change.items():
                setattr(person, field, value)
        with pytest.raises(RefusedError, match="could not ask for it any more"):
            await proposals.confirm(world.backend, CHIARA, waits)
        (shown,) = await proposals.proposals(world.backend, CHIARA)
        assert (shown.mine_to_confirm, shown.mine_to_drop) == (False, True)
    await proposals.drop(world.backend, CHIARA, waits)


async def test_what_has_changed_since_is_not_confirmed(world: World):
    """It would undo what was done meanwhile."""
    ilse = Member(name="Ilse Brandt", email="ilse@corvale.example", roles=(Role.APPROVER,), groups=())
    waits = (await members.keep_person(world.backend, DARIO, "ilse", ilse)).waits or 0
    async with world.backend.database.transaction() as session:
        person = await store.person(session, "ilse")
        person.other_emails = ["ib@corvale.example"]
    with pytest.raises(ConflictError, match="changed since"):
        await proposals.confirm(world.backend, MARCO, waits)


async def test_where_nobody_else_could_confirm_it_is_done_and_said(world: World):
    """An instance with one administrator and nobody beside them; on record with every such change."""
    async with world.backend.database.transaction() as session:
        for who in ("marco", "chiara"):
            (await store.person(session, who)).roles = ["auditor"]
    asked = await members.keep_person(world.backend, DARIO, "zoe", ZOE)
    assert (asked.waits, asked.alone) == (None, True)
    assert asked.invitation is not None
    says = (await entries(world))[0].says
    assert (
        says
        == "Dario Conti set up Zoe Zander as approver, of release desk. Nobody else here could confirm it."
    )


@pytest.mark.thorough
async def test_who_leaves_a_group_loses_its_seat(world: World):
    """Also one taken before: the approval counts for nobody's seat any more."""
    row = await world.waiting()
    zoe = (await newcomer(world)).actor
    await world.refresh(row.number)
    file = await dossier.dossier(world.backend, zoe, row.number)
    await decisions.approve(world.backend, zoe, row.number, shown=file.mine.shown, comment="")
    await world.set_up("zoe", ZOE.model_copy(update={"groups": ()}))
    seats = (await world.refresh(row.number)).row.seats
    assert [seat.taken_by for seat in seats] == [None, None]
    await sessions.sign_in(world.backend, "zoe@corvale.example", CHOSEN, HERE)


@pytest.mark.thorough
async def test_another_role_or_password_ends_what_one_had_signed_in_with(world: World):
    """Sessions and tokens, at once; and so does an administrator who takes both away."""
    zoe = await newcomer(world)
    text = await world.token(zoe.actor, title="t", scopes=("read",), days=1)

    async def still() -> list[bool]:
        out = []
        for try_it in (
            sessions.session_of(world.backend, zoe.session_token),
            tokens.actor_by_token(world.backend, text),
        ):
            try:
                await try_it
                out.append(True)
            except SignedOutError:
                out.append(False)
        return out

    assert await still() == [True, True]
    await world.set_up("zoe", ZOE.model_copy(update={"roles": (Role.APPROVER, Role.AUDITOR)}))
    assert await still() == [False, False]
    another = {"old": CHOSEN, "new": "another one to keep", "session_token": "", "address": "a"}
    for end in (
        partial(members.end_access, world.backend, DARIO, "zoe"),
        partial(passwords.change, world.backend, zoe.actor, **another),
    ):
        zoe = await sessions.sign_in(world.backend, "zoe@corvale.example", CHOSEN, HERE)
        text = await world.token(zoe.actor, title="t", scopes=("read",), days=1)
        await end()
        assert await still() == [False, False]


async def test_a_password_is_set_by_its_owner_alone(world: World):
    """By an invitation that takes two to be made, good once and for three days; the last one counts."""
    asked = await members.invite(world.backend, DARIO, "ilse")
    first = (await proposals.confirm(world.backend, MARCO, asked.waits or 0)).invitation or ""
    asked = await members.invite(world.backend, DARIO, "ilse")
    second = (await proposals.confirm(world.backend, CHIARA, asked.waits or 0)).invitation or ""
    with pytest.raises(SignedOutError):
        await passwords.accept(world.backend, first, CHOSEN, address="b")
    await passwords.accept(world.backend, second, CHOSEN, address="c")
    with pytest.raises(SignedOutError):
        await passwords.accept(world.backend, second, "another one to keep", address="c")
    await sessions.sign_in(world.backend, "ilse@corvale.example", CHOSEN, HERE)
    asked = await members.invite(world.backend, DARIO, "ilse")
    late = (await proposals.confirm(world.backend, MARCO, asked.waits or 0)).invitation or ""
    world.clock.now += passwords.INVITED_FOR
    with pytest.raises(SignedOutError):
        await passwords.accept(world.backend, late, "another one to keep", address="d")


async def test_a_machine_never_signs_in_and_never_decides(world: World):
    """An administrator makes its tokens; those of people they make themselves."""
    robot = Member(name="Robot", email="robot@corvale.example", roles=(Role.REQUESTER,), machine=True)
    with pytest.raises(InvalidError) as refused:
        await members.keep_person(
            world.backend, DARIO, "robot", robot.model_copy(update={"roles": (Role.APPROVER,)})
        )
    assert refused.value.fields[0][0] == "/roles"
    assert (await world.set_up("robot", robot)).invitation is None
    with pytest.raises(NotFoundError):
        await members.invite(world.backend, DARIO, "robot")
    await world.seconded(
        tokens.make_token(
            world.backend, DARIO, tokens.NewToken(person="robot", title="t", scopes=("deploy",), days=1)
        )
    )
    for whose, scope in (("ilse", "read"), ("robot", "decide")):
        with pytest.raises((RefusedError, InvalidError)):
            await world.seconded(
                tokens.make_token(
                    world.backend, DARIO, tokens.NewToken(person=whose, title="t", scopes=(scope,), days=1)
                )
            )
    with pytest.raises(ForbiddenError):
        await world.seconded(
            tokens.make_token(
                world.backend, MARCO, tokens.NewToken(person="robot", title="t", scopes=("read",), days=1)
            )
        )


@pytest.mark.parametrize(
    ("name", "change", "place"),
    [
        ("zoe", {"email": "Ilse@corvale.example"}, "/email"),
        ("zoe", {"other_emails": (" ILSE@corvale.example",)}, "/other_emails/0"),
        ("zoe", {"groups": ("nobody",)}, "/groups/0"),
        ("dario", {"roles": (Role.AUDITOR,)}, "/roles"),
    ],
)
async def test_what_cannot_be_is_refused_at_its_field(world: World, name: str, change: dict, place: str):
    with pytest.raises(InvalidError) as caught:
        await members.keep_person(world.backend, DARIO, name, ZOE.model_copy(update=change))
    assert [where for where, _ in caught.value.fields] == [place]
    assert await proposals.proposals(world.backend, DARIO) == []


async def test_who_has_yet_to_choose_a_password_signs_in_with_none(world: World):
    """Not with an empty one either."""
    await world.set_up("zoe", ZOE)
    for tried in ("", CHOSEN, "\x00"):
        with pytest.raises(SignedOutError):
            await sessions.sign_in(world.backend, "zoe@corvale.example", tried, HERE)


async def test_groups_are_set_up_by_administrators_alone(world: World):
    await members.keep_group(world.backend, DARIO, "divers", Group(title="divers"))
    assert "divers" in [one.id for one in await members.groups(world.backend, DARIO)]
    with pytest.raises(ForbiddenError):
        await members.keep_group(world.backend, ACTORS["ilse"], "divers", Group(title="friends"))
