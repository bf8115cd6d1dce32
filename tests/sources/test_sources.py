"""Outside systems: what is read, and what is said when they are slow, wrong, lying or down."""

from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pytest
from tests.world import SERVICE

from dogana.core.errors import RepositoryError
from dogana.demo.repositories import Build, commit_on_top, make_repository
from dogana.sources.git import GitRepositories, ticket_keys
from dogana.sources.tickets import HttpTracker

NOW = datetime(2026, 3, 10, tzinfo=UTC)


@pytest.fixture
def repositories(tmp_path: Path) -> GitRepositories:
    builds = [
        Build(service=SERVICE, version=f"1.{n}", built_at=NOW - timedelta(days=9 - n), tickets=(f"TAPS-{n}",))
        for n in range(3)
    ]
    make_repository(tmp_path, SERVICE, builds)
    return GitRepositories(tmp_path, lambda: NOW)


async def test_the_change_is_what_came_since_what_runs(repositories, tmp_path):
    """Commits, authors, files with counts, and ticket keys, read from a real repository."""
    base = await repositories.resolve(SERVICE.id, "v1.2")
    made = commit_on_top(tmp_path, SERVICE.id, "lena", "TAPS-77", "Say when water is back")
    change = (await repositories.change(SERVICE.id, base, made)).value
    assert [(c.author_email, c.subject) for c in change.commits] == [
        ("lena@corvale.example", "Say when water is back")
    ]
    assert [(f.path, f.added, f.removed) for f in change.files] == [("docs/changes.md", 2, 0)]
    assert change.ticket_keys == ("TAPS-77",)


async def test_where_nothing_runs_everything_is_the_change(repositories):
    """The first release of a service has a change too."""
    revision = await repositories.resolve(SERVICE.id, "v1.1")
    change = (await repositories.change(SERVICE.id, None, revision)).value
    assert change.base is None
    assert change.ticket_keys == ("TAPS-0", "TAPS-1")
    assert change.files


@pytest.mark.parametrize(
    ("repository", "revision"),
    [
        (SERVICE.id, "v9.9"),
        (SERVICE.id, "--help"),
        (SERVICE.id, "a..b"),
        (SERVICE.id, ""),
        ("nowhere", "main"),
        ("../..", "main"),
        ("/etc", "main"),
    ],
)
async def test_what_cannot_be_a_revision_is_refused(repositories, repository, revision):
    """Options, ranges and paths out of the root never reach git."""
    with pytest.raises(RepositoryError):
        await repositories.resolve(repository, revision)


async def test_a_revision_that_vanished_is_an_unknown_change(repositories):
    """A reading that says why, never a crash."""
    reading = await repositories.change(SERVICE.id, None, "0" * 40)
    assert reading.value is None
    assert reading.unknown


def test_ticket_keys_are_found_as_words():
    """And not inside digests or longer names."""
    assert ticket_keys("Refs CW-12, MET-7: done (LEAK-1)") == {"CW-12", "MET-7", "LEAK-1"}
    assert ticket_keys("sha-256 UTF-8X cw-1 A-1 XCW-12-3") == set()


def answering(handler) -> HttpTracker:
    client = httpx.AsyncClient(transport=httpx.MockTransport(handler))
    return HttpTracker(client, "http://tracker/", lambda: NOW)


def failing(error):
    def handler(request):
        raise error

    return handler


TROUBLES = {
    "slow": (failing(httpx.ReadTimeout("slow")), "it did not answer in time"),
    "down": (failing(httpx.ConnectError("refused")), "it cannot be reached"),
    "broken": (lambda r: httpx.Response(500), "it answered 500 Internal Server Error"),
    "elsewhere": (
        lambda r: httpx.Response(302, headers={"Location": "http://10.0.0.1/"}),
        "it answered 302 Found",
    ),
    "no JSON": (lambda r: httpx.Response(200, text="<html>"), "its answer cannot be understood"),
    "other JSON": (lambda r: httpx.Response(200, json={"state": 3}), "its answer cannot be understood"),
    "a hostile link": (
        lambda r: httpx.Response(200, json={"title": "t", "status": "done", "link": "javascript:x"}),
        "its answer cannot be understood",
    ),
}


@pytest.mark.parametrize("name", TROUBLES)
async def test_a_tracker_in_trouble_gives_an_unknown_with_the_reason(name):
    """Never a pass, never a crash, never another address."""
    handler, reason = TROUBLES[name]
    reading = await answering(handler).tickets(("CW-1",))
    assert (reading.value, reading.unknown) == (None, reason)


async def test_tickets_are_read_and_a_missing_one_is_a_fact():
    """A ticket that does not exist is known not to exist."""

    def handler(request):
        if request.url.path.endswith("CW-1"):
            return httpx.Response(200, json={"title": "Work", "status": "done", "owner": "x"})
        return httpx.Response(404)

    one, two = (await answering(handler).tickets(("CW-1", "CW-2"))).value
    assert (one.title, one.status) == ("Work", "done")
    assert (two.key, two.status) == ("CW-2", None)


async def test_where_a_revision_stands(repositories):
    """The branches that hold it, the tags on it with whose signature, and who reviewed its commits."""
    revision = await repositories.resolve(SERVICE.id, "v1.2")
    reading = await repositories.origin(SERVICE.id, revision)
    assert reading.value is not None
    assert reading.value.branches == ("main",)
    assert [(tag.name, tag.signed_by) for tag in reading.value.tags] == [("v1.2", None)]
    change = await repositories.change(SERVICE.id, None, revision)
    assert change.value is not None
    assert all(c.reviewed_by and c.reviewed_by[0] != c.author_email for c in change.value.commits)
    assert (await repositories.origin("nothing", revision)).unknown == "there is no repository nothing"
