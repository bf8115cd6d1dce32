"""The policy board, what a draft would change, rehearsal, the calendar."""

from datetime import timedelta

import pytest
import yaml
from tests.world import NOW, ONE_AT_A_TIME, REVIEWERS, SAMENESS, TICKETS, World, policy

from dogana.core.errors import InvalidError, InvalidPolicyError
from dogana.core.policy.document import read_policy
from dogana.demo.cast import ACTORS
from dogana.service.landed import incidents
from dogana.service.policies import board, drafts, rehearsal
from dogana.service.views import preview, timeline

MARCO, CHIARA = ACTORS["marco"], ACTORS["chiara"]
SOAK = {"id": "soak", "kind": "soak", "title": "Soaked", "at_least": "PT20H"}


async def test_the_board_marks_where_a_later_leg_asks_for_less(world: World):
    """Against the leg before, rule by rule; where nothing is asked any more too."""
    await world.adopt("bench", REVIEWERS, TICKETS)
    lax = TICKETS | {"status": ["done", "open"]}
    await world.adopt("rehearsal", lax)
    found = await board.board(world.backend, MARCO)
    names = [one.environment.id for one in found.columns]
    assert names[:2] == ["bench", "rehearsal"]
    assert found.columns[0].source
    rows = {row.kind: row.cells[names.index("rehearsal")] for row in found.rows}
    assert rows["tickets"].rules[0].setting == "all done or open"
    assert len(rows["tickets"].laxer) == 1
    assert rows["reviewers"].rules == []
    assert rows["reviewers"].laxer == ["No longer asks: Two sides agree."]


async def test_the_source_of_a_policy_means_the_policy(world: World):
    """What one gets to edit is the same document, who may close it included."""
    named = {"closes": "control-room", "declares_urgent": "control-room"}
    await world.adopt_document("bench", policy(REVIEWERS) | named)
    for column in (await board.board(world.backend, MARCO)).columns:
        if column.version is not None:
            row = await _in_force(world, column.environment.id)
            assert read_policy(column.source).digest == row


async def _in_force(world: World, environment: str) -> str:
    async with world.backend.database.transaction() as session:
        row = await board.policies.in_force(session, environment, world.clock())
    assert row is not None
    return row.digest


async def test_a_draft_says_what_it_would_change_before_it_is_kept(world: World):
    """In words, for each pending promotion, and how many approvals would lapse."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    drafted = policy(REVIEWERS, TICKETS | {"status": ["verified"]}, SAMENESS)
    found = await preview.preview(world.backend, MARCO, "rehearsal", yaml.safe_dump(drafted))
    assert (found.pending, found.approvals) == (1, 1)
    (flip,) = found.flips
    assert (flip.number, flip.was, flip.would_be) == (row.number, "held", "barred")
    assert any("verified" in said for said in found.differences)
    assert (await world.dossier(row.number)).row.verdict == "held"
    with pytest.raises(InvalidPolicyError) as caught:
        await preview.preview(world.backend, MARCO, "rehearsal", policy({**SOAK, "at_least": "20 hours"}))
    assert caught.value.fields[0][0] == "/rules/0/at_least"


@pytest.mark.thorough
async def test_what_a_draft_was_said_to_change_is_what_its_adoption_changes(world: World):
    """An approval stands where as much is asked for or more, and lapses where less is; also of an heir's."""
    row = await world.waiting()
    await world.approve(row.number, "ilse")
    one_seat = {**REVIEWERS, "seats": REVIEWERS["seats"][:1]}
    stricter, laxer = (
        (REVIEWERS, TICKETS, SAMENESS, ONE_AT_A_TIME),
        (one_seat, TICKETS, SAMENESS, ONE_AT_A_TIME),
    )
    for rules, lapsing in ((stricter, 0), (laxer, 1)):
        said = await preview.preview(world.backend, MARCO, "rehearsal", policy(*rules))
        was = (await world.dossier(row.number)).row
        await world.adopt("rehearsal", *rules)
        now = (await world.refresh(row.number)).row
        taken = [sum(seat.taken_by is not None for seat in one.seats) for one in (was, now)]
        assert (said.pending, said.approvals, taken[0] - taken[1]) == (1, lapsing, lapsing)
        assert [flip.would_be for flip in said.flips] == ([now.verdict] if now.verdict != was.verdict else [])
    await world.adopt("preview", *laxer)
    await world.adopt_document("rehearsal", policy(*laxer) | {"inherits": "preview"})
    said = await preview.preview(world.backend, MARCO, "preview", policy(*laxer, SOAK))
    assert (said.pending, [(one.number, one.into) for one in said.flips]) == (1, [(row.number, "Rehearsal")])


@pytest.mark.thorough
@pytest.mark.parametrize("few", [1000, 0])
async def test_a_rehearsal_holds_the_past_against_a_draft(
    world: World, few: int, monkeypatch: pytest.MonkeyPatch
):
    """With what was known and said then, and the progress of it; many are judged by other processes."""
    monkeypatch.setattr(rehearsal, "_FEW", few)
    number = (await world.landed("bench")).number
    world.clock.now = NOW + timedelta(hours=3)
    landed = await world.landed("rehearsal")
    drafted = policy(REVIEWERS, SOAK, TICKETS, SAMENESS)
    steps = [one async for one in await rehearsal.rehearse(world.backend, MARCO, "rehearsal", drafted, 30)]
    assert (steps[0].done, steps[0].of, steps[-1].done) == (0, 1, 1)
    outcome = steps[-1].outcome
    assert outcome is not None
    (turned,) = outcome.turned
    assert (turned.number, turned.turn, turned.delay) == (landed.number, "newly held", timedelta(hours=17))
    assert steps[-1].names == {landed.number: "Taps portal 1.2.0"}
    same = [one async for one in await rehearsal.rehearse(world.backend, MARCO, "bench", policy(TICKETS), 30)]
    assert same[-1].outcome is not None
    assert (same[-1].outcome.of, same[-1].outcome.turned) == (1, ())
    assert number != landed.number
    assert outcome.badly == 0
    await incidents.open_by_hand(
        world.backend, MARCO, service="taps-portal", environment="rehearsal", what="bills show twice"
    )
    again = [one async for one in await rehearsal.rehearse(world.backend, MARCO, "rehearsal", drafted, 30)]
    assert again[-1].outcome is not None
    assert (again[-1].outcome.badly, again[-1].outcome.turned[0].badly) == (1, True)


async def test_the_board_says_who_signs_off_and_an_heir_s_too(world: World):
    asks = {**policy(TICKETS), "sign_off": {"group": "test-leads", "within": "P1D"}}
    await world.adopt_document("live", asks)
    await world.adopt_document("bench", {**policy(), "inherits": "live"})
    columns = {one.environment.id: one.signs_off for one in (await board.board(world.backend, MARCO)).columns}
    assert columns["bench"] == columns["live"] == "test leads sign off within 1 day"
    assert columns["rehearsal"] is None


async def test_a_policy_comes_into_force_when_it_was_said_to(world: World):
    """Until then the old one holds, and the board says what comes."""
    drafted = await drafts.draft(world.backend, MARCO, "bench", policy(SAMENESS))
    later = world.clock() + timedelta(hours=5)
    with pytest.raises(InvalidError):
        await drafts.adopt(
            world.backend, CHIARA, "bench", drafted.version, reason="", in_force_from=NOW - timedelta(hours=1)
        )
    before = await _in_force(world, "bench")
    await drafts.adopt(world.backend, CHIARA, "bench", drafted.version, reason="", in_force_from=later)
    column = (await board.board(world.backend, MARCO)).columns[0]
    assert (column.coming, column.coming_at, column.draft) == (drafted.version, later, None)
    assert await _in_force(world, "bench") == before
    world.clock.now = later
    assert await _in_force(world, "bench") == drafted.digest


async def test_versions_say_what_they_changed(world: World):
    """Against the one before, or any other."""
    await world.adopt("bench", TICKETS)
    await world.adopt("bench", TICKETS, SOAK)
    found = await board.changes(world.backend, MARCO, "bench", 3, 2)
    assert found.differences == ["Newly asks: Soaked (soak), which asks for 20 h."]
    assert (await board.changes(world.backend, MARCO, "bench", 1, None)).since is None


async def test_the_calendar_shows_what_closes_and_what_landed(world: World):
    """Within the days asked for."""
    landed = await world.landed("bench")
    freeze = {
        "id": "frozen",
        "kind": "freeze",
        "title": "Frozen",
        "zone": "Europe/Rome",
        "windows": [{"name": "the concert", "from": "2026-03-11T20:00:00", "until": "2026-03-12T06:00:00"}],
    }
    await world.adopt("rehearsal", freeze)
    found = await timeline.timeline(world.backend, MARCO, NOW - timedelta(days=1), 7)
    lanes = {lane.environment.id: lane for lane in found.lanes}
    assert [one.number for one in lanes["bench"].landings] == [landed.number]
    (closing,) = lanes["rehearsal"].closings
    assert (closing.name, closing.end - closing.start) == ("the concert", timedelta(hours=10))
    assert (await timeline.timeline(world.backend, MARCO, NOW + timedelta(days=9), 2)).lanes[0].landings == []
