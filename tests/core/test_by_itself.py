"""Each condition of a gate by itself: all else is as it should be, and it alone decides."""

from datetime import timedelta

import pytest
from tests.core.cases import AT, OTHER_BYTES, facts, finding_of, landing, policy, reading, sheet_of, words

from dogana.core.change import Origin, SourceTag
from dogana.core.decisions import Decision, Decisions
from dogana.core.facts import NextPolicy, Report, Ticket
from dogana.core.inspect.engine import inspect, what_is_shown
from dogana.core.record.canonical import canonical
from dogana.core.rules.findings import Outcome
from dogana.core.traffic import Closed, RouteLimit

MINUTE, HOUR = timedelta(minutes=1), timedelta(hours=1)
SOAK = {"kind": "soak", "at_least": "P9D"}
MET, LET_GO = {"kind": "sameness"}, {**SOAK, "waivable": "desk"}
NOT_CONCERNED = {**SOAK, "when": 'version == "9.9.9"'}
CLOSED = {"kind": "hours", "zone": "UTC", "open": [{"days": ["WE"], "from": "09:00", "until": "17:00"}]}


def waiver(made, known, granted_by, *, rule="r0", until=AT + HOUR):
    """Asked for by Ann and granted by somebody, on what is there now."""
    more = {"rule": rule, "shown": what_is_shown(made, known), "comment": "It cannot wait"}
    asked = Decision(action="ask waiver", person="ann", at=AT - 9 * MINUTE, until=until, **more)
    return asked, Decision(action="grant waiver", person=granted_by, at=AT - 8 * MINUTE, **more)


def test_a_verdict_is_of_what_holds():
    """Met, waived and not applicable clear together; what is only shown neither bars nor is said."""
    made, known = policy(LET_GO, MET, NOT_CONCERNED, {**SOAK, "advisory": True}), facts()
    sheet = inspect(made, known, Decisions(made=waiver(made, known, "bo")), AT)
    assert [one.outcome for one in sheet.findings] == ["waived", "met", "not applicable", "pending"]
    assert (sheet.verdict, sheet.sentence) == ("cleared", "Cleared: nothing stands in its way.")
    barred = {"kind": "sameness"}, {"kind": "condition", "holds": "1 > 2", "otherwise": "no"}
    bad = sheet_of(*barred, {**barred[0], "advisory": True}, known=facts(artifacts=(OTHER_BYTES,)))
    assert (bad.verdict, bad.sentence.endswith("And one rule more.")) == ("barred", True)


@pytest.mark.parametrize(
    ("by", "holds"),
    [("bo", True), ("ann", False), ("dee", False), ("cy", False), ("nobody", False)],
    ids=["a second person", "who asked for it", "who asked for the promotion", "of another group", "nobody"],
)
def test_a_waiver_is_granted_by_a_second_person_of_the_group(by, holds):
    """Dee is of the group too, and asked for the promotion."""
    made, known = policy(LET_GO), facts()
    finding = inspect(made, known, Decisions(made=waiver(made, known, by)), AT).findings[0]
    assert (finding.outcome is Outcome.WAIVED) == holds


def test_a_waiver_asked_for_is_offered_until_its_end():
    made, known = policy(LET_GO), facts()
    asked, _ = waiver(made, known, "bo")
    for at, offered in ((AT + HOUR - MINUTE, True), (AT + HOUR, False)):
        finding = inspect(made, known, Decisions(made=(asked,)), at).findings[0]
        assert (finding.waiver is not None, bool(finding.may_grant)) == (offered, offered)


def test_a_start_that_a_person_set_holds_until_then():
    known = facts(not_before=AT + HOUR)
    sheet = sheet_of(MET, known=known)
    assert (sheet.verdict, sheet.forecast.first_start) == ("held", AT + HOUR)
    assert sheet.sentence == "Held by a set start until Tue 10 Mar 14:00, Rome."
    assert inspect(policy(MET), known, Decisions(), AT + HOUR).verdict == "cleared"


def test_an_environment_closed_at_once_is_closed_until_the_last_of_it_ends():
    """Each by itself: what has ended is not spoken of, and holds nothing."""
    spans = {"Ann": (-3, 0), "Bo": (-2, 1), "Cy": (-1, 2)}
    closed = tuple(
        Closed(by=who, since=AT + since * HOUR, until=AT + until * HOUR, reason="storm")
        for who, (since, until) in spans.items()
    )
    known = facts(closed_now=closed)
    sheet = sheet_of(MET, known=known)
    (held,) = (one for one in sheet.findings if one.rule == "closed-now")
    end = AT + 2 * HOUR
    assert (sheet.verdict, held.clears_at, sheet.forecast.first_start) == ("held", end, end)
    assert [line.label for line in held.evidence] == ["Closed by Bo", "Closed by Cy"]
    assert inspect(policy(MET), known, Decisions(), AT + 2 * HOUR).verdict == "cleared"


@pytest.mark.parametrize(
    ("limit", "outcome", "says"),
    [
        ({"against": "Minor versions wait."}, "unmet", "Urgent does not take 1.2.0: Minor versions wait."),
        ({"unknown": "the tags"}, "unknown", "It cannot be told whether the route takes 1.2.0: the tags."),
        ({}, None, None),
    ],
)
def test_a_route_lets_in_what_it_is_known_to_take(limit, outcome, says):
    sheet = sheet_of(MET, known=facts(route_limit=RouteLimit(route="Urgent", **limit)))
    found = [(one.outcome, one.because) for one in sheet.findings if one.rule == "urgent-route"]
    assert found == ([(outcome, says)] if outcome else [])


SCAN = Report(name="scan", kind="scan", produced_at=AT, by="Noor", content={"high": 0})
ORIGIN = Origin(branches=("main",), tags=(SourceTag(name="v1"),))
WHOLE = {"origin": reading(ORIGIN).model_dump(), "runs": {"core": "1.0.0"}, "evidence": (SCAN,)}
BOUND = {
    "branches": ({"holds": 'branches.exists(b, b == "main")'}, {"origin": Origin(branches=("main", "x"))}),
    "tags": (
        {"holds": "size(tags) > 0"},
        {"origin": Origin(branches=("main",), tags=(SourceTag(name="v2"),))},
    ),
    "runs": ({"holds": "size(runs) > 0"}, {"runs": {"core": "1.0.1"}}),
    "the leg before": ({"holds": "size(leg_before) > 0"}, {"leg_before": (landing(47),)}),
    "runs, in when": ({"when": "size(runs) > 0", "holds": "true"}, {"runs": {"core": "1.0.1"}}),
    "evidence": ({"kind": "evidence", "name": "scan"}, {"evidence": ()}),
    "origin": ({"kind": "origin", "branches": ["main"]}, {"origin": Origin(branches=("main", "x"))}),
    "bytes before": ({"kind": "sameness"}, {"leg_before": (landing(48, artifacts=(OTHER_BYTES,)),)}),
    "soak": ({"kind": "soak", "at_least": "PT1H"}, {"leg_before": (landing(47),)}),
    "needs": (
        {"kind": "needs", "services": [{"service": "core", "at_least": "1.0.0"}]},
        {"runs": {"core": "1.0.1"}},
    ),
    "versions": ({"kind": "versions"}, {"runs": {"app": "1.0.1"}}),
}


@pytest.mark.parametrize("name", BOUND)
def test_what_a_rule_alone_reads_binds_an_approval(name):
    """No other rule looks at it; without this one it binds nothing."""
    rule, different = BOUND[name]
    given = {"kind": "condition", "otherwise": "x"} | rule if "holds" in rule else rule
    if isinstance(origin := different.get("origin"), Origin):
        different = {"origin": reading(origin).model_dump()}
    whole, other = facts(**WHOLE), facts(**{**WHOLE, **different})
    for rules, bound in ((({"kind": "prepared"}, given), True), (({"kind": "prepared"},), False)):
        made = policy(*rules)
        assert (what_is_shown(made, whole) != what_is_shown(made, other)) == bound


@pytest.mark.parametrize(
    ("rule", "counts"),
    [
        ({"kind": "tickets", "status": ["done"], "fresh": "PT10M"}, 10 * MINUTE),
        (
            {"kind": "condition", "holds": "size(tickets) > 0", "otherwise": "x", "fresh": "PT10M"},
            10 * MINUTE,
        ),
        ({"kind": "sameness", "when": "size(tickets) > 0"}, HOUR),
        ({"kind": "tickets", "status": ["done"], "fresh": "PT2H", "when": "size(tickets) > 0"}, 2 * HOUR),
    ],
    ids=["a rule", "a condition", "in when", "in when, as the rule says"],
)
def test_a_reading_counts_for_as_long_as_the_rule_says(rule, counts):
    """To the second; an hour for what says nothing."""
    tickets = (Ticket(key="CW-1", title="Work", status="done"),)
    for age, outcome in ((counts, "met"), (counts + timedelta(seconds=1), "unknown")):
        known = facts(tickets=reading(tickets, at=AT - age).model_dump())
        assert finding_of(rule, known=known).outcome == outcome


def test_what_is_only_shown_or_does_not_concern_it_closes_nothing_ahead():
    """In the forecast as in the verdict; nor does it ask for open time."""
    open_, slot = (
        {**CLOSED, "open": [{"days": ["TU"], "from": "09:00", "until": "17:00"}]},
        {"kind": "notice", "at_least": "PT30M", "slot": "PT6H"},
    )
    for more in ({"advisory": True}, {"when": 'version == "9.9.9"'}):
        sheet = sheet_of(MET, {**CLOSED, **more}, {**slot, **more})
        assert (sheet.verdict, sheet.forecast.first_start, sheet.forecast.closings) == ("cleared", AT, ())
        assert sheet_of(open_, {**slot, **more}).forecast.first_start == AT
    for asked in ((slot, {**slot, "slot": "PT1H"}), ({**slot, "slot": "PT1H"}, slot)):
        # Five hours are left of today.
        assert sheet_of(open_, *asked).forecast.first_start == AT + timedelta(days=6, hours=21)


def test_what_holds_later_counts_from_then():
    """Not what has begun, which is in force, nor what begins after all that is looked at."""
    never = policy({"kind": "freeze", "zone": "UTC", "windows": [{"name": "x", "from": "2026-03-01T00:00"}]})
    for begins, first in ((AT + HOUR, AT + HOUR), (AT + timedelta(days=14), None)):
        to_come = NextPolicy(
            at=begins, environment="live", version=2, document=canonical(policy(MET).plain()).decode()
        )
        made, known = never, facts(next_policies=(to_come,))
        assert inspect(made, known, Decisions(), AT).forecast.first_start == first


def test_an_approval_of_before_the_policy_asked_for_less_stands():
    """And one of before it asked for more does not."""
    known, less = facts(), policy({"kind": "reviewers", "seats": [{"group": "security"}]})
    more = policy(
        {"kind": "reviewers", "seats": [{"group": "security"}]}, {"kind": "tickets", "status": ["done"]}
    )
    spoken = words(more, known, "cy")
    assert inspect(less, known, words(less, known, "cy"), AT).verdict == "cleared"
    assert inspect(less, known, spoken, AT).findings[0].outcome is Outcome.PENDING, (
        "it was not told of that one"
    )


@pytest.mark.parametrize("leg", [{"issues": "slow"}, {"landed_at": None}], ids=["with issues", "not landed"])
@pytest.mark.parametrize("more", [{}, {"confirmed": True}])
def test_a_soak_is_of_what_landed_and_was_not_closed_with_issues(leg, more):
    """Whatever else is said of it."""
    known = facts(leg_before=(landing(48, confirmed_at=AT - 47 * HOUR, **leg),))
    assert finding_of({"kind": "soak", "at_least": "PT24H", **more}, known=known).outcome == "unmet"


def test_a_soak_goes_back_only_for_a_rollback_to_where_it_was():
    before = (landing(1, environment="live", title="Live"),)
    for kind, legs, outcome in (
        ("rollback", before, "not applicable"),
        ("ordinary", before, "pending"),
        ("rollback", (landing(1),), "pending"),
    ):
        made, known = policy(SOAK), facts(kind=kind, leg_before=legs)
        sheet = inspect(made, known, Decisions(), AT)
        assert sheet.findings[0].outcome == outcome
        assert (sheet.forecast.closings == ()) == (outcome == "not applicable")
