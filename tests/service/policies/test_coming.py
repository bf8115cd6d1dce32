"""Policies that come into force later, and the baselines and heirs they are held against then."""

import asyncio
from collections.abc import Awaitable, Callable
from datetime import timedelta
from typing import Any

import pytest
from tests.world import NOW, REVIEWERS, SAMENESS, TICKETS, World, policy

from dogana.core.errors import ConflictError, InvalidError, InvalidPolicyError, MovedOnError
from dogana.core.policy.document import Policy, policy_of, read_policy
from dogana.core.policy.inheritance import loosened
from dogana.core.record.canonical import canonical
from dogana.core.time.windows import Calendar
from dogana.demo.cast import ACTORS
from dogana.service.calendars import files, shared
from dogana.service.landscape import environments, retiring, setting_up
from dogana.service.landscape.documents import Environment
from dogana.service.people import leaving, members
from dogana.service.policies import board, drafts, in_force
from dogana.service.policies.board import BoardColumn
from dogana.service.views import ledger as ledger_pages
from dogana.service.views import preview, timeline
from dogana.store import policies
from dogana.store.ledger import EntryFilter

MARCO, CHIARA, DARIO = ACTORS["marco"], ACTORS["chiara"], ACTORS["dario"]
LATER = NOW + timedelta(hours=5)
SOAK = {"id": "soak", "kind": "soak", "title": "Soaked", "at_least": "PT20H"}
LONGER = SOAK | {"at_least": "P3D"}
HEIR = policy(TICKETS) | {"inherits": "live"}
LAX_HEIR = policy(SOAK, TICKETS) | {"inherits": "live"}


def _freeze(name: str, since: str, until: str) -> dict[str, Any]:
    window = {"name": name, "from": f"2026-03-{since}:00", "until": f"2026-03-{until}:00"}
    return {"id": name, "kind": "freeze", "title": name, "zone": "Etc/UTC", "windows": [window]}


async def _adopted(world: World, environment: str, document: dict[str, Any], at: Any = None) -> None:
    row = await drafts.draft(world.backend, MARCO, environment, document)
    await drafts.adopt(world.backend, CHIARA, environment, row.version, reason="", in_force_from=at)


async def _column(world: World, environment: str = "bench") -> BoardColumn:
    columns = (await board.board(world.backend, MARCO)).columns
    return next(one for one in columns if one.environment.id == environment)


async def _holds(world: World, environment: str) -> Policy:
    async with world.backend.database.transaction() as session:
        found = await in_force.found_in_force(session, environment, world.clock())
    assert found is not None
    return found.policy


async def _baseline_later_heir_now(world: World) -> None:
    await _adopted(world, "live", policy(LONGER), LATER)
    await _adopted(world, "bench", LAX_HEIR)


async def _heir_later_baseline_now(world: World) -> None:
    await _adopted(world, "bench", LAX_HEIR, LATER)
    await _adopted(world, "live", policy(LONGER))


async def _heir_now_baseline_later(world: World) -> None:
    await _adopted(world, "bench", LAX_HEIR)
    await _adopted(world, "live", policy(LONGER), LATER)


async def _both_at_once(world: World) -> None:
    heir = await drafts.draft(world.backend, MARCO, "bench", LAX_HEIR)
    baseline = await drafts.draft(world.backend, MARCO, "live", policy(LONGER))
    came = await asyncio.gather(
        drafts.adopt(world.backend, CHIARA, "bench", heir.version, reason=""),
        drafts.adopt(world.backend, CHIARA, "live", baseline.version, reason=""),
        return_exceptions=True,
    )
    (refused,) = [one for one in came if isinstance(one, BaseException)]
    raise refused


@pytest.mark.parametrize(
    "way", [_baseline_later_heir_now, _heir_later_baseline_now, _heir_now_baseline_later, _both_at_once]
)
async def test_no_heir_comes_to_be_laxer_than_its_baseline(
    world: World, way: Callable[[World], Awaitable[None]]
):
    """Whichever of the two is adopted last, and whenever either comes into force."""
    await world.adopt("live", SOAK)
    with pytest.raises(InvalidPolicyError) as refused:
        await way(world)
    assert "3 days" in str(refused.value.fields)
    for world.clock.now in (NOW, LATER):
        async with world.backend.database.transaction() as session:
            held = await policies.in_force_everywhere(session, world.clock())
        baseline, heir = (policy_of(held[name].document) for name in ("live", "bench"))
        assert heir.inherits is None or loosened(baseline, heir) == []


async def test_an_heir_as_strict_as_what_is_to_come_is_adopted(world: World):
    """What its baseline asks for later holds from then on, and not before."""
    await world.adopt("live", SOAK)
    await _adopted(world, "bench", HEIR)
    await _adopted(world, "live", policy(LONGER), LATER)
    await _adopted(world, "bench", policy(TICKETS, SAMENESS) | {"inherits": "live"})
    before = await _holds(world, "bench")
    world.clock.now = LATER
    asked = [rule.summary() for rule in (before.rules[0], (await _holds(world, "bench")).rules[0])]
    assert asked == ["20 h in every leg before", "3 days in every leg before"]


async def test_no_rule_gets_lost_between_baselines(world: World):
    """None inherits from itself, nor from one that inherits: what it left out as inherited is nowhere."""
    await world.adopt("live", SOAK)
    await world.adopt("bench", SOAK, TICKETS)
    with pytest.raises(InvalidPolicyError) as refused:
        await drafts.draft(world.backend, MARCO, "bench", policy(TICKETS) | {"inherits": "bench"})
    assert refused.value.fields == [("/inherits", "a policy cannot inherit from itself")]
    await _adopted(world, "rehearsal", policy(TICKETS) | {"inherits": "bench"})
    moved_up = policy(TICKETS) | {"inherits": "live"}
    said = await preview.preview(world.backend, MARCO, "bench", moved_up)
    assert said.refused == ["Rehearsal would lose what this inherits; let it inherit from nothing."]
    with pytest.raises(InvalidPolicyError, match="Rehearsal would lose"):
        await _adopted(world, "bench", moved_up)
    assert {rule.id for rule in (await _holds(world, "rehearsal")).rules} == {"soak", "tickets"}
    with pytest.raises(InvalidPolicyError):
        await _adopted(world, "pilot-valley", policy(TICKETS) | {"inherits": "rehearsal"})


async def test_nothing_enters_where_a_rule_got_lost_before(world: World):
    """One that was let in under an earlier release; the board shows it as without a policy."""
    await world.adopt("live", SOAK)
    await world.adopt("rehearsal", TICKETS)
    await _adopted(world, "bench", policy(TICKETS) | {"inherits": "rehearsal"})
    chained = read_policy(policy(TICKETS) | {"inherits": "live"})
    async with world.backend.database.transaction() as session:
        row = await policies.in_force(session, "rehearsal", world.clock())
        assert row is not None
        row.document = canonical(chained).decode()
    with pytest.raises(InvalidError, match="nothing can inherit from it; nothing can enter bench"):
        await world.ask("bench")
    assert (await _column(world)).environment.id == "bench"


async def test_a_draft_of_a_baseline_says_whose_policy_goes_first(world: World):
    await world.adopt("live", SOAK)
    await _adopted(world, "bench", LAX_HEIR)
    (why,) = (await preview.preview(world.backend, MARCO, "live", policy(LONGER))).refused
    assert why.startswith("The policy of Bench would be laxer than this: soak is not as strict")
    assert (await preview.preview(world.backend, MARCO, "live", policy(SOAK, TICKETS))).refused == []


async def test_one_that_was_retired_stands_in_nobody_s_way_and_comes_back_no_laxer(world: World):
    await world.adopt("live", SOAK)
    spare = Environment(title="Spare", zone="Europe/Rome", departs="by deployer")
    await setting_up.keep_environment(world.backend, DARIO, "spare", spare, None)
    await _adopted(world, "spare", LAX_HEIR)
    with pytest.raises(ConflictError, match="inherited by Spare"):
        await retiring.remove_environment(world.backend, DARIO, "live")
    assert (await retiring.remove_environment(world.backend, DARIO, "spare")).how == "retired"
    await world.adopt("live", LONGER)
    with pytest.raises(ConflictError, match="laxer than its baseline by now: soak is not as strict"):
        await setting_up.keep_environment(world.backend, DARIO, "spare", spare, None)
    await world.adopt("live", SOAK)
    await setting_up.keep_environment(world.backend, DARIO, "spare", spare, None)
    assert "spare" in await environments.environments(world.backend, DARIO)


async def test_a_draft_is_not_adopted_after_a_later_one(world: World):
    """It would undo what that one changed, which its author did not know of."""
    old = await drafts.draft(world.backend, MARCO, "bench", policy(TICKETS))
    await _adopted(world, "bench", policy(TICKETS, SAMENESS), LATER)
    with pytest.raises(MovedOnError, match=f"Version {old.version + 1}, drafted later"):
        await drafts.adopt(world.backend, CHIARA, "bench", old.version, reason="")


async def test_what_is_yet_to_come_is_never_hidden(world: World):
    """Whatever is drafted after it: the board names it, and an adoption says until when it holds."""
    await _adopted(world, "bench", policy(TICKETS, SAMENESS), LATER)
    coming = (await _column(world)).coming
    await _adopted(world, "bench", policy(TICKETS))
    wanted = EntryFilter(action="adopt", environment="bench")
    said = (await ledger_pages.ledger_page(world.backend, DARIO, wanted, 1)).entries[0].says
    assert f", until version {coming} takes its place Tue 10 Mar 15:00, Rome." in said
    await drafts.draft(world.backend, MARCO, "bench", policy(SAMENESS))
    column = await _column(world)
    assert (column.coming, column.coming_at, column.draft) == (coming, LATER, (coming or 0) + 2)
    # Of two that come at one instant the later one holds.
    await drafts.adopt(world.backend, CHIARA, "bench", column.draft or 0, reason="", in_force_from=LATER)
    assert (await _column(world)).coming == column.draft
    world.clock.now = LATER
    assert (await _column(world)).version == column.draft


async def test_a_dossier_says_what_the_next_policy_makes_of_it(world: World):
    """Its own or that of its baseline; nothing is said where nothing comes."""
    await world.adopt("live", TICKETS)
    await _adopted(world, "rehearsal", policy(REVIEWERS) | {"inherits": "live"})
    row = await world.waiting()
    assert (await world.dossier(row.number)).policy.coming is None
    await _adopted(world, "live", policy(TICKETS | {"status": ["verified"]}), LATER)
    await _adopted(world, "rehearsal", policy(REVIEWERS), LATER + timedelta(hours=1))
    coming = (await world.dossier(row.number)).policy.coming
    assert coming is not None
    assert (coming.version, coming.baseline, coming.at, coming.verdict) == (
        2,
        "Live, north and south",
        LATER,
        "barred",
    )
    assert "verified" in coming.because
    world.clock.now = LATER
    after = await world.refresh(row.number)
    assert (after.row.verdict, after.row.sentence) == (coming.verdict, coming.because)
    following = after.policy.coming
    assert following is not None
    assert (following.version, following.baseline, following.verdict) == (3, None, "held")
    world.clock.now = LATER + timedelta(hours=2)
    assert (await world.refresh(row.number)).policy.coming is None


async def test_one_that_comes_to_inherit_from_another_class_is_known_too(world: World):
    await world.adopt("live", TICKETS)
    await world.adopt("preview", TICKETS | {"status": ["verified"]})
    await _adopted(world, "rehearsal", policy(REVIEWERS) | {"inherits": "live"})
    row = await world.waiting()
    await _adopted(world, "rehearsal", policy(REVIEWERS) | {"inherits": "preview"}, LATER)
    coming = (await world.refresh(row.number)).policy.coming
    assert coming is not None
    assert (coming.at, coming.baseline, coming.verdict) == (LATER, None, "barred")


async def test_what_a_policy_to_come_names_stays(world: World):
    """Calendars and groups; a draft whose calendar has gone since is not adopted."""
    feasts = Calendar.model_validate({"title": "Feasts", "zone": "Europe/Rome", "windows": []})
    named = _freeze("feast", "09T08:00", "11T06:00") | {"calendars": ["feasts"]}
    await members.keep_group(world.backend, DARIO, "divers", members.Group(title="Divers"))
    seat = REVIEWERS | {"seats": [{"group": "divers"}]}
    await shared.keep_calendar(world.backend, MARCO, "feasts", feasts)
    drafted = await drafts.draft(world.backend, MARCO, "bench", policy(named, seat))
    await shared.drop_calendar(world.backend, MARCO, "feasts")
    with pytest.raises(InvalidPolicyError) as refused:
        await drafts.adopt(world.backend, CHIARA, "bench", drafted.version, reason="")
    assert refused.value.fields == [("/rules/0", "there is no calendar feasts")]
    await shared.keep_calendar(world.backend, MARCO, "feasts", feasts)
    await drafts.adopt(world.backend, CHIARA, "bench", drafted.version, reason="", in_force_from=LATER)
    await drafts.draft(world.backend, MARCO, "bench", policy(TICKETS))
    with pytest.raises(InvalidError, match="policy of bench names it"):
        await shared.drop_calendar(world.backend, MARCO, "feasts")
    with pytest.raises(ConflictError, match="needed by the policy of bench"):
        await leaving.remove_group(world.backend, DARIO, "divers")
    feed = (await files.feed(world.backend, MARCO, "bench")).decode()
    assert "DTSTART:20260310T140000Z" in feed


async def test_what_is_foretold_of_a_start_is_what_the_next_policy_lets_happen(world: World):
    """It opens before that one closes it, or once that lets it; said before it holds as it is said after."""
    await world.adopt("rehearsal", REVIEWERS, _freeze("now", "09T08:00", "10T16:00"))
    row = await world.waiting()
    before = await world.dossier(row.number)
    assert before.row.first_start == NOW.replace(hour=16, minute=0)
    await _adopted(world, "rehearsal", policy(REVIEWERS, _freeze("then", "09T08:00", "11T06:00")), LATER)
    foretold = (await world.refresh(row.number)).row
    assert (foretold.first_start, foretold.verdict) == (NOW.replace(day=11, hour=6, minute=0), "held")
    assert foretold.sentence.endswith("Held by now and then until Wed 11 Mar 07:00, Rome.")
    world.clock.now = LATER
    assert (await world.refresh(row.number)).row.first_start == foretold.first_start


async def test_so_many_may_be_to_come_and_no_more(world: World):
    """Each inspection looks ahead under all of them; at once another is adopted all the same."""
    for hour in range(10):
        await _adopted(world, "bench", policy(TICKETS), LATER + timedelta(hours=hour))
    with pytest.raises(ConflictError, match="10 versions are to come there already"):
        await _adopted(world, "bench", policy(TICKETS), LATER)
    await _adopted(world, "bench", policy(SAMENESS))
    assert (await _column(world)).version == 13


async def test_the_calendar_goes_by_the_policy_that_holds_then(world: World):
    """A freeze that both ask for is drawn as one; what only the later one asks for begins with it."""
    both, early, late = (
        _freeze("both", "10T08:00", "12T06:00"),
        _freeze("early", "09T08:00", "11T06:00"),
        _freeze("late", "09T08:00", "11T06:00"),
    )
    await world.adopt("bench", both, early)
    await _adopted(world, "bench", policy(both, late), LATER)
    found = await timeline.timeline(world.backend, MARCO, NOW - timedelta(days=2), 7)
    lane = next(one for one in found.lanes if one.environment.id == "bench")
    drawn = {one.name: f"{one.start:%dT%H} {one.end:%dT%H}" for one in lane.closings}
    at = f"{LATER:%dT%H}"
    assert drawn == {"both": "10T08 12T06", "early": f"09T08 {at}", "late": f"{at} 11T06"}
    assert len(lane.closings) == len(drawn)
