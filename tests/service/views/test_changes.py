"""What a promotion brings, opened before anybody decides; who could settle it; where its rules come from."""

import pytest
from tests.world import REVIEWERS, SAMENESS, TICKETS, World, artifact

from dogana.core.errors import ForbiddenError, NotFoundError
from dogana.demo.cast import ACTORS
from dogana.service.people import tokens
from dogana.service.views import changes
from dogana.sources.settings import RepositoryAt
from dogana.store import landscape
from dogana.store.tables.landscape import RouteRow

ILSE, WANJIRU = ACTORS["ilse"], ACTORS["wanjiru"]


async def test_a_commit_that_it_brings_opens_and_no_other(world: World):
    """Nobody reads a repository through a promotion that has nothing to do with it."""
    row = await world.waiting()
    commits = (await world.dossier(row.number)).change.value.commits
    patch = (await changes.patch(world.backend, WANJIRU, row.number, commits[0].revision)).value
    assert patch.message.startswith(commits[0].subject)
    assert patch.files
    other = await world.backend.repositories.resolve(RepositoryAt("taps-portal"), "v1.4.0")
    for number, revision in ((row.number, other), (row.number, "0" * 40), (999_999, commits[0].revision)):
        with pytest.raises(NotFoundError):
            await changes.patch(world.backend, WANJIRU, number, revision)


async def test_a_commit_that_vanished_says_so(world: World):
    row = await world.waiting()
    commit = (await world.dossier(row.number)).change.value.commits[0]
    (world.folder / "repositories" / "taps-portal").rename(world.folder / "moved")
    found = await changes.patch(world.backend, WANJIRU, row.number, commit.revision)
    assert (found.value, found.unknown) == (None, "there is no repository taps-portal")


async def test_who_only_subscribes_reads_no_commit(world: World):
    """A token for a calendar feed opens nothing else."""
    row = await world.waiting()
    token = await world.token(ACTORS["noor"], title="feed", scopes=("feed",), days=1)
    actor = await tokens.actor_by_token(world.backend, token)
    with pytest.raises(ForbiddenError):
        await changes.patch(world.backend, actor, row.number, "0" * 40)


async def test_where_an_artifact_lies_is_shown_and_changes_no_approval(world: World):
    """What was approved are bytes; that they can be fetched elsewhere now is nothing to decide on anew."""
    link = "https://builds.corvale.example/portal.tar.gz"
    linked = artifact().model_copy(update={"link": link})
    await world.land((await world.ask("bench", artifacts=(linked,))).number)
    row = await world.ask("rehearsal")
    await world.approve(row.number, "ilse")
    assert (await world.dossier(row.number)).artifacts[0].link == link
    async with world.backend.database.transaction() as session:
        release = await landscape.release(session, "taps-portal", "1.2.0")
        release.artifacts = [
            one | {"link": "https://archive.corvale.example/portal.tar.gz"} for one in release.artifacts
        ]
    file = await world.refresh(row.number)
    assert file.artifacts[0].link.startswith("https://archive")
    assert [seat.taken_by.name for seat in file.row.seats if seat.taken_by] == ["Ilse Brandt"]
    assert next(one for one in file.findings if one.rule == "bytes").outcome == "met"


async def test_an_open_seat_names_the_people_who_could_take_it(world: World):
    """Not who asked, not who sits already, and whom a stand-in would sit for."""
    row = await world.waiting(who="ilse")
    finding = next(one for one in (await world.dossier(row.number)).findings if one.kind == "reviewers")
    named = {line.label: line.value for line in finding.evidence}
    assert named["release desk"] == "open to Tomás Quiroga"
    assert named["test leads"] == "open to Henrik Solberg or Yuki Tanabe"
    assert named["May not decide"] == "Ilse Brandt, who asked"
    await world.approve(row.number, "henrik")
    finding = next(one for one in (await world.dossier(row.number)).findings if one.kind == "reviewers")
    named = {line.label: line.value for line in finding.evidence}
    assert named["test leads"] == "Henrik Solberg"


async def test_a_rule_says_since_which_version_it_asks_for_what_it_does(world: World):
    """Versions that leave it alone are not where it comes from; one that changes it is."""
    await world.adopt("rehearsal", REVIEWERS, TICKETS, SAMENESS | {"title": "Byte for byte"})
    await world.adopt(
        "rehearsal", REVIEWERS | {"comment": "required"}, TICKETS, SAMENESS | {"title": "Byte for byte"}
    )
    row = await world.waiting()
    since = {one.rule: one.asked_since.version for one in (await world.dossier(row.number)).findings}
    assert since == {"tickets": 1, "bytes": 2, "reviewers": 3}
    origin = (await world.dossier(row.number)).findings[0].asked_since
    assert (origin.environment, origin.adopted_by.name) == ("rehearsal", "Chiara Fontana")


async def test_a_rule_of_the_baseline_comes_from_the_baseline(world: World):
    await world.adopt("live", TICKETS)
    heir = {"format": "dogana.policy/1", "title": "Bench", "zone": "Europe/Rome", "inherits": "live"}
    await world.adopt_document("bench", heir | {"rules": [SAMENESS]})
    row = await world.ask("bench")
    origins = {one.rule: one.asked_since for one in (await world.dossier(row.number)).findings}
    assert {rule: (one.environment, one.version) for rule, one in origins.items()} == {
        "tickets": ("live", 1),
        "bytes": ("bench", 2),
    }


async def test_the_route_that_most_services_travel_comes_first(world: World):
    """However the others are called; the line over every view is the one people look for."""
    async with world.backend.database.transaction() as session:
        session.add(RouteRow(id="alpine", title="Alpine route", lets_in=None, legs=[]))
    async with world.backend.database.transaction() as session:
        assert [row.id for row in await landscape.routes(session)] == ["standard", "alpine", "urgent"]
