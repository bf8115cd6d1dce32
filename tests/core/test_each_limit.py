"""Each limit that a rule may set, held against what is just inside it and just outside."""

from datetime import timedelta

import pytest
from tests.core.cases import AT, OTHER_BYTES, facts, finding_of, landing, policy, reading

from dogana.core.change import Change, Commit, Origin, SourceTag
from dogana.core.facts import Monitor, Series, Sighting, Ticket

MINUTE = timedelta(minutes=1)


def measured(*values, last=(), environment="live", age=MINUTE, **more):
    series = Series(values=values, last=last)
    return Monitor(
        environment=environment,
        query="lag",
        window=10 * MINUTE,
        reading=reading(series, at=AT - age, **more).model_dump(),
    )


def watch(**limits):
    return {"kind": "monitors", "watch": [{"name": "lag", "query": "lag", "least_data": 1, **limits}]}


@pytest.mark.parametrize(
    ("limits", "values", "last", "met"),
    [
        ({"at_most": 5}, (1, 5, 2), (), True),
        ({"at_most": 5}, (1, 5.01, 2), (), False),
        ({"at_least": 2}, (2, 9, 3), (), True),
        ({"at_least": 2}, (9, 1.99, 3), (), False),
        ({"at_least": 2, "at_most": 5}, (2, 5), (), True),
        ({"at_least": 2, "at_most": 5}, (1, 5), (), False),
        ({"at_least": 2, "at_most": 5}, (2, 6), (), False),
        ({"at_most": 5, "judged": "last"}, (9, 9, 5), (), True),
        ({"at_most": 5, "judged": "last"}, (1, 1, 6), (), False),
        ({"at_most": 5, "judged": "last"}, (9, 1), (1, 6), False),
        ({"at_most": 5, "judged": "last"}, (9, 9), (5, 1), True),
        ({"at_least": 2, "judged": "last"}, (9, 1), (), False),
        ({"at_most": 5, "judged": "mean"}, (1, 9), (), True),
        ({"at_most": 5, "judged": "mean"}, (2, 9), (), False),
        ({"at_least": 5, "judged": "mean"}, (1, 8), (), False),
        ({"at_most": 0}, (-1, 0), (), True),
        ({"at_least": 0}, (-0.1, 3), (), False),
    ],
)
def test_a_monitor_keeps_to_its_limits_or_breaks_one(limits, values, last, met):
    found = finding_of(watch(**limits), known=facts(monitors=(measured(*values, last=last),)))
    assert found.outcome == ("met" if met else "unmet")


def test_a_monitor_counts_for_as_long_as_the_rule_says_and_with_as_much_as_it_asks_for():
    for age, outcome in ((5 * MINUTE, "met"), (5 * MINUTE + timedelta(seconds=1), "unknown")):
        assert finding_of(watch(at_most=5), known=facts(monitors=(measured(1, age=age),))).outcome == outcome
    for many, outcome in ((3, "met"), (2, "unknown")):
        known = facts(monitors=(measured(*[1] * many),))
        assert finding_of(watch(at_most=5, least_data=3), known=known).outcome == outcome


def test_a_monitor_is_of_the_place_that_the_rule_says():
    """What another place shows says nothing for it."""
    good = measured(1)
    bad = measured(9, environment="pilot")
    for of, outcome in (("target", "met"), ("leg before", "unmet"), ("both", "unmet")):
        assert finding_of(watch(at_most=5) | {"of": of}, known=facts(monitors=(good, bad))).outcome == outcome
    for of, outcome in (("target", "unknown"), ("leg before", "unmet")):
        assert finding_of(watch(at_most=5) | {"of": of}, known=facts(monitors=(bad,))).outcome == outcome
    first = facts(monitors=(good,), leg_before=())
    assert finding_of(watch(at_most=5) | {"of": "leg before"}, known=first).outcome == "met"
    for change in ({"query": "other"}, {"window": MINUTE}, {"source": "another"}):
        other = facts(monitors=(good.model_copy(update=change),))
        assert finding_of(watch(at_most=5), known=other).outcome == "unknown"


@pytest.mark.parametrize(
    "rule",
    [
        {"kind": "monitors", "watch": [{"name": "lag", "query": "lag"}]},
        {"kind": "monitors", "watch": []},
        {"kind": "origin"},
        {"kind": "origin", "branches": ["main"], "reviewers": "known"},
    ],
)
def test_a_rule_that_sets_no_limit_is_none(rule):
    """It would be met by anything."""
    with pytest.raises(ValueError, match="give"):
        policy(rule)


def seen(**more):
    return Sighting.model_validate({"environment": "live", "title": "Live", "read_at": AT - MINUTE, **more})


@pytest.mark.parametrize(
    ("runs", "sightings", "outcome"),
    [
        ({"app": "1.1.0"}, (seen(),), "met"),
        ({"app": "1.1.0"}, (seen(differs="1.0.0 runs"),), "unmet"),
        ({"app": "1.1.0"}, (seen(unknown="it is away"),), "unknown"),
        ({"app": "1.1.0"}, (seen(read_at=AT - 6 * MINUTE),), "unknown"),
        ({"app": "1.1.0"}, (seen(read_at=AT + timedelta(hours=1)),), "unknown"),
        ({"app": "1.1.0"}, (seen(read_at=None),), "unknown"),
        ({"app": "1.1.0"}, (), "unknown"),
        ({"app": "1.1.0"}, (seen(environment="pilot"),), "unknown"),
        ({"other": "1.1.0"}, (), "met"),
    ],
)
def test_what_landed_is_seen_to_run(runs, sightings, outcome):
    """Where something of it landed; else there is nothing that could be other than that."""
    rule = {"kind": "monitors", "no_drift": True}
    assert finding_of(rule, known=facts(runs=runs, sightings=sightings)).outcome == outcome


DONE = Ticket(key="CW-1", title="Work", status="done", kind="story")


@pytest.mark.parametrize(
    ("rule", "tickets", "outcome"),
    [
        ({"types": ["story"]}, (DONE,), "met"),
        ({"types": ["bug"]}, (DONE,), "unmet"),
        ({"types": ["story"]}, (DONE.model_copy(update={"kind": None}),), "unknown"),
        ({"types": ["story"]}, (DONE, Ticket(key="CW-2")), "unmet"),
        ({"types": ["story"], "projects": ["CW"]}, (DONE, Ticket(key="X-2", status="open")), "met"),
        ({"projects": ["CW"]}, (DONE, Ticket(key="X-2", status="open")), "met"),
        ({"projects": ["cw"]}, (DONE,), "met"),
        ({"projects": ["X"]}, (DONE,), "unmet"),
        ({}, (DONE, Ticket(key="CW-2", status="open")), "unmet"),
        ({"which": "any"}, (DONE, Ticket(key="CW-2", status="open")), "met"),
        ({"which": "any"}, (Ticket(key="CW-1", status="open"), Ticket(key="CW-2")), "unmet"),
        ({"unblocked": True}, (DONE.model_copy(update={"open_blockers": ("CW-9",)}),), "unmet"),
        ({}, (DONE.model_copy(update={"open_blockers": ("CW-9",)}),), "met"),
        ({"unblocked": True}, (DONE.model_copy(update={"blockers_told": False}),), "unknown"),
        ({"unblocked": True}, (DONE,), "met"),
        ({"at_least": 2}, (DONE,), "unmet"),
        ({"at_least": 0, "types": ["bug"]}, (DONE,), "met"),
    ],
)
def test_tickets_are_those_that_the_rule_asks_for(rule, tickets, outcome):
    known = facts(tickets=reading(tickets).model_dump())
    assert finding_of({"kind": "tickets", "status": ["done"], **rule}, known=known).outcome == outcome


def from_where(*, branches=("main",), tags=(), **commit):
    given = {"revision": "c1", "author": "Eve", "author_email": "eve@example.org", "subject": "W", "at": AT}
    change = Change(
        revision="c1",
        commits=(Commit(**given | commit),),
        files=(),
        ticket_keys=(),
        signatures_read=True,
    )
    origin = Origin(branches=branches, tags=tags)
    return facts(change=reading(change).model_dump(), origin=reading(origin).model_dump())


KNOWN = {"reviewed": True, "reviewers": "known"}
V1, SIGNED = SourceTag(name="v1"), SourceTag(name="v1", signed_by="Bo Birch")
OTHER_SIGNED = SourceTag(name="nightly", signed_by="Bo Birch")


@pytest.mark.parametrize(
    ("rule", "known", "outcome"),
    [
        ({"tags": ["v*"]}, from_where(tags=(V1,)), "met"),
        ({"tags": ["v*"]}, from_where(tags=(OTHER_SIGNED,)), "unmet"),
        ({"tags": ["v*"]}, from_where(), "unmet"),
        ({"tags": ["v*"], "signed": True}, from_where(tags=(SIGNED,)), "met"),
        ({"tags": ["v*"], "signed": True}, from_where(tags=(V1, OTHER_SIGNED)), "unmet"),
        ({"tags": ["v*"], "signed": True}, from_where(tags=(V1, SIGNED)), "met"),
        ({"signed": True}, from_where(tags=(V1, OTHER_SIGNED)), "met"),
        ({"signed": True}, from_where(tags=(V1,)), "unmet"),
        ({"signed": True}, from_where(), "unmet"),
        ({"branches": ["main"], "tags": ["v*"]}, from_where(branches=("x",), tags=(V1,)), "unmet"),
        ({"branches": ["main"], "tags": ["v*"]}, from_where(), "unmet"),
        ({"reviewed": True}, from_where(reviewed_by=("bo@example.org",)), "met"),
        ({"reviewed": True}, from_where(reviewed_by=("EVE@example.org",)), "unmet"),
        ({"reviewed": True}, from_where(reviewed_by=("x@nowhere.example",)), "met"),
        (KNOWN, from_where(reviewed_by=("x@nowhere.example",)), "unmet"),
        (KNOWN, from_where(reviewed_by=("x@nowhere.example", "Bo@example.org")), "met"),
        (KNOWN, from_where(reviewed_by=("eve@example.org",)), "unmet"),
        (KNOWN, from_where(), "unmet"),
        ({"signed_commits": True}, from_where(signed_by="Eve Elm"), "met"),
        ({"signed_commits": True}, from_where(), "unmet"),
        ({"authors": "known"}, from_where(), "met"),
        ({"authors": "known"}, from_where(author_email="moss@else.example"), "unmet"),
    ],
)
def test_a_revision_is_from_where_the_rule_says(rule, known, outcome):
    found = finding_of({"kind": "origin", **rule}, known=known)
    assert found.outcome == outcome
    assert found.because != "."


@pytest.mark.parametrize("unread", ["change", "origin"])
def test_where_it_stands_is_unknown_while_either_is_unread(unread):
    known = from_where().model_copy(
        update={unread: facts(change=reading(unknown="it is away").model_dump()).change}
    )
    found = finding_of({"kind": "origin", "branches": ["main"]}, known=known)
    assert (found.outcome, "it is away" in found.because) == ("unknown", True)


def test_the_same_bytes_are_looked_for_where_it_landed():
    """At the first leg there is nowhere to look; somewhere it did not land nothing is the same."""
    rule = {"kind": "sameness"}
    assert finding_of(rule, known=facts(leg_before=())).outcome == "not applicable"
    assert finding_of(rule, known=facts(leg_before=(landing(landed_at=None),))).outcome == "unmet"
    both = (landing(48), landing(40, environment="b", title="B", artifacts=(OTHER_BYTES,)))
    assert finding_of(rule, known=facts(leg_before=both)).outcome == "unmet"
