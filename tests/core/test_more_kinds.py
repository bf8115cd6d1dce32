"""Origin, evidence, monitors, rollout, and pace among several: outcome and sentence, case by case."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.cases import AT, facts, finding_of, reading

from dogana.core.change import Change, Commit
from dogana.core.rollout import Plan, Step
from dogana.core.rules.rollout import RolloutRule, quickest

SCAN = {"kind": "evidence", "name": "scan", "not_older": "P1D", "holds": "content.critical == 0"}
QUERY = 'lag{environment="$environment"}'
LAG = {"kind": "monitors", "watch": [{"name": "lag", "query": QUERY, "at_most": 5, "least_data": 3}]}
PLAN = {
    "kind": "rollout",
    "first_share": 10,
    "largest_step": 50,
    "least_hold": "PT10M",
    "on_breach": "roll back",
}
NEWEST = {"kind": "pace", "newest": "supersedes"}
ALL_AT_ONCE = (
    "The plan begins with 100 %, at most 10 % may get it first and a breach would halt, "
    "it must roll back; 10 % for 10 min, 60 % for 10 min, then all would pass."
)
FEAST = {"name": "the feast", "from": "2026-03-10T00:00", "until": "2026-03-11T00:00"}
GOOD, BAD = {"critical": 0}, {"critical": 2}


def from_where(*branches: str, tags=(), reviewed_by=()):
    commit = Commit(
        revision="c1aaaaaaaaa",
        author="Eve",
        author_email="eve@example.org",
        subject="Work",
        at=AT,
        reviewed_by=reviewed_by,
    )
    change = Change(revision="c1", commits=(commit,), files=(), ticket_keys=())
    origin = {"branches": branches, "tags": [{"name": n, "signed_by": by} for n, by in tags]}
    return {"known": facts(change=reading(change).model_dump(), origin=reading(origin).model_dump())}


FROM_ANN = SCAN | {"senders": ["ann", "bo"]}


def scanned(content, hours=1, sender=None, **more):
    report = {"name": "scan", "kind": "scan", "by": "a scanner", "sender": sender, "content": content, **more}
    return {"known": facts(evidence=({**report, "produced_at": AT - timedelta(hours=hours)},))}


def shown(*values, minutes=1, **more):
    read = {"source": "the metrics server", "read_at": AT - timedelta(minutes=minutes), **more}
    if not more:
        read["value"] = {"values": values}
    monitor = {"environment": "live", "query": QUERY, "window": "PT10M", "reading": read}
    return {"known": facts(monitors=(monitor,))}


def planned(*steps, **more):
    shares = [{"share": share, "hold": f"PT{hold}M"} for share, hold in steps]
    return {"known": facts(plan={"steps": shares, **more})}


def queue(*minutes, **more):
    others = [
        {"number": 7 + n, "version": f"1.{n}.0", "requested_at": AT - timedelta(minutes=m)}
        for n, m in enumerate(minutes)
    ]
    return {"known": facts(waiting=others, **more)}


def traffic(*hours):
    return {
        "known": facts(
            traffic=[
                {
                    "service": "app",
                    "version": "1.0.0",
                    "departed_at": AT - timedelta(hours=h),
                    "arrived_at": AT - timedelta(hours=h),
                }
                for h in hours
            ]
        )
    }


FINDINGS = {
    "on a release branch": (
        {"kind": "origin", "branches": ["main", "release/*"]},
        from_where("release/7"),
        "met",
        "On release/7.",
    ),
    "on no branch that is let in": (
        {"kind": "origin", "branches": ["main"]},
        from_where("try/it"),
        "unmet",
        "The revision is on try/it; it should be on main.",
    ),
    "the look at the repository is old": (
        {"kind": "origin", "branches": ["main"]},
        {"known": facts(origin=reading({"branches": ["main"]}, at=AT - timedelta(hours=2)))},
        "unknown",
        "The repository was last read 2 h ago; a reading counts for 1 h.",
    ),
    "tickets of another project do not count": (
        {"kind": "tickets", "status": ["done"], "projects": ["OTHER"]},
        {},
        "unmet",
        "No tickets named in one commit; at least 1 must be.",
    ),
    "tickets of another type do not count": (
        {"kind": "tickets", "status": ["open"], "types": ["fault"], "at_least": 0},
        {"known": facts(tickets=reading([{"key": "CW-1", "status": "done", "kind": "task"}]))},
        "met",
        "No ticket is named, and none has to be.",
    ),
    "a ticket whose type the tracker does not say": (
        {"kind": "tickets", "status": ["done"], "types": ["fault"]},
        {
            "known": facts(
                tickets=reading(
                    [
                        {"key": "CW-1", "status": "open"},
                        {"key": "CW-2", "status": "done", "kind": "fault"},
                    ]
                )
            )
        },
        "unknown",
        "The tracker does not say of which type CW-1 is.",
    ),
    "a tracker that does not say what blocks a ticket": (
        {"kind": "tickets", "status": ["done"], "unblocked": True},
        {"known": facts(tickets=reading([{"key": "CW-1", "status": "done", "blockers_told": False}]))},
        "unknown",
        "The tracker does not say what blocks CW-1.",
    ),
    "a tracker that does not say it, where nobody asks": (
        {"kind": "tickets", "status": ["done"]},
        {"known": facts(tickets=reading([{"key": "CW-1", "status": "done", "blockers_told": False}]))},
        "met",
        "CW-1 is done.",
    ),
    "a ticket that an open one blocks": (
        {"kind": "tickets", "status": ["done"], "unblocked": True},
        {"known": facts(tickets=reading([{"key": "CW-1", "status": "done", "open_blockers": ["CW-9"]}]))},
        "unmet",
        "CW-1 is blocked by CW-9.",
    ),
    "no tag": ({"kind": "origin", "tags": ["v*"]}, from_where("main"), "unmet", "It carries no tag v*."),
    "a tag nobody signed": (
        {"kind": "origin", "signed": True},
        from_where("main", tags=[("v1", None)]),
        "unmet",
        "V1 carries no signature that is known here.",
    ),
    "a signed tag": (
        {"kind": "origin", "tags": ["v*"], "signed": True},
        from_where("main", tags=[("v1", "Ann")]),
        "met",
        "Tagged v1 (signed by Ann).",
    ),
    "reviewed by its author alone": (
        {"kind": "origin", "reviewed": True},
        from_where("main", reviewed_by=("EVE@example.org",)),
        "unmet",
        "One commit names no reviewer but the author: c1aaaaaa by Eve.",
    ),
    "where it stands was not read": (
        {"kind": "origin", "branches": ["main"]},
        {},
        "unknown",
        "Nobody has looked where the revision stands.",
    ),
    "the scan is fine": (
        SCAN,
        scanned(GOOD),
        "met",
        "The scan says what it should, made 1 h ago.",
    ),
    "the scan is old": (
        SCAN,
        scanned(GOOD, 30),
        "unmet",
        "The scan is 1 day 6 h old; ",
    ),
    "the scan says otherwise": (
        SCAN,
        scanned(BAD),
        "unmet",
        "The scan does not say what it should.",
    ),
    "the scan says nothing of it": (
        SCAN,
        scanned({}),
        "unknown",
        "The scan does not say what is asked",
    ),
    "a scan by an account from which it counts": (
        FROM_ANN,
        scanned(GOOD, sender="ann"),
        "met",
        "The scan says what it should, made 1 h ago.",
    ),
    "a scan by another account": (
        FROM_ANN,
        scanned(GOOD, sender="eve"),
        "unmet",
        "The scan was sent by a scanner; it counts from Ann Ash or Bo Birch.",
    ),
    "a scan by nobody knows which account": (
        FROM_ANN,
        scanned(GOOD),
        "unknown",
        "It is not on record which account sent the scan; it counts from Ann Ash or Bo Birch.",
    ),
    "a good scan before one that says it was made earlier": (
        SCAN,
        scanned(GOOD, overtaken=True),
        "unknown",
        "The scan cannot be relied on: another came after it that says it was made before; ",
    ),
    "a scan that is not whole": (
        SCAN,
        scanned(GOOD, unknown="it was cut"),
        "unknown",
        "The scan cannot be relied on: it was cut.",
    ),
    "a scan as old as it may be": (
        SCAN,
        scanned(GOOD, 24),
        "met",
        "The scan says what it should, made 1 day",
    ),
    "a scan that says otherwise, in the policy's words": (
        SCAN | {"otherwise": "it found something"},
        scanned(BAD),
        "unmet",
        "It found something.",
    ),
    "a scan of which a list is asked": (
        SCAN | {"holds": 'content.found.all(f, f.severity != "high")'},
        scanned({"found": [{"severity": "low"}, {"severity": "high"}]}),
        "unmet",
        "The scan does not say what it should.",
    ),
    "a scan made long ago, as its condition says": (
        SCAN | {"holds": 'now - timestamp(content.at) < duration("1h")'},
        scanned({"at": "2026-03-10T09:00:00Z"}),
        "unmet",
        "The scan does not say what it should.",
    ),
    "no scan": (SCAN, {}, "unmet", "No scan came with 1.2.0."),
    "within the limits": (LAG, shown(1, 2, 3), "met", "One monitor keeps to its limits in Live."),
    "over the limit": (LAG, shown(1, 9, 3), "unmet", "Lag in Live is 9, should be at most 5."),
    "too little data": (LAG, shown(1, 2), "unknown", "Lag in Live: two values in 10 min, 3 are needed."),
    "an old reading": (LAG, shown(1, 2, 3, minutes=9), "unknown", "Lag in Live: last read 9 min ago."),
    "no answer": (LAG, shown(unknown="it is away"), "unknown", "Lag in Live: it is away."),
    "never asked": (LAG, {}, "unknown", "Lag in Live: nobody has asked the metrics server yet."),
    "one breach outweighs what is unknown": (
        {**LAG, "of": "both"},
        shown(1, 9, 3),
        "unmet",
        "Lag in Live is 9, should be at most 5.",
    ),
    "all at once": (
        PLAN,
        {},
        "unmet",
        ALL_AT_ONCE,
    ),
    "too wide a step": (
        PLAN,
        planned((10, 10), (100, 0), on_breach="roll back"),
        "unmet",
        "It grows by 90 points at once, at most 50 are let in; ",
    ),
    "within the plan's limits": (
        PLAN,
        planned((5, 30), (50, 10), (100, 0), on_breach="roll back"),
        "met",
        "Goes in within the limits: 5 % for 30 min, 50 % for 10 min, then all.",
    ),
    "a newer one waits": (
        NEWEST,
        queue(90, 5),
        "unmet",
        "1.1.0 was asked for Tue 10 Mar 12:55, Rome and supersedes it.",
    ),
    "an older one waits": (
        {**NEWEST, "newest": "queues"},
        queue(90, 5),
        "pending",
        "Queues behind 1.0.0, asked for earlier.",
    ),
    "older ones end by themselves": (NEWEST, queue(90), "met", "There is room for one more."),
    "the week is full": (
        {"kind": "pace", "at_most": 2, "each": "week", "zone": "Europe/Rome"},
        traffic(1, 20),
        "pending",
        "Two departures this week, as many as are let in; the next may go Mon 16 Mar 00:00, Rome.",
    ),
    "last week does not count": (
        {"kind": "pace", "at_most": 2, "each": "week", "zone": "Europe/Rome"},
        traffic(1, 40),
        "met",
        "There is room for one more.",
    ),
    "the month ends on a wall clock": (
        {"kind": "pace", "at_most": 1, "each": "month", "zone": "America/Halifax"},
        traffic(24 * 8),
        "pending",
        "One departure this month, as many as are let in; the next may go Wed 1 Apr 05:00, Rome.",
    ),
    "a rollback passes the freeze": (
        {
            "kind": "freeze",
            "zone": "Europe/Rome",
            "passes": ["rollback"],
            "windows": [{"name": "storm", "from": "2026-03-01T00:00"}],
        },
        {"known": facts(kind="rollback")},
        "met",
        "A rollback passes, though storm closes it for others.",
    ),
    "a freeze without end": (
        {"kind": "freeze", "zone": "Europe/Rome", "windows": [{"name": "storm", "from": "2026-03-01T00:00"}]},
        {},
        "pending",
        "Closed by storm until further notice.",
    ),
    "a calendar nobody has": (
        {"kind": "freeze", "zone": "Europe/Rome", "calendars": ["feasts"]},
        {},
        "unknown",
        "The calendar feasts is not to be found.",
    ),
    "a calendar that may close more by now": (
        {"kind": "freeze", "zone": "Europe/Rome", "calendars": ["feasts"]},
        {
            "known": facts(
                calendars={"feasts": {"title": "Feasts", "zone": "Europe/Rome", "windows": []}},
                late_calendars=({"name": "feasts", "read_at": AT - timedelta(days=2)}, {"name": "other"}),
            )
        },
        "unknown",
        "The calendar feasts was last read Sun 8 Mar 13:00, Rome: it may close more by now.",
    ),
    "a shared holiday": (
        {
            "kind": "hours",
            "zone": "Europe/Rome",
            "open": [{"days": ["TU", "WE"], "from": "07:00", "until": "17:00"}],
            "holiday_calendars": ["feasts"],
        },
        {
            "known": facts(
                calendars={
                    "feasts": {
                        "title": "Feasts",
                        "zone": "Europe/Rome",
                        "windows": [
                            {"name": "the feast", "from": "2026-03-10T00:00", "until": "2026-03-11T00:00"}
                        ],
                    }
                }
            )
        },
        "pending",
        "Closed for the feast; the next opening is Wed 11 Mar 07:00, Rome.",
    ),
    "a rollback goes back": (
        {"kind": "versions"},
        {"known": facts(kind="rollback", runs={"app": "2.0.0"})},
        "met",
        "1.2.0 is let in, after 2.0.0.",
    ),
}


@pytest.mark.parametrize(("rule", "given", "outcome", "says"), FINDINGS.values(), ids=FINDINGS)
def test_finding(rule, given, outcome, says):
    """The sentence is what a person reads who never saw the policy."""
    found = finding_of(rule, **given)
    assert found.outcome == outcome
    assert found.because.startswith(says)


limits = st.builds(
    RolloutRule,
    id=st.just("r"),
    kind=st.just("rollout"),
    title=st.just("Rollout"),
    first_share=st.integers(1, 100),
    largest_step=st.integers(1, 100),
    least_hold=st.integers(0, 90).map(lambda m: timedelta(minutes=m)),
    on_breach=st.sampled_from(["halt", "roll back"]),
    without_data=st.sampled_from(["go on", "halt", "roll back"]),
)
plans = st.builds(
    lambda shares, holds, breach: Plan(
        steps=tuple(
            Step(share=share, hold=timedelta(minutes=hold))
            for share, hold in zip([*sorted(shares), 100], holds, strict=False)
        ),
        on_breach=breach,
    ),
    st.sets(st.integers(1, 99), max_size=5),
    st.lists(st.integers(0, 120), min_size=6, max_size=6),
    st.sampled_from(["halt", "roll back"]),
)


@given(limits, plans)
def test_the_plan_that_is_offered_passes_and_none_that_passes_is_wider(rule, plan):
    """At no step has a plan that passes reached more than the one offered."""
    offered = quickest([rule])
    assert rule.faults(offered) == []
    if not rule.faults(plan):
        assert len(plan.steps) >= len(offered.steps)
        for mine, best in zip(plan.steps, offered.steps, strict=False):
            assert mine.share <= best.share
