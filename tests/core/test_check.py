"""Outside checks: what an answer, or none, comes to; and that nothing but a good answer is ever met."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.cases import AT, BYTES, OTHER_BYTES, facts, finding_of, policy, reading

from dogana.core.facts import CheckAnswer
from dogana.core.rules.findings import Outcome

CHECK = {"kind": "check", "check": "capacity"}
FRESH = CHECK | {"fresh": "PT2H"}


def answered(result=None, *, ago=5, asked_ago=10, **more):
    about = facts().asked_about
    said = {"check": "capacity", "title": "Capacity check", "about": about}
    said["asked_at"] = AT - timedelta(minutes=asked_ago)
    if result is not None:
        said |= {"result": result, "answered_at": AT - timedelta(minutes=ago), "by": "bo"}
    return CheckAnswer.model_validate(said | more)


def within(minutes):
    return AT + timedelta(minutes=minutes)


CASES = {
    "never asked": (CHECK, None, "unknown", "The capacity check has not been asked yet."),
    "asked about something else": (
        CHECK,
        answered("passed", about="sha256:" + "0" * 64),
        "unknown",
        "The capacity check has not been asked yet.",
    ),
    "asked": (CHECK, answered(), "pending", "Capacity check was asked 10 min ago and has not answered."),
    "silent": (
        CHECK,
        answered(asked_ago=45),
        "unknown",
        "Capacity check has said nothing for 45 min; that counts for 30 min.",
    ),
    "not reached": (
        CHECK,
        answered(trouble="it answers 503"),
        "unknown",
        "Capacity check could not be asked: it answers 503.",
    ),
    "at work": (
        CHECK,
        answered("running", reason="counting", ago=20, asked_ago=50),
        "pending",
        "Capacity check is still at work: counting.",
    ),
    "at work, and silent": (
        CHECK,
        answered("running", ago=40, asked_ago=50),
        "unknown",
        "Capacity check has said nothing for 40 min; that counts for 30 min.",
    ),
    "passed": (
        CHECK,
        answered("passed", reason="room for two", ago=500, asked_ago=600),
        "met",
        "Capacity check lets it pass: room for two.",
    ),
    "failed": (
        CHECK,
        answered("failed", reason="no room"),
        "unmet",
        "Capacity check does not let it pass: no room.",
    ),
    "passed, and over": (
        CHECK,
        answered("passed", until=AT, ago=60, asked_ago=60),
        "unknown",
        "The answer of Capacity check counted for 1 h and is over.",
    ),
    "grown old": (
        FRESH,
        answered("passed", ago=180, asked_ago=180),
        "unknown",
        "Capacity check answered 3 h ago; an answer counts for 2 h.",
    ),
    "from the future": (
        CHECK,
        answered("passed", ago=-30),
        "unknown",
        "The answer of Capacity check is dated Tue 10 Mar 13:30, Rome, which has not come yet.",
    ),
    "said by who asked": (
        CHECK,
        answered("passed", by="dee"),
        "unknown",
        "Capacity check was answered by Dee Dogwood, who asked for the promotion.",
    ),
    "said by who wrote part of it": (
        CHECK,
        answered("passed", by="eve"),
        "unknown",
        "Capacity check was answered by Eve Elm, who wrote part of it.",
    ),
    "passed, and nobody knows when": (
        FRESH,
        answered("passed", answered_at=None),
        "unknown",
        "It is not on record when Capacity check answered.",
    ),
    "grown old to the second": (
        FRESH,
        answered("passed", ago=120, asked_ago=180),
        "unknown",
        "Capacity check answered 2 h ago; an answer counts for 2 h.",
    ),
    "at work for long, as it may be": (
        FRESH | {"answers_within": "PT4H"},
        answered("running", ago=180, asked_ago=180),
        "pending",
        "Capacity check is still at work.",
    ),
    "silent for as long as it may be": (
        CHECK,
        answered(asked_ago=30),
        "pending",
        "Capacity check was asked 30 min ago and has not answered.",
    ),
    "passed before it could not be asked again": (
        CHECK,
        answered("passed", trouble="it answers 503"),
        "met",
        "Capacity check lets it pass.",
    ),
    "nobody's any more": (
        CHECK,
        answered("passed", title=None),
        "unknown",
        "Nobody is set up to answer as capacity.",
    ),
}


def test_an_answer_counts_from_nobody_who_may_have_written_what_could_not_be_read():
    unread = facts(change=reading(unknown="it is away"), checks=(answered("passed"),))
    found = finding_of(CHECK, known=unread)
    assert found.outcome == "unknown"
    assert found.because.endswith("Bo Birch, who may have written part of it: the change could not be read.")
    assert finding_of(CHECK, known=facts(checks=(answered("passed", by=None),))).outcome == "unknown"


@pytest.mark.parametrize(("rule", "said", "outcome", "because"), CASES.values(), ids=CASES)
def test_what_a_check_comes_to(rule, said, outcome, because):
    found = finding_of(rule, known=facts(checks=None if said is None else (said,)))
    assert (found.outcome, found.because) == (outcome, because)
    assert found.check == "capacity"
    assert found.settled_by == (None if outcome == "met" else "facts")


def test_the_answer_is_that_of_the_check_that_is_asked_for():
    """Others that answered, before it or after it, say nothing for it."""
    other = answered("passed", check="budget", title="Budget check")
    late = answered("failed", reason="no room")
    assert finding_of(CHECK, known=facts(checks=(other,))).outcome == "unknown"
    for checks in ((other, late), (late, other)):
        found = finding_of(CHECK, known=facts(checks=checks))
        assert found.because == "Capacity check does not let it pass: no room."


def test_what_was_answered_is_told_with_when_and_by_whom():
    lines = finding_of(CHECK, known=facts(checks=(answered("passed", until=within(60)),))).evidence
    assert [(line.label, line.value) for line in lines] == [
        ("Asked", "Tue 10 Mar 12:50, Rome"),
        ("Answered", "Tue 10 Mar 12:55, Rome by Bo Birch"),
        ("Counts until", "Tue 10 Mar 14:00, Rome"),
    ]


def test_an_answer_holds_until_the_first_of_its_ends():
    said = answered("passed", ago=30, until=within(600))
    assert finding_of(CHECK, known=facts(checks=(said,))).holds_until == within(600)
    assert finding_of(FRESH, known=facts(checks=(said,))).holds_until == within(90)


@given(
    st.sampled_from([None, "passed", "failed", "running"]),
    st.integers(-600, 600),
    st.integers(-600, 600),
    st.none() | st.integers(-600, 600),
    st.sampled_from(["bo", "dee", None]),
    st.booleans(),
    st.booleans(),
)
def test_only_an_answer_that_passes_and_counts_is_met(result, asked, ago, until, by, named, same):
    """Whatever else is absent, late, from the future, over, or said by who asked for it."""
    said = answered(result, ago=ago, asked_ago=asked)
    changes = {"by": by, "until": None if until is None else within(until)}
    changes |= {"title": said.title if named else None}
    said = said.model_copy(update=changes | ({} if same else {"about": "sha256:" + "1" * 64}))
    found = finding_of(FRESH, known=facts(checks=(said,)))
    counts = same and named and by == "bo" and -5 <= ago < 120 and (until is None or until > 0)
    assert (found.outcome is Outcome.MET) == (result == "passed" and counts)


def test_it_is_asked_again_once_what_it_was_asked_about_changes():
    """And once an answer has ended; never for being silent, nor while it is at work."""
    (rule,) = policy(CHECK).rules
    known = facts(checks=(answered("passed"),))
    assert not rule.asks_anew(known, AT)
    for change in ({"artifacts": (OTHER_BYTES,)}, {"runs": {"app": "1.1.0"}}, {"kind": "urgent"}):
        assert rule.asks_anew(known.model_copy(update=change), AT), change
    assert not rule.asks_anew(known.model_copy(update={"artifacts": (BYTES,), "runs": {"other": "1"}}), AT)
    assert rule.asks_anew(facts(), AT)
    assert rule.asks_anew(facts(checks=(answered("failed", reason="no", until=AT),)), AT)
    for said in (answered(asked_ago=500), answered("running", until=AT)):
        assert not rule.asks_anew(facts(checks=(said,)), AT)
