"""Outside systems: what is read, and what is said when they are slow, wrong, lying or down."""

import os
import shutil
import subprocess
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pytest
from tests.world import SERVICE

from dogana.core.errors import RepositoryError
from dogana.demo.repositories import Build, commit_on_top, make_repository
from dogana.sources import git_command, history
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


async def test_what_git_does_not_say_in_time_is_not_no(repositories, monkeypatch):
    """Neither that a commit is in no release, nor that one was lost."""
    at = RepositoryAt(SERVICE.id)
    revision = await repositories.resolve(at, "v1.1")
    assert (await repositories.holding(at, revision[:8], [revision])).value == (revision,)
    assert (await repositories.holding(at, "0" * 40, [revision])).value == ()
    assert (await repositories.check(at, "0" * 40)).value is False
    monkeypatch.setattr(git_command, "_SECONDS", 0.0)
    for asked in (repositories.holding(at, revision, [revision]), repositories.check(at, revision)):
        reading = await asked
        assert reading.value is None
        assert "took longer" in reading.unknown


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


ODD = [
    ("a control character in the message", {"message": "Subject\x1e with \x1f and \x01\x02\n\nRefs TAPS-5"}),
    ("a control character in the name", {"name": "Eve\x1fElm\x1e"}),
    ("co-authors", {"message": "Work\n\nco-authored-BY: Bo Birch <bo@corvale.example>\nMore text after it"}),
    ("a co-author without an address", {"message": "Work\n\nCo-authored-by: somebody"}),
    ("an odd zone", {"committer": "Eve <eve@corvale.example> 1773100000 +9999"}),
    ("a year far ahead", {"committer": "Eve <eve@corvale.example> 99999999999999 +0000"}),
    ("a year long ago", {"committer": "Eve <eve@corvale.example> -99999999999 +0000"}),
    ("no time of the committer", {"committer": "Eve <eve@corvale.example>"}),
    ("no address", {"author": "Eve <> 1773100000 +0000"}),
    ("a line that ends elsewhere", {"message": "One\u2028Two\x0cThree\rFour\n\nRefs TAPS-6"}),
]


@pytest.mark.parametrize(("what", "parts"), ODD, ids=[one[0] for one in ODD])
async def test_no_commit_is_left_out_whatever_it_holds(repositories, tmp_path, what, parts):
    """Told apart by NUL alone; an impossible time is none, and nothing else of it is lost."""
    base = await repositories.resolve(RepositoryAt(SERVICE.id), "v1.2")
    folder = tmp_path / SERVICE.id
    tree = git(folder, "rev-parse", f"{base}^{{tree}}")
    name = parts.get("name", "Eve")
    who = f"{name} <eve@corvale.example> 1773100000 +0000"
    raw = (
        f"tree {tree}\nparent {base}\nauthor {parts.get('author', who)}\n"
        f"committer {parts.get('committer', who)}\n\n{parts.get('message', 'Work')}\n"
    )
    made = git(folder, "hash-object", "-t", "commit", "-w", "--literally", "--stdin", given=raw)
    git(folder, "branch", "-f", "odd", made)
    reading = await repositories.change(RepositoryAt(SERVICE.id), base, made)
    (commit,) = reading.value.commits
    assert commit.revision == made
    emails = {one.email for one in commit.authors}
    assert "eve@corvale.example" in emails or "author" in parts
    assert ("bo@corvale.example" in emails) is (what == "co-authors")
    assert len(commit.authors) == (2 if "co-author" in what else 1)
    assert (commit.at is None) is ("year" in what or "no time" in what), commit.at
    if "TAPS" in parts.get("message", ""):
        assert len(reading.value.ticket_keys) == 1


@pytest.mark.thorough
async def test_all_of_a_large_change_is_read(repositories, tmp_path):
    """Older authors, tickets and paths do not vanish; what is too much is not known."""
    folder = tmp_path / SERVICE.id
    base = await repositories.resolve(RepositoryAt(SERVICE.id), "v1.2")
    lines = []
    for n in range(1300):
        who = f"committer P{n} <p{n}@corvale.example> {1773100000 + n} +0000"
        message = f"Change TAPS-{n + 100}"
        parent = f"from {base}\n" if n == 0 else ""
        files = "".join(f"M 100644 inline many/{n}-{m}\ndata 2\nx\n\n" for m in range(5))
        lines.append(f"commit refs/heads/large\n{who}\ndata {len(message)}\n{message}\n{parent}{files}\n")
    git(folder, "fast-import", "--quiet", given="".join(lines))
    made = git(folder, "rev-parse", "large")
    change = (await repositories.change(RepositoryAt(SERVICE.id), base, made)).value
    assert (len(change.commits), len(change.files), len(change.ticket_keys)) == (1300, 6500, 1300)
    assert len({commit.author_email for commit in change.commits}) == 1300
    part = await repositories.change(RepositoryAt(SERVICE.id, paths=("many/7-1", "many/8-1")), base, made)
    assert [commit.author for commit in part.value.commits] == ["P8", "P7"]


async def test_what_is_more_than_can_be_read_is_unknown(repositories, monkeypatch):
    """Never shorter."""
    monkeypatch.setattr(history, "MOST_BYTES", 200)
    revision = await repositories.resolve(RepositoryAt(SERVICE.id), "v1.1")
    reading = await repositories.change(RepositoryAt(SERVICE.id), None, revision)
    assert (reading.value, reading.unknown) == (None, "it is more than can be read")


async def test_whose_commits_are_signed_is_read_where_it_matters(repositories, tmp_path, monkeypatch):
    """By a real key that is trusted here, and by one that is not."""
    folder = tmp_path / SERVICE.id
    base = await repositories.resolve(RepositoryAt(SERVICE.id), "v1.2")
    for name in ("known", "other"):
        subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", tmp_path / name], check=True)
    allowed = tmp_path / "allowed"
    allowed.write_text("eve@corvale.example " + (tmp_path / "known.pub").read_text())
    config = tmp_path / "config"
    config.write_text(f'[gpg]\nformat = ssh\n[gpg "ssh"]\nallowedSignersFile = {allowed}\n')
    monkeypatch.setenv("GIT_CONFIG_GLOBAL", str(config))
    tree, made = git(folder, "rev-parse", f"{base}^{{tree}}"), base
    for key in ("known", "other", None):
        signed = (f"-S{tmp_path / key}",) if key else ()
        made = git(folder, *EVE, "commit-tree", *signed, "-p", made, "-m", f"by {key}", tree)
    git(folder, "branch", "-f", "signed", made)
    at = RepositoryAt(SERVICE.id)
    change = (await repositories.change(at, base, made, signatures=True)).value
    assert [one.signed_by for one in change.commits] == [None, None, "eve@corvale.example"]
    assert change.signatures_read
    assert not (await repositories.change(at, base, made)).value.signatures_read


async def test_a_repository_is_tried_by_its_own_head(repositories, tmp_path):
    """Whatever its branch is called."""
    folder = tmp_path / SERVICE.id
    head = git(folder, "rev-parse", "HEAD")
    assert await repositories.head(RepositoryAt(SERVICE.id)) == head


EVE = ("-c", "user.name=Eve", "-c", "user.email=eve@corvale.example")


def git(folder, *arguments, given=""):
    done = subprocess.run(
        ["git", "-C", folder, *arguments], input=given.encode(), capture_output=True, check=True
    )
    return done.stdout.decode().strip()


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


@pytest.mark.parametrize(
    "address",
    [
        "",
        ".",
        "./",
        "..",
        "../outside",
        "taps-portal/..",
        "taps-portal/../../outside",
        "inner",
        "inner/deep",
        "inner/.git",
        "pointer",
        "linked",
        "taps-portal\x00",
        "x" * 5000,
        "/etc",
        "~",
    ],
)
async def test_no_repository_is_read_but_those_below_the_root(repositories, tmp_path, address):
    """Not the root itself nor what holds it, no folder of another's work tree, no pointer out of it."""
    root = tmp_path / "outer" / "repositories"
    outer, outside = root.parent, tmp_path / "outer" / "outside"
    author = ("-c", "user.name=E", "-c", "user.email=e@x.example")
    shutil.copytree(tmp_path / "taps-portal", root / "taps-portal")
    for folder in (outer, outside, root):
        folder.mkdir(exist_ok=True)
        git(folder, "init", "--quiet")
        git(folder, *author, "commit", "--allow-empty", "-qm", "x")
    (root / "inner" / "deep").mkdir(parents=True)
    (root / "pointer").mkdir()
    (root / "pointer" / ".git").write_text(f"gitdir: {outside / '.git'}")
    (root / "linked").symlink_to(outside)
    held = GitRepositories(root, lambda: NOW, tmp_path / "mirrors", Reachable(""))
    with pytest.raises(RepositoryError):
        await held.resolve(RepositoryAt(address), "HEAD")
    assert await held.resolve(RepositoryAt("taps-portal"), "HEAD")
