"""What was worked out of a change is kept with it; nothing of that may show in what is said later."""

from datetime import timedelta

from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.cases import AT, PEOPLE, facts, policy, reading, words
from tests.limits import examples

from dogana.core.change import Author, Change, Commit, FileChange
from dogana.core.facts import Facts, Reading, Report, Ticket
from dogana.core.inspect.engine import inspect, what_is_shown
from dogana.core.inspect.sheet import Sheet
from dogana.core.record.canonical import canonical, digest_bytes
from dogana.core.rules.findings import Outcome

POLICIES = (
    policy(
        {"kind": "reviewers", "seats": [{"group": "desk"}]},
        {"kind": "condition", "holds": "size(commits) < 3 && size(files) < 3", "otherwise": "large"},
        {"kind": "condition", "holds": '!("eve" in authors)', "otherwise": "eve", "fresh": "PT2H"},
        {"kind": "origin", "reviewed": True, "authors": "known", "branches": ["main"]},
        {
            "kind": "tickets",
            "status": ["done"],
            "when": 'files.exists(f, f.path.startsWith("area/")) || commits.exists(c, c.author == "Bo")',
        },
    ),
    policy(
        {
            "kind": "condition",
            "holds": "size(commits) < 2 || requested_at < now - duration('1h')",
            "otherwise": "x",
        },
        {"kind": "condition", "holds": 'ticket_keys.all(k, k != "CW-2")', "otherwise": "no"},
        {"kind": "condition", "holds": "files.all(f, has(f.added) && f.added < 9)", "otherwise": "no"},
    ),
)
COMMITS = st.builds(
    Commit,
    revision=st.sampled_from(["c1", "c2", "c3"]),
    author=st.sampled_from(["Eve", "Bo"]),
    author_email=st.sampled_from(["eve@example.org", " EVE@example.org", "bo@example.org", "", "who@x.org"]),
    subject=st.just("Work \u00e0 la carte \U0001f600"),
    reviewed_by=st.sampled_from([(), ("ann@example.org",), ("Eve@example.org",)]),
    co_authors=st.sampled_from([(), (Author(name="Ann", email="ann@example.org"),)]),
)
FILES = st.builds(
    FileChange,
    path=st.sampled_from(["area/a", "b", "c\u00e9"]),
    added=st.sampled_from([None, 0, 8, 9]),
)
CHANGES = st.builds(
    Change,
    revision=st.just("c1"),
    commits=st.lists(COMMITS, max_size=3).map(tuple),
    files=st.lists(FILES, max_size=3, unique_by=lambda one: one.path).map(tuple),
    ticket_keys=st.sampled_from([(), ("CW-1",), ("CW-1", "CW-2")]),
)
RESTS = st.fixed_dictionaries(
    {
        "requester": st.sampled_from(["dee", "ann"]),
        "people": st.sampled_from([PEOPLE, PEOPLE[:4], PEOPLE[1:]]),
        "tickets": st.sampled_from(
            [
                reading((Ticket(key="CW-1", status="done"),)).model_dump(),
                reading(unknown="it cannot be reached").model_dump(),
            ]
        ),
        "origin": st.sampled_from(
            [None, reading({"branches": ["main"]}).model_dump(), reading({"branches": ["x"]}).model_dump()]
        ),
    }
)
AGES = st.sampled_from([0, 50, 70, 130, -10]).map(lambda minutes: AT - timedelta(minutes=minutes))


def about(change: Change, rest: dict, read_at) -> Facts:
    """Facts about this very change, not about a copy of it."""
    known = facts(**rest)
    return known.model_copy(
        update={"change": Reading[Change](source="the repository", read_at=read_at, value=change)}
    )


def said(known: Facts, minutes: int, which: int) -> Sheet:
    made = POLICIES[which]
    return inspect(made, known, words(made, known, "bo", "ann"), AT + timedelta(minutes=minutes))


@settings(max_examples=examples(150))
@given(
    CHANGES,
    st.lists(st.tuples(RESTS, AGES, st.integers(0, 200), st.sampled_from([0, 1])), min_size=2, max_size=4),
)
def test_what_was_asked_of_a_change_before_changes_no_sheet(change, asked):
    """Whatever else was said of it, by whichever policy and in whatever order: as of facts just read."""
    for rest, read_at, minutes, which in asked:
        known = about(change, rest, read_at)
        alone = Facts.model_validate_json(known.model_dump_json())
        assert canonical(said(known, minutes, which)) == canonical(said(alone, minutes, which))


@given(CHANGES, RESTS, AGES)
def test_a_digest_put_together_from_pieces_is_that_of_the_whole_document(change, rest, read_at):
    """Before and after the change was hashed alone, with evidence whose numbers JSON writes in two ways."""
    scan = Report(
        name="scan",
        kind="scan",
        produced_at=AT,
        by="x",
        content={"low": 1e-7, "high": 1e21, "whole": 2.0, "e": "1e5", "t": [1.0]},
    )
    known = about(change, rest | {"evidence": (scan,)}, read_at)
    again = Facts.model_validate_json(canonical(known))
    assert again == known
    assert known.digest == again.digest
    first = known.model_copy(update={"format": "dogana.facts/1"})
    assert first.digest == digest_bytes(canonical(Facts.model_validate_json(canonical(first))))
    assert what_is_shown(POLICIES[0], known) == what_is_shown(POLICIES[0], again)


def test_a_change_read_long_ago_is_too_old_though_it_was_asked_about_when_it_was_fresh():
    """How old a reading is belongs to the reading, not to what it read."""
    change = Change(revision="c1", commits=(), files=(), ticket_keys=())
    made = policy({"kind": "condition", "holds": "size(commits) < 3", "otherwise": "large"})
    for minutes, outcome in (
        (0, Outcome.MET),
        (61, Outcome.UNKNOWN),
        (30, Outcome.MET),
        (-9, Outcome.UNKNOWN),
    ):
        known = about(change, {}, AT - timedelta(minutes=minutes))
        assert inspect(made, known, words(made, known), AT).findings[0].outcome is outcome
