"""Set starts, how findings changed, whose approval lapsed, who is looking, saved filters."""

from dataclasses import replace
from datetime import datetime, timedelta

import pytest
from tests.world import NOW, REVIEWERS, SAMENESS, TICKETS, World, policy

from dogana.core.errors import ExcludedError, InvalidError, NotClearedError, NotFoundError, RefusedError
from dogana.demo.cast import ACTORS
from dogana.service.actor import Actor
from dogana.service.delivery import course
from dogana.service.policies import drafts
from dogana.service.promotions import rescheduling
from dogana.service.views import desk, dossier, presence, saved_filters

ILSE, NOOR, SAM = ACTORS["ilse"], ACTORS["noor"], ACTORS["sam"]


async def test_what_was_put_off_goes_at_its_start_and_not_before(world: World):
    """Approvals stand, it says why it waits, and the one inspection after its start clears it."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    start = NOW + timedelta(hours=6)
    await rescheduling.reschedule(
        world.backend, NOOR, row.number, to=start, comment="The depot is not staffed before."
    )
    await world.approve(row.number, "henrik")
    file = await world.dossier(row.number)
    assert file.not_before == start
    assert (file.row.verdict, file.row.waits_for) == ("held", "time")
    assert file.row.sentence == "Held by a set start until Tue 10 Mar 16:00, Rome."
    assert file.row.first_start == start
    with pytest.raises(NotClearedError):
        await course.depart(world.backend, ACTORS["pipeline"], row.number)
    world.clock.now = start
    assert (await world.refresh(row.number)).row.verdict == "cleared"
    assert (await world.actions(row.number))[:4] == ["request", "approve", "reschedule", "approve"]


async def test_a_start_is_taken_back_and_only_set_with_reason_by_who_may(world: World):
    row = await world.waiting()
    start = NOW + timedelta(hours=1)
    for wrong in (NOW, NOW + timedelta(days=91)):
        with pytest.raises(InvalidError):
            await rescheduling.reschedule(world.backend, ILSE, row.number, to=wrong, comment="Later.")
    with pytest.raises(InvalidError):
        await rescheduling.reschedule(world.backend, ILSE, row.number, to=start, comment=" ")
    with pytest.raises(RefusedError):
        await rescheduling.reschedule(world.backend, SAM, row.number, to=start, comment="Later.")
    await rescheduling.reschedule(world.backend, ILSE, row.number, to=start, comment="Later.")
    await rescheduling.reschedule(world.backend, ILSE, row.number, to=None, comment="")
    file = await world.dossier(row.number)
    assert file.not_before is None
    assert all(finding.rule != "set-start" for finding in file.findings)
    assert file.course[-1].says.endswith("go as soon as it can.")


async def test_what_an_approver_put_off_is_let_go_earlier_by_one_alone(world: World):
    """Not by who asked for it, who may put it off further, nor by who wrote it; nor in two steps."""
    row = await world.waiting()
    number, start = row.number, NOW + timedelta(hours=6)

    async def put(who: Actor, to: datetime | None) -> datetime | None:
        await rescheduling.reschedule(world.backend, who, number, to=to, comment="The depot is not staffed.")
        return (await world.dossier(number)).not_before

    wrote = replace(ACTORS[(await world.dossier(number)).authors[0].id], rights=ILSE.rights)
    approving = replace(NOOR, rights=NOOR.rights | ILSE.rights)
    await put(ILSE, start)
    assert (await world.dossier(number)).put_off_by == "Ilse Brandt"
    for who in (NOOR, wrote, approving):
        assert not (await dossier.dossier(world.backend, who, number)).may_let_go_earlier
        for earlier in (None, start - timedelta(minutes=1)):
            with pytest.raises(ExcludedError, match="Ilse Brandt put it off; an approver"):
                await put(who, earlier)
        assert await put(who, start + timedelta(hours=1)) == start + timedelta(hours=1)
        with pytest.raises(ExcludedError):
            await put(who, None)
        assert await put(ILSE, start) == start
    assert (await dossier.dossier(world.backend, ACTORS["henrik"], number)).may_let_go_earlier
    assert await put(ACTORS["henrik"], None) is None
    assert await put(NOOR, start) == start
    assert (await world.dossier(number)).put_off_by is None
    assert await put(NOOR, None) is None


async def test_a_finding_says_what_it_was_and_until_when(world: World):
    await world.landed("bench")
    world.tickets["TAPS-2"].status = "open"
    row = await world.ask("rehearsal")
    assert (await world.dossier(row.number)).findings[1].history == []
    world.clock.now = NOW + timedelta(minutes=12)
    world.tickets["TAPS-2"].status = "done"
    (earlier,) = (await world.refresh(row.number)).findings[1].history
    assert (earlier.outcome, earlier.until, earlier.whose) == ("unmet", world.clock.now, None)
    assert "TAPS-2" in earlier.because


async def test_who_approved_is_told_since_when_and_why_it_no_longer_counts(world: World):
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    assert (await world.dossier(row.number, "ilse")).mine.lapsed is None
    world.clock.now = NOW + timedelta(minutes=30)
    drafted = await drafts.draft(
        world.backend,
        ACTORS["marco"],
        "rehearsal",
        policy(REVIEWERS, TICKETS | {"which": "any"}, SAMENESS),
    )
    await drafts.adopt(world.backend, ACTORS["chiara"], "rehearsal", drafted.version, reason="")
    await world.refresh(row.number)
    lapsed = (await world.dossier(row.number, "ilse")).mine.lapsed
    assert lapsed is not None
    assert (lapsed.given_at, lapsed.at, lapsed.because) == (NOW, world.clock.now, "The policy changed.")
    assert len(lapsed.changes) == 1
    assert lapsed.changes[0].startswith("The policy: Tickets are done: looks at any of them instead of all")
    assert (await world.dossier(row.number, "henrik")).mine.lapsed is None
    (earlier,) = (await world.dossier(row.number)).findings[0].history
    assert earlier.whose is not None
    assert earlier.whose.id == "ilse"
    await world.approve(row.number, "ilse")
    assert (await world.dossier(row.number, "ilse")).mine.lapsed is None


async def test_what_changed_since_an_approval_is_told_thing_by_thing(world: World):
    """From the record of what was looked at then; tickets and reports by name."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    ticket = world.tickets["TAPS-2"]
    world.tickets["TAPS-2"] = ticket.model_copy(update={"title": "Another thing", "status": "open"})
    world.clock.now = NOW + timedelta(minutes=30)
    await world.refresh(row.number)
    lapsed = (await world.dossier(row.number, "ilse")).mine.lapsed
    assert lapsed is not None
    assert lapsed.changes == [
        "TAPS-2: status \u201copen\u201d instead of \u201cdone\u201d.",
        "TAPS-2: title \u201cAnother thing\u201d instead of \u201cWork 2\u201d.",
    ]


async def test_who_looks_is_seen_by_others_until_they_look_away(world: World):
    row = await world.waiting()

    async def seen_by(who: str) -> list[str]:
        file = await world.dossier(row.number, who)
        seen = await desk.desk(world.backend, ACTORS[who])
        assert seen.looking.get(row.number, []) == file.looking
        return [one.id for one in file.looking]

    await presence.look(world.backend, ILSE, row.number)
    assert await seen_by("ilse") == []
    assert await seen_by("henrik") == ["ilse"]
    world.clock.now += timedelta(seconds=50)
    assert await seen_by("henrik") == []
    await presence.look(world.backend, ILSE, row.number)
    await presence.look_away(world.backend, ILSE, row.number)
    assert await seen_by("henrik") == []
    with pytest.raises(NotFoundError):
        await presence.look(world.backend, ILSE, 7)


async def test_saved_filters_are_ones_own(world: World):
    await saved_filters.save_filter(world.backend, ILSE, "The valley", "at=pilot-valley")
    await saved_filters.save_filter(world.backend, ILSE, "The valley", "at=pilot-valley&span=6h")
    await saved_filters.save_filter(world.backend, ILSE, "Bench", "at=bench")
    kept = (await desk.desk(world.backend, ILSE)).filters
    assert [(one.name, one.query) for one in kept] == [
        ("Bench", "at=bench"),
        ("The valley", "at=pilot-valley&span=6h"),
    ]
    assert (await desk.desk(world.backend, SAM)).filters == []
    await saved_filters.drop_filter(world.backend, ILSE, "Bench")
    assert len((await desk.desk(world.backend, ILSE)).filters) == 1
