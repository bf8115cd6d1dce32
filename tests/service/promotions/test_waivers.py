"""Waivers, stand-ins, supersession, baselines, evidence and calendars, through the use cases."""

from datetime import datetime, timedelta

import pytest
from tests.world import NOW, REVIEWERS, TICKETS, World, policy

from dogana.core.errors import (
    ChangedSinceShownError,
    InvalidError,
    InvalidPolicyError,
    NotFoundError,
    RefusedError,
)
from dogana.core.facts import Report
from dogana.core.time.windows import Calendar
from dogana.demo.cast import ACTORS
from dogana.service.actor import Actor
from dogana.service.calendars import shared
from dogana.service.configuration import proposals
from dogana.service.landscape import evidence
from dogana.service.people import stand_ins
from dogana.service.people.stand_ins import NamedStandIn, WantedStandIn
from dogana.service.policies import drafts
from dogana.service.promotions import decisions, refreshing, waivers
from dogana.store.tables.landscape import EnvironmentRow

SOAK = {"id": "soak", "kind": "soak", "title": "A week", "at_least": "P7D", "waivable": "release-desk"}
STRICT = {"id": "soak", "kind": "soak", "title": "Two weeks", "at_least": "P14D", "waivable": "release-desk"}


async def test_a_waiver_is_asked_for_granted_and_lets_it_go(world: World):
    """By two people, on the record, and no further than its end."""
    await world.adopt("rehearsal", SOAK, TICKETS)
    row = await world.waiting()
    dossier = await world.dossier(row.number, "henrik")
    assert next(f for f in dossier.findings if f.rule == "soak").may_ask
    asked = {"until": world.clock.now + timedelta(hours=2), "reason": "It burns", "shown": dossier.mine.shown}
    await waivers.ask_waiver(world.backend, ACTORS["henrik"], row.number, "soak", **asked)
    with pytest.raises(RefusedError, match="only release desk may grant it"):
        await world.grant_waiver(row.number, "adaeze", "soak")
    with pytest.raises(RefusedError, match="does not grant it"):
        await world.grant_waiver(row.number, "henrik", "soak")
    seen = await world.dossier(row.number, "ilse")
    assert seen.row.waits_for == "you"
    assert seen.row.sentence.startswith("You are asked to waive \u201cA week\u201d.")
    sheet = await world.grant_waiver(row.number, "ilse", "soak")
    assert sheet.verdict == "cleared"
    course = [entry.action for entry in (await world.dossier(row.number, "ilse")).course]
    assert course[1:] == ["ask waiver", "grant waiver", "clear", "depart"]


async def test_only_the_waiver_that_was_looked_at_is_granted(world: World):
    """Whoever asked for another meanwhile, for longer or for another reason, asked for something else."""
    await world.adopt("rehearsal", SOAK, TICKETS)
    row = await world.waiting()
    shown = (await world.dossier(row.number)).mine.shown
    seen: list[datetime] = []
    for hours, who in ((1, "henrik"), (700, "tomas")):
        until = world.clock.now + timedelta(hours=hours)
        asked = {"until": until, "reason": "It burns", "shown": shown}
        await waivers.ask_waiver(world.backend, ACTORS[who], row.number, "soak", **asked)
        findings = (await world.dossier(row.number, "ilse")).findings
        seen += [one.waiver.asked_at for one in findings if one.rule == "soak" and one.waiver]
        world.clock.now += timedelta(seconds=1)
    with pytest.raises(ChangedSinceShownError, match="Another waiver"):
        await waivers.grant_waiver(
            world.backend, ACTORS["ilse"], row.number, "soak", asked_at=seen[0], comment=""
        )
    await waivers.grant_waiver(
        world.backend, ACTORS["ilse"], row.number, "soak", asked_at=seen[1], comment=""
    )


async def test_a_waiver_ends_and_may_be_revoked_before(world: World):
    """What it let go stands in the way again."""
    await world.adopt("rehearsal", SOAK, REVIEWERS, TICKETS)
    row = await world.waiting()
    shown = (await world.dossier(row.number)).mine.shown
    asked = {"until": world.clock.now + timedelta(hours=2), "reason": "It burns", "shown": shown}
    with pytest.raises(InvalidError, match="never waived"):
        await waivers.ask_waiver(world.backend, ACTORS["henrik"], row.number, "tickets", **asked)
    late = {**asked, "until": world.clock.now + timedelta(days=31)}
    with pytest.raises(InvalidError, match="within 30 days"):
        await waivers.ask_waiver(world.backend, ACTORS["henrik"], row.number, "soak", **late)
    await waivers.ask_waiver(world.backend, ACTORS["henrik"], row.number, "soak", **asked)
    await world.grant_waiver(row.number, "ilse", "soak")

    async def outcome() -> str:
        return next(f for f in (await world.dossier(row.number)).findings if f.rule == "soak").outcome

    assert await outcome() == "waived"
    await waivers.revoke_waiver(world.backend, ACTORS["adaeze"], row.number, "soak", comment="No longer")
    assert await outcome() == "pending"
    with pytest.raises(NotFoundError):
        await waivers.revoke_waiver(world.backend, ACTORS["adaeze"], row.number, "soak", comment="")


async def _named(world: World, actor: Actor, person: str, dates: dict[str, datetime]) -> NamedStandIn:
    wanted = WantedStandIn(person=person, stands_in_for="henrik", **dates)
    return await stand_ins.name_stand_in(world.backend, actor, wanted)


async def test_a_stand_in_takes_the_seat_of_who_is_away(world: World):
    """Named by the one who is away; both stand in the record; nobody else may name one for them."""
    row = await world.waiting()
    now = world.clock.now
    dates = {"start": now - timedelta(hours=1), "end": now + timedelta(days=1)}
    with pytest.raises(RefusedError):
        await _named(world, ACTORS["adaeze"], "adaeze", dates)
    with pytest.raises(InvalidError):
        await _named(world, ACTORS["henrik"], "henrik", dates)
    named = await _named(world, ACTORS["henrik"], "adaeze", dates)
    await refreshing.refresh(world.backend, row.number)
    dossier = await world.dossier(row.number, "adaeze")
    assert dossier.mine.sits_for is not None
    assert dossier.mine.sits_for.name == "Henrik Solberg"
    await decisions.approve(world.backend, ACTORS["adaeze"], row.number, shown=dossier.mine.shown, comment="")
    last = (await world.dossier(row.number)).course[-1]
    assert last.says.startswith("Adaeze Nwosu approved")
    assert "for Henrik Solberg" in last.says
    world.clock.now += timedelta(minutes=1)
    await stand_ins.end_stand_in(world.backend, ACTORS["adaeze"], named.stand_in or 0)
    seat = next(s for s in (await world.dossier(row.number)).row.seats if s.taken_by)
    assert (seat.taken_by.id, seat.taken_for.id) == ("adaeze", "henrik")
    with pytest.raises(NotFoundError):
        await stand_ins.end_stand_in(world.backend, ACTORS["adaeze"], named.stand_in or 0)


async def test_an_administrator_names_nobody_for_another_alone(world: World):
    """It gives away a seat that is not theirs; who would sit does not confirm it, nor who asked for it."""
    row = await world.waiting()
    now, dario = world.clock.now, ACTORS["dario"]
    dates = {"start": now - timedelta(hours=1), "end": now + timedelta(days=1)}
    for sits in ("chiara", "pipeline"):
        wanted = _named(world, dario, sits, dates)
        if sits == "pipeline":
            with pytest.raises(InvalidError):
                await wanted
        else:
            asked = await wanted
    assert (asked.stand_in, await stand_ins.stand_ins(world.backend, dario)) == (None, [])
    for refused in (dario, ACTORS["chiara"], ACTORS["ilse"]):
        with pytest.raises(RefusedError):
            await proposals.confirm(world.backend, refused, asked.waits or 0)
    (waits,) = await proposals.proposals(world.backend, dario)
    assert waits.title == "Chiara Fontana as stand-in for Henrik Solberg until Wed 11 Mar 09:00, UTC"
    await proposals.confirm(world.backend, ACTORS["marco"], asked.waits or 0)
    (named,) = await stand_ins.stand_ins(world.backend, dario)
    assert (named.person.id, named.stands_in_for.id) == ("chiara", "henrik")
    await refreshing.refresh(world.backend, row.number)
    world.clock.now = dates["end"]
    again = {"start": dates["end"], "end": dates["end"] + timedelta(hours=1)}
    late = await _named(world, dario, "chiara", again)
    world.clock.now = again["end"]
    with pytest.raises(InvalidError):
        await proposals.confirm(world.backend, ACTORS["marco"], late.waits or 0)


async def test_the_newest_supersedes_what_waits_and_its_approvals(world: World):
    """It ends, on the record, and no approval is carried over."""
    newest = {"id": "pace", "kind": "pace", "title": "Newest", "newest": "supersedes"}
    await world.adopt("rehearsal", REVIEWERS, newest)
    old = await world.waiting()
    shown = (await world.dossier(old.number, "henrik")).mine.shown
    await decisions.approve(world.backend, ACTORS["henrik"], old.number, shown=shown, comment="")
    other = await world.ask("bench", "1.3.0", artifacts=(world.builds[2].artifacts()[0],))
    await world.land(other.number)
    world.clock.now += timedelta(minutes=5)
    new = await world.ask("rehearsal", "1.3.0", artifacts=())
    await refreshing.refresh(world.backend, old.number)
    ended = await world.dossier(old.number)
    assert ended.row.state == "superseded"
    assert ended.row.sentence == f"Superseded by 1.3.0, promotion {new.number}."
    assert [seat.taken_by for seat in (await world.dossier(new.number)).row.seats] == [None, None]


async def test_an_heir_holds_what_its_baseline_asks_for(world: World):
    """A laxer heir is refused with its place, and a baseline that an heir would be laxer than."""
    async with world.backend.database.transaction() as session:
        session.add(EnvironmentRow(id="class", title="All of them", zone="Europe/Rome", departs="never"))
    await world.adopt("class", SOAK)
    heir = {**policy(TICKETS), "inherits": "class"}
    for rule, reason in (({**SOAK, "at_least": "P1D"}, "not as strict"), (SOAK, None)):
        draft = {**heir, "rules": [rule, TICKETS]}
        if reason:
            with pytest.raises(InvalidPolicyError) as refused:
                await drafts.draft(world.backend, ACTORS["marco"], "rehearsal", draft)
            assert reason in str(refused.value.fields)
        else:
            row = await drafts.draft(world.backend, ACTORS["marco"], "rehearsal", draft)
            await drafts.adopt(world.backend, ACTORS["chiara"], "rehearsal", row.version, reason="")
    with pytest.raises(InvalidPolicyError, match="would be laxer"):
        await world.adopt("class", STRICT)
    plain = await drafts.draft(world.backend, ACTORS["marco"], "rehearsal", heir)
    await drafts.adopt(world.backend, ACTORS["chiara"], "rehearsal", plain.version, reason="")
    await world.adopt("class", STRICT)
    waits = await world.waiting()
    assert {f.rule for f in (await world.dossier(waits.number)).findings} == {"soak", "tickets"}


async def test_evidence_and_calendars_reach_the_inspection(world: World):
    """As soon as they are attached or set."""
    scan = {"id": "scan", "kind": "evidence", "title": "Scanned", "name": "scan", "holds": "content.bad == 0"}
    feast = {
        "id": "feast",
        "kind": "freeze",
        "title": "Feasts",
        "zone": "Europe/Rome",
        "calendars": ["feasts"],
    }
    with pytest.raises(InvalidPolicyError):
        await world.adopt("rehearsal", feast)
    day = world.clock.now.date().isoformat()
    window = {"name": "the feast", "from": f"{day}T00:00", "until": f"{day}T23:59"}
    calendar = Calendar.model_validate({"title": "Feasts", "zone": "Europe/Rome", "windows": [window]})
    await shared.keep_calendar(world.backend, ACTORS["marco"], "feasts", calendar)
    await world.adopt("rehearsal", scan, feast)
    with pytest.raises(InvalidError, match="names it"):
        await shared.drop_calendar(world.backend, ACTORS["marco"], "feasts")
    row = await world.waiting()
    assert (await world.dossier(row.number)).row.verdict == "barred"
    report = Report(name="scan", kind="scan", produced_at=NOW, by="a scanner", content={"bad": 0})
    await evidence.attach(world.backend, ACTORS["noor"], "taps-portal", "1.2.0", report)
    await refreshing.refresh(world.backend, row.number)
    dossier = await world.dossier(row.number)
    assert [(f.rule, f.outcome) for f in dossier.findings] == [("scan", "met"), ("feast", "pending")]
    assert (dossier.evidence[0].by, dossier.evidence[0].maker) == ("Noor Haddad", "a scanner")
