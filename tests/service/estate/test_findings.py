"""Findings followed up: where they run, what mends them, who accepts them; and where something is."""

from datetime import timedelta

import pytest
from tests.world import TICKETS, World, artifact

from dogana.core.errors import ConflictError, InvalidError, NotFoundError, RefusedError
from dogana.core.facts import Report
from dogana.core.findings import FindingKey
from dogana.demo.cast import ACTORS
from dogana.service.estate import accepting, findings, where
from dogana.service.estate.findings import FollowedFinding
from dogana.service.landscape import evidence

ILSE, TOMAS, PIPELINE, WANJIRU = (ACTORS[name] for name in ("ilse", "tomas", "pipeline", "wanjiru"))
KEY = FindingKey("taps-portal", "CVE-1", "portal/bills.ts")


async def scanned(
    world: World, version: str, *found: tuple[str, str], unknown: str | None = None, **counts: int
) -> None:
    """A release is scanned: each finding by its name and severity, in the same file, on a line of its own."""
    listed = [
        {"severity": severity, "name": name, "message": "it leaks", "where": f"{KEY.file}:{n}"}
        for n, (name, severity) in enumerate(found)
    ]
    content = {"critical": 0, "high": len(found), "findings": listed} | counts
    report = Report(
        name="scan", kind="scan", produced_at=world.clock.now, by="s", content=content, unknown=unknown
    )
    await evidence.attach(world.backend, PIPELINE, "taps-portal", version, report)


async def listed(
    world: World, version: str, *parts: tuple[str, str], told: int = 0, unknown: str | None = None
) -> None:
    content = {
        "components": told or len(parts),
        "parts": [{"name": name, "version": of} for name, of in parts],
    }
    report = Report(
        name="bill",
        kind="components",
        produced_at=world.clock.now,
        by="b",
        content=content,
        unknown=unknown,
    )
    await evidence.attach(world.backend, PIPELINE, "taps-portal", version, report)


async def followed(world: World) -> list[FollowedFinding]:
    return (await findings.followed(world.backend, WANJIRU, service="taps-portal", environment=None)).lines


async def accept(
    world: World, who=ILSE, days: int = 9, key: FindingKey = KEY, reason: str = "It is not reached"
):
    until = world.clock.now + timedelta(days=days)
    return await accepting.accept(world.backend, who, key, until=until, reason=reason)


async def test_a_finding_is_followed_through_what_runs(world: World):
    """The gravest first; lines move; a later scan of the release takes the place of an earlier one."""
    await world.landed()
    await scanned(world, "1.2.0", ("CVE-2", "low"), ("CVE-1", "high"))
    world.clock.now += timedelta(days=2)
    first, second = await followed(world)
    assert [(one.name, one.severity, one.age) for one in (first, second)] == [
        ("CVE-1", "high", "2 days"),
        ("CVE-2", "low", "2 days"),
    ]
    assert [place.id for place in first.places] == ["bench"]
    await scanned(world, "1.2.0", ("CVE-1", "critical"))
    (only,) = await followed(world)
    assert (only.severity, only.file) == ("critical", KEY.file)


async def test_what_waits_mends_it_only_if_its_own_scan_is_whole(world: World):
    """A release that was not scanned, or not wholly, mends nothing that is known."""
    await world.landed()
    await scanned(world, "1.2.0", ("CVE-1", "high"))
    await world.adopt("bench", TICKETS, {"id": "n", "kind": "notice", "title": "A day", "at_least": "P1D"})
    number = (await world.ask("bench", "1.3.0")).number
    assert [one.mended_by for one in await followed(world)] == [[]]
    await scanned(world, "1.3.0", unknown="it broke off")
    assert [one.mended_by for one in await followed(world)] == [[]]
    await scanned(world, "1.3.0", high=5)
    assert [one.mended_by for one in await followed(world)] == [[]]
    await scanned(world, "1.3.0")
    (line,) = await followed(world)
    assert [(one.promotion, one.version) for one in line.mended_by] == [(number, "1.3.0")]
    await scanned(world, "1.3.0", ("CVE-1", "high"))
    assert [one.mended_by for one in await followed(world)] == [[]]


async def test_what_was_not_scanned_is_said(world: World):
    """No scan, a broken one, a list that is cut: none of them is the same as nothing found."""
    await world.landed()

    async def unknown() -> list[str]:
        return (
            await findings.followed(world.backend, WANJIRU, service="taps-portal", environment=None)
        ).unknown

    assert await unknown() == ["Taps portal 1.2.0, which runs in Bench, came with no scan."]
    await scanned(world, "1.2.0", unknown="it broke off")
    assert await unknown() == [
        "scan of Taps portal 1.2.0, which runs in Bench, cannot be relied on: it broke off."
    ]
    await scanned(world, "1.2.0", ("CVE-1", "high"), high=300)
    assert await unknown() == [
        "scan of Taps portal 1.2.0, which runs in Bench, names the worst 1 of 300 findings."
    ]
    await scanned(world, "1.2.0")
    assert await unknown() == []


async def test_a_grave_one_takes_two_and_comes_back_after_its_date(world: World):
    """Until the second agrees it stays on the list; not by oneself; and no longer than was said."""
    await world.landed()
    await scanned(world, "1.2.0", ("CVE-1", "high"))
    for wrong in ({"days": 0}, {"days": 181}, {"reason": "  "}):
        with pytest.raises(InvalidError):
            await accept(world, **wrong)
    with pytest.raises(NotFoundError):
        await accept(world, key=KEY._replace(name="CVE-9"))
    asked = await accept(world)
    assert (asked.holds, asked.mine_to_grant, asked.granted_by) == (False, False, None)
    with pytest.raises(RefusedError):
        await accepting.grant(world.backend, ILSE, asked.id)
    with pytest.raises(ConflictError):
        await accept(world, TOMAS)
    granted = await accepting.grant(world.backend, TOMAS, asked.id)
    assert granted.holds
    with pytest.raises(ConflictError):
        await accepting.grant(world.backend, TOMAS, asked.id)
    world.clock.now += timedelta(days=10)
    (line,) = await followed(world)
    assert line.accepted is not None
    assert not line.accepted.holds
    again = await accept(world)
    await accepting.end(world.backend, TOMAS, again.id, reason="no")
    with pytest.raises(NotFoundError):
        await accepting.end(world.backend, TOMAS, again.id, reason="no")
    await world.sequence()
    assert (await world.verified()).verified


async def test_a_mild_one_takes_one_and_no_longer_counts_once_it_is_graver(world: World):
    """What was accepted as low is not accepted as high."""
    await world.landed()
    await scanned(world, "1.2.0", ("CVE-1", "low"))
    asked = await accept(world)
    assert asked.holds
    await scanned(world, "1.2.0", ("CVE-1", "high"))
    (line,) = await followed(world)
    assert line.accepted is not None
    assert not line.accepted.holds
    two = await accept(world)
    assert not two.holds


async def told(world: World, what: str) -> where.Whereabouts:
    return await where.where(world.backend, WANJIRU, what)


async def stops(world: World, what: str) -> list[tuple[str, str, str]]:
    found = await told(world, what)
    return [(one.environment.id, one.version, one.state) for track in found.tracks for one in track.stops]


async def test_a_ticket_is_where_what_brought_it_has_come(world: World):
    """In what runs later too; what waits says why; where it has not come is named."""
    await world.landed("bench", "1.1.0")
    await world.landed("bench", "1.2.0")
    await world.ask("rehearsal", "1.2.0")
    assert await stops(world, "taps-2") == [("bench", "1.2.0", "runs"), ("rehearsal", "1.2.0", "waiting")]
    found = await told(world, "TAPS-2")
    assert (found.kind, found.tracks[0].missing[0].id) == ("ticket", "pilot-valley")
    assert "two" in (found.tracks[0].stops[1].says or "").lower()
    await world.landed("bench", "1.3.0")
    assert (await stops(world, "TAPS-2"))[0] == ("bench", "1.2.0", "runs")
    await world.adopt("bench", {**TICKETS, "when": 'kind != "rollback"'})
    world.clock.now += timedelta(hours=1)
    await world.land((await world.ask("bench", "1.1.0", kind="rollback")).number)
    assert (await stops(world, "TAPS-2"))[0] == ("bench", "1.2.0", "landed")
    assert (await told(world, "TAPS-77")).kind is None


async def test_a_commit_is_in_what_was_built_after_it(world: World):
    """As its repository tells; one that cannot be read is said, and no answer is no absence."""
    await world.landed("bench", "1.2.0")
    change = (await world.dossier((await world.ask("rehearsal", "1.2.0")).number)).change.value
    assert change is not None
    commit = change.revision
    for what in (commit, commit[:9]):
        assert await stops(world, what) == [("bench", "1.2.0", "runs")]
    assert (await told(world, "0" * 40)).kind is None
    (world.folder / "repositories" / "taps-portal").rename(world.folder / "gone")
    gone = await told(world, commit)
    assert gone.kind is None
    assert any(one.startswith("The repository of Taps portal could not be read") for one in gone.unknown)


async def test_a_component_below_a_version_is_found_in_one_search(world: World):
    """By any way of writing it; what cannot be compared is found and said, and an unlisted release too."""
    await world.landed("bench", "1.2.0")
    assert "Taps portal 1.2.0 came with no list of components." in (await told(world, "codec")).unknown
    await listed(world, "1.2.0", ("codec", "2.0.1"), ("parser", "odd-3"), ("codec-more", "1.0"))
    assert await stops(world, "codec < 2.1") == [("bench", "1.2.0", "runs")]
    assert await stops(world, "Codec below 2.0.1") == []
    assert await stops(world, "codec@2.0.1") == [("bench", "1.2.0", "runs")]
    assert await stops(world, "codec@2.0") == []
    assert (await told(world, "codec")).tracks[0].holds == ["2.0.1"]
    odd = await told(world, "parser < 4")
    assert (odd.kind, odd.unknown) == ("component", ["parser odd-3 cannot be compared with 4."])
    await world.landed("bench", "1.3.0")
    assert await stops(world, "codec") == []
    await listed(world, "1.3.0", ("codec-more", "1.0"), told=512)
    assert (await told(world, "codec")).unknown == ["Taps portal 1.3.0: bill names 1 of 512 components."]
    await listed(world, "1.3.0", ("codec-more", "1.0"), unknown="it says itself that it may not be all")
    assert "cannot be relied on" in (await told(world, "codec")).unknown[0]


async def test_an_artifact_and_a_release_are_where_they_run(world: World):
    """By digest, by version alone, by service and version; where something later runs they are replaced."""
    await world.landed("bench", "1.2.0")
    for what in (artifact().digest, "1.2.0", "Taps portal 1.2.0", "taps-portal 1.2.0"):
        assert await stops(world, what) == [("bench", "1.2.0", "runs")]
    await world.landed("bench", "1.3.0")
    assert await stops(world, "1.2.0") == [("bench", "1.2.0", "landed")]
    for what in ("sha256:" + "f" * 64, "leak-watch 1.2.0", "%", " ", "' OR 1=1", "a" * 200):
        assert (await told(world, what)).kind is None
