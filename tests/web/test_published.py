"""Landings as a feed and badges, by a token in the address: for readers that cannot sign in."""

from defusedxml import ElementTree
from tests.web.test_access import browser
from tests.world import TICKETS, World

from dogana.demo.cast import ACTORS
from dogana.service.people import tokens

ATOM = "{http://www.w3.org/2005/Atom}"


async def token_of(world: World, *scopes: str, **limits) -> str:
    wanted = tokens.NewToken(title="feed", scopes=scopes, days=9, **limits)
    return (await tokens.make_token(world.backend, ACTORS["adaeze"], wanted)).token


async def test_landings_are_followed_and_a_badge_says_what_runs(world: World):
    """What is required of a feed is there (RFC 4287, section 4.1); ids stay, words are text."""
    await world.adopt("bench", TICKETS)
    nobody, token = browser(world), await token_of(world, "feed")
    before = await nobody.get(f"/api/feeds/{token}/badge/taps-portal/bench.svg")
    assert before.headers["content-type"] == "image/svg+xml"
    assert "Taps portal in Bench: nothing landed" in before.text
    first = await world.landed("bench", "1.1.0")
    await world.landed("bench", "1.2.0")
    answer = await nobody.get(f"/api/feeds/{token}/landings.atom")
    assert answer.headers["content-type"] == "application/atom+xml"
    feed = ElementTree.fromstring(answer.content)
    entries = feed.findall(f"{ATOM}entry")
    assert [one.findtext(f"{ATOM}title") for one in entries] == [
        "Taps portal 1.2.0 into Bench",
        "Taps portal 1.1.0 into Bench",
    ]
    for part in (feed, *entries):
        assert all(part.findtext(f"{ATOM}{name}") for name in ("id", "title", "updated"))
    assert entries[1].findtext(f"{ATOM}id").endswith(f"/promotion/{first.number}")
    badge = ElementTree.fromstring(
        (await nobody.get(f"/api/feeds/{token}/badge/taps-portal/bench.svg")).content
    )
    assert badge.get("aria-label") == "Taps portal in Bench: 1.2.0"
    await world.ask("bench", "1.3.0")
    moves = await nobody.get(f"/api/feeds/{token}/badge/taps-portal/bench.svg")
    assert "1.2.0, another goes in" in moves.text


async def test_a_token_shows_no_more_than_it_is_for(world: World):
    """Another scope, another environment, another service, nothing of that name."""
    await world.landed("bench")
    nobody = browser(world)
    wide, narrow = await token_of(world, "feed"), await token_of(world, "feed", environments=["live-north"])
    other = await token_of(world, "read")
    paths = {
        f"/api/feeds/{narrow}/badge/taps-portal/bench.svg": 403,
        f"/api/feeds/{other}/badge/taps-portal/bench.svg": 403,
        f"/api/feeds/{other}/landings.atom": 403,
        "/api/feeds/dgn_wrong/landings.atom": 401,
        f"/api/feeds/{wide}/badge/nothing/bench.svg": 404,
        f"/api/feeds/{wide}/badge/taps-portal/nowhere.svg": 404,
    }
    for path, status in paths.items():
        assert (await nobody.get(path)).status_code == status, path
    assert b"<entry" not in (await nobody.get(f"/api/feeds/{narrow}/landings.atom")).content
    assert (await nobody.get(f"/api/feeds/{wide}/landings.atom")).content.count(b"<entry") == 1


async def test_a_commit_says_where_what_was_built_from_it_stands(world: World):
    """Where it runs, or is on its way, or was replaced; to a token no further than it is for."""
    first = await world.landed("bench", "1.1.0")
    revision = first.release.revision
    nobody, token = browser(world), await token_of(world, "feed")
    at = f"/api/feeds/{token}/commit/taps-portal"

    async def said(which: str = revision) -> tuple[str, list[tuple[str, str]]]:
        found = (await nobody.get(f"{at}/{which}.json")).json()
        return found["says"], [(one["environment"], one["state"]) for one in found["places"]]

    assert await said() == ("Taps portal: runs in Bench", [("bench", "runs")])
    await world.ask("rehearsal", "1.1.0")
    assert await said() == ("Taps portal: runs in Bench", [("bench", "runs"), ("rehearsal", "waiting")])
    await world.landed("bench", "1.2.0")
    assert await said() == (
        "Taps portal: waits for Rehearsal",
        [("bench", "replaced"), ("rehearsal", "waiting")],
    )
    picture = await nobody.get(f"{at}/{revision}.svg")
    assert ElementTree.fromstring(picture.content).get("aria-label") == "Taps portal: waits for Rehearsal"
    for path in (f"{at}/{'0' * 40}.json", f"/api/feeds/{token}/commit/nothing/{revision}.json"):
        assert (await nobody.get(path)).status_code == 404
    for limit, status in (
        ({"services": ["field-app"]}, 403),
        ({"environments": ["live-north"]}, 404),
        ({"environments": ["bench"]}, 200),
    ):
        narrow = await token_of(world, "feed", **limit)
        path = f"/api/feeds/{narrow}/commit/taps-portal/{revision}.json"
        assert (await nobody.get(path)).status_code == status
