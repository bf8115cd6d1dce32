"""History that is written in bulk: the same entries, facts and rows as the use cases would have written."""

import re
from datetime import timedelta

from tests.world import World

from dogana.core.record.replay import replayed
from dogana.demo.chronicle import Chronicle
from dogana.demo.journeys import Journey, Leg
from dogana.service.ledger import audit
from dogana.service.promotions.grounds import facts_inspected, present
from dogana.service.promotions.outside_facts import Outside
from dogana.store import promotions


def journey(world: World, n: int, ends: str = "lands") -> tuple[Journey, list[Leg]]:
    legs = [
        Leg(environment="bench", at=world.clock.now),
        Leg(
            environment="rehearsal",
            at=world.clock.now,
            approvers=("ilse", "henrik"),
            ends=ends,
            reason="The banner covers the number.",
        ),
    ]
    return Journey(build=world.builds[n], legs=tuple(legs)), legs


async def said(world: World, number: int, version: str) -> list[tuple[str, str]]:
    """What stands on record of a promotion, without what differs from one to the next."""
    course = (await world.dossier(number)).course
    return [(one.action, re.sub(r"\d\d:\d\d", "…", one.says.replace(version, "V"))) for one in course]


async def test_what_is_written_in_bulk_reads_like_what_was_decided_step_by_step(world: World):
    chronicle = Chronicle(world.backend, world.clock.now + timedelta(days=30), "http://store")
    whole, (bench, rehearsal) = journey(world, 0)
    first = await chronicle.ask(whole, bench)
    await chronicle.report(first, bench)
    second = await chronicle.ask(whole, rehearsal)
    for who in rehearsal.approvers:
        await chronicle.approve(who, second)
    await chronicle.report(second, rehearsal)
    await chronicle.commit()

    version = world.builds[1].version
    played = [await world.ask("bench", version, "pipeline")]
    await world.land(played[0].number)
    played.append(await world.ask("rehearsal", version, "pipeline"))
    for who in rehearsal.approvers:
        await world.approve(played[1].number, who)
    await world.land(played[1].number)
    for written, row in zip((first, second), played, strict=True):
        assert await said(world, written, whole.build.version) == await said(world, row.number, version)
        ours, theirs = await world.dossier(written), await world.dossier(row.number)
        assert (ours.row.state, ours.row.source) == (theirs.row.state, theirs.row.source)
        assert [one.outcome for one in ours.findings if one.rule != "evidence"] == [
            one.outcome for one in theirs.findings
        ]
    await world.sequence()
    behind = [one async for _, one in audit.sheets(world.backend)]
    assert len(behind) > 4
    assert [replayed(one) for one in behind] == [None] * len(behind)


async def test_the_facts_at_hand_are_those_on_record(world: World):
    """Of what waits beside what has landed, moves and came with its release: digest for digest."""
    chronicle = Chronicle(world.backend, world.clock.now + timedelta(days=30), "http://store")
    numbers = []
    for n in (0, 1):
        whole, (bench, rehearsal) = journey(world, n)
        first = await chronicle.ask(whole, bench)
        await chronicle.report(first, bench)
        world.clock.now += timedelta(minutes=1)
        numbers.append(await chronicle.ask(whole, rehearsal))
        world.clock.now += timedelta(minutes=1)
    await chronicle.approve("ilse", numbers[1])
    await chronicle.commit()
    async with world.backend.database.transaction() as session:
        found = await promotions.with_facts(session, numbers[1])
        assert found is not None
        known = facts_inspected(found.row, found.facts)
        now = await present(world.backend, session, found.row, Outside.known(known))
        assert now.facts.plain() == known.plain()
        assert [one.person for one in now.decisions.approvals()] == ["ilse"]


async def test_what_was_turned_back_and_taken_back_ends_so(world: World):
    chronicle = Chronicle(world.backend, world.clock.now + timedelta(days=30), "http://store")
    for n, (ends, who, state) in enumerate(
        (("is turned back", "ilse", "turned back"), ("is withdrawn", "pipeline", "withdrawn"))
    ):
        whole, (bench, rehearsal) = journey(world, n, ends)
        await chronicle.report(await chronicle.ask(whole, bench), bench)
        number = await chronicle.ask(whole, rehearsal)
        await chronicle.end(number, rehearsal, who)
        await chronicle.commit()
        file = await world.dossier(number)
        assert file.row.state == state
        assert file.course[-1].reason == "The banner covers the number."
