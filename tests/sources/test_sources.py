"""Outside systems: what is read, and what is said when they are slow, wrong, lying or down."""

import os
import subprocess
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pytest
from tests.world import SERVICE

from dogana.core.errors import RepositoryError
from dogana.demo.repositories import Build, commit_on_top, make_repository
from dogana.sources.git import GitRepositories
from dogana.sources.history import named_tickets
from dogana.sources.reachable import Reachable
from dogana.sources.settings import Configured, RepositoryAt, TrackerSettings
from dogana.sources.tickets import HttpTracker

NOW = datetime(2026, 3, 10, tzinfo=UTC)


@pytest.fixture
def repositories(tmp_path: Path) -> GitRepositories:
    builds = [
        Build(service=SERVICE, version=f"1.{n}", built_at=NOW - timedelta(days=9 - n), tickets=(f"TAPS-{n}",))
        for n in range(3)
    ]
    make_repository(tmp_path, SERVICE, builds)
    return GitRepositories(tmp_path, lambda: NOW, tmp_path / "mirrors", Reachable(""))


async def test_the_change_is_what_came_since_what_runs(repositories, tmp_path):
    """Commits, authors, files with counts, and ticket keys, read from a real repository."""
    base = await repositories.resolve(RepositoryAt(SERVICE.id), "v1.2")
    made = commit_on_top(tmp_path, SERVICE.id, "lena", "TAPS-77", "Say when water is back")
    change = (await repositories.change(RepositoryAt(SERVICE.id), base, made)).value
    assert [(c.author_email, c.subject) for c in change.commits] == [
        ("lena@corvale.example", "Say when water is back")
    ]
    assert [(f.path, f.added, f.removed) for f in change.files] == [("docs/changes.md", 2, 0)]
    assert change.ticket_keys == ("TAPS-77",)


async def test_where_nothing_runs_everything_is_the_change(repositories):
    """The first release of a service has a change too."""
    revision = await repositories.resolve(RepositoryAt(SERVICE.id), "v1.1")
    change = (await repositories.change(RepositoryAt(SERVICE.id), None, revision)).value
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
        await repositories.resolve(RepositoryAt(repository), revision)


async def test_a_revision_that_vanished_is_an_unknown_change(repositories):
    """A reading that says why, never a crash."""
    reading = await repositories.change(RepositoryAt(SERVICE.id), None, "0" * 40)
    assert reading.value is None
    assert reading.unknown


def test_ticket_keys_are_found_as_words():
    """And not inside digests or longer names."""
    assert named_tickets("Refs CW-12, MET-7: done (LEAK-1)") == {"CW-12", "MET-7", "LEAK-1"}
    assert named_tickets("closes #12, not a#3 or &#4; UTF-8X A-1 XCW-12-3") == {"#12"}


def answering(answer, **settings):
    """A tracker that answers with some JSON, asked for a ticket."""
    client = httpx.AsyncClient(transport=httpx.MockTransport(lambda _: httpx.Response(200, json=answer)))
    at = TrackerSettings(address="http://tracker/rest/{key}", **settings)
    return HttpTracker(client, lambda: NOW).tickets(Configured("t", "tickets", at), ("CW/1",))


async def test_another_tracker_is_a_matter_of_settings():
    """Fields deep in the answer, numbers for text, blockers as objects with a status of their own."""
    answer = {
        "fields": {
            "summary": "Work",
            "state": {"name": "Closed"},
            "type": {"name": "fault"},
            "links": [
                {"on": {"id": 7, "state": {"name": "Open"}}},
                {"on": {"id": 8, "state": {"name": "Closed"}}},
            ],
        },
        "web": {"url": "https://tickets.example/CW-1"},
    }
    reading = await answering(
        answer,
        status="/fields/state/name",
        title="/fields/summary",
        kind="/fields/type/name",
        link="/web/url",
        blockers="/fields/links",
        blocker_key="/on/id",
        blocker_status="/on/state/name",
        closed=("Closed",),
    )
    (ticket,) = reading.value
    assert (ticket.status, ticket.title, ticket.kind) == ("Closed", "Work", "fault")
    assert (ticket.link, ticket.open_blockers) == ("https://tickets.example/CW-1", ("7",))


@pytest.mark.parametrize(
    ("answer", "settings", "why"),
    [
        ({"title": "t"}, {}, "no status at /status"),
        ({"status": ["done"]}, {}, "no text at /status"),
        ({"status": "done", "url": "javascript:x"}, {"link": "/url"}, "its link is no web address"),
        ({"status": "done", "by": "x"}, {"blockers": "/by"}, "its blockers are no list"),
        ({"status": "done", "by": [{"status": "open"}]}, {"blockers": "/by"}, "no key of a blocker"),
        ([], {}, "cannot be understood"),
    ],
)
async def test_an_answer_that_does_not_fit_the_settings_says_where(answer, settings, why):
    """So that whoever sets a tracker up sees which pointer is wrong."""
    reading = await answering(answer, **settings)
    assert reading.value is None
    assert why in reading.unknown


async def test_a_missing_ticket_is_a_fact():
    """A ticket that does not exist is known not to exist, by its key as it was asked for."""
    asked = []

    def handler(request):
        asked.append(str(request.url))
        return httpx.Response(404)

    client = httpx.AsyncClient(transport=httpx.MockTransport(handler))
    at = TrackerSettings(address="http://tracker/rest/{key}")
    reading = await HttpTracker(client, lambda: NOW).tickets(Configured("t", "tickets", at), ("CW/1",))
    assert (reading.value[0].key, reading.value[0].status) == ("CW/1", None)
    assert asked == ["http://tracker/rest/CW%2F1"]


async def test_where_a_revision_stands(repositories):
    """The branches that hold it, the tags on it with whose signature, and who reviewed its commits."""
    revision = await repositories.resolve(RepositoryAt(SERVICE.id), "v1.2")
    reading = await repositories.origin(RepositoryAt(SERVICE.id), revision)
    assert reading.value is not None
    assert reading.value.branches == ("main",)
    assert [(tag.name, tag.signed_by) for tag in reading.value.tags] == [("v1.2", None)]
    change = await repositories.change(RepositoryAt(SERVICE.id), None, revision)
    assert change.value is not None
    assert all(c.reviewed_by and c.reviewed_by[0] != c.author_email for c in change.value.commits)
    assert (
        await repositories.origin(RepositoryAt("nothing"), revision)
    ).unknown == "there is no repository nothing"


async def test_a_commit_is_read_with_what_it_changed(repositories, tmp_path):
    """All it says, and its files; the reason where it is gone."""
    made = commit_on_top(tmp_path, SERVICE.id, "lena", "TAPS-77", "Say when water is back")
    patch = (await repositories.patch(RepositoryAt(SERVICE.id), made)).value
    assert patch.message == "Say when water is back\n\nRefs TAPS-77"
    assert [(one.path, one.what, one.added, one.removed) for one in patch.files] == [
        ("docs/changes.md", "added", 2, 0)
    ]
    assert "+Say when water is back" in patch.files[0].lines
    gone = await repositories.patch(RepositoryAt(SERVICE.id), "0" * 40)
    assert (gone.value, bool(gone.unknown)) == (None, True)


async def test_a_merge_shows_what_it_brought_to_its_first_parent(repositories, tmp_path):
    """Not nothing, which is what a combined diff of a clean merge comes to."""
    folder = tmp_path / SERVICE.id

    def git(*words: str) -> str:
        who = {
            f"GIT_{role}_{what}": "x@corvale.example"
            for role in ("AUTHOR", "COMMITTER")
            for what in ("NAME", "EMAIL")
        }
        return subprocess.run(
            ["git", "-C", str(folder), *words],
            env=os.environ | who,
            check=True,
            capture_output=True,
            text=True,
        ).stdout.strip()

    side = commit_on_top(tmp_path, SERVICE.id, "lena", "TAPS-77", "On a branch")
    merge = git("commit-tree", f"{side}^{{tree}}", "-p", f"{side}^", "-p", side, "-m", "Merge it")
    patch = (await repositories.patch(RepositoryAt(SERVICE.id), merge)).value
    assert [one.path for one in patch.files] == ["docs/changes.md"]
