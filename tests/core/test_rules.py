"""Every rule kind by cases: outcome, sentence, what settles it; and what the findings come to."""

import os
import subprocess
import sys
from datetime import timedelta

import pytest
from tests.core.cases import AT, OTHER_BYTES, facts, finding_of, landing, policy, reading, sheet_of, words

from dogana.core.facts import Ticket
from dogana.core.inspect.engine import inspect, what_is_shown
from dogana.core.rules.findings import Outcome

TWO_SEATS = {"kind": "reviewers", "seats": [{"group": "desk"}, {"group": "security"}]}
SOAK = {"kind": "soak", "at_least": "PT24H"}
TICKETS = {"kind": "tickets", "status": ["done"]}
SAMENESS = {"kind": "sameness"}


SOAKING = (
    "Runs well in Pilot since Mon 9 Mar 17:00, Rome; "
    "at least 1 day is asked for, up at Tue 10 Mar 17:00, Rome."
)
BOTH_WAIT = (
    "Waits for two seats (release desk and security). Held by the billing run until Wed 11 Mar 06:00, Rome."
)


def freeze(start: str, until: str, **more):
    return {
        "kind": "freeze",
        "zone": "Europe/Rome",
        "windows": [{"name": "the billing run", "from": start, "until": until}],
        **more,
    }


def tickets(*found: Ticket, **more):
    named = reading(facts().change.value.model_copy(update={"ticket_keys": tuple(one.key for one in found)}))
    return facts(change=named.model_dump(), tickets=reading(tuple(found), **more).model_dump())


FINDINGS = {
    "seats all open": (TWO_SEATS, {}, "pending", "Both seats are open: release desk and security."),
    "one of two taken": (TWO_SEATS, {"spoken": ("ann",)}, "pending", "One of two seats is open: security."),
    "both taken": (TWO_SEATS, {"spoken": ("ann", "cy")}, "met", "Approved by Ann Ash and Cy Cedar."),
    "somebody of both groups never blocks the other": (
        TWO_SEATS,
        {"spoken": ("bo", "cy")},
        "met",
        "Approved by Bo Birch and Cy Cedar.",
    ),
    "one person does not fill two seats": (
        TWO_SEATS,
        {"spoken": ("bo", "bo")},
        "pending",
        "One of two seats is open: security.",
    ),
    "the requester does not count": (
        TWO_SEATS,
        {"spoken": ("dee", "cy")},
        "pending",
        "One of two seats is open: release desk.",
    ),
    "an author does not count, whatever the case of the address": (
        TWO_SEATS,
        {"spoken": ("ann", "eve")},
        "pending",
        "One of two seats is open: security.",
    ),
    "the requester counts where the policy says so": (
        {**TWO_SEATS, "let_requester_decide": True},
        {"spoken": ("dee", "cy")},
        "met",
        "Approved by Dee Dogwood and Cy Cedar.",
    ),
    "an approval taken back": (
        TWO_SEATS,
        {"spoken": ("ann", "cy", "ann:retract")},
        "pending",
        "One of two seats is open: release desk.",
    ),
    "in order, the later seat waits": (
        {**TWO_SEATS, "in_order": True},
        {"spoken": ("cy",)},
        "pending",
        "Both seats are open: release desk then security.",
    ),
    "in order, the later seat opens": (
        {**TWO_SEATS, "in_order": True},
        {"spoken": ("ann", "cy")},
        "met",
        "Approved by Ann Ash and Cy Cedar.",
    ),
    "an approval that counted for a while": (
        {**TWO_SEATS, "lasts": "PT29M"},
        {"spoken": ("ann", "cy")},
        "pending",
        "Both seats are open: release desk and security.",
    ),
    "nobody left who may": (
        {"kind": "reviewers", "seats": [{"people": ["dee"]}]},
        {},
        "pending",
        "One seat is open: Dee Dogwood. Nobody is left who may decide for Dee Dogwood.",
    ),
    "a freeze that is on": (
        freeze("2026-03-10T10:00", "2026-03-11T06:00"),
        {},
        "pending",
        "Closed by the billing run until Wed 11 Mar 06:00, Rome.",
    ),
    "a freeze ends at its end": (
        freeze("2026-03-10T10:00", "2026-03-10T13:00"),
        {},
        "met",
        "Open; no freeze window within six weeks.",
    ),
    "a freeze begins at its beginning": (
        freeze("2026-03-10T13:00", "2026-03-10T14:00"),
        {},
        "pending",
        "Closed by the billing run until Tue 10 Mar 14:00, Rome.",
    ),
    "a freeze ahead": (
        freeze("2026-03-12T10:00", "2026-03-13T06:00"),
        {},
        "met",
        "Open until Thu 12 Mar 10:00, Rome, when the billing run begins.",
    ),
    "soaked enough": (SOAK, {}, "met", "Has run well in Pilot for 2 days; at least 1 day is asked for."),
    "soaked to the minute": (
        SOAK,
        {"known": facts(leg_before=(landing(24),))},
        "met",
        "Has run well in Pilot for 1 day; at least 1 day is asked for.",
    ),
    "still soaking": (
        SOAK,
        {"known": facts(leg_before=(landing(20),))},
        "pending",
        SOAKING,
    ),
    "never landed": (
        SOAK,
        {"known": facts(leg_before=(landing(landed_at=None, healthy=False),))},
        "unmet",
        "1.2.0 is not running well in Pilot.",
    ),
    "soak with one of two lanes behind": (
        SOAK,
        {"known": facts(leg_before=(landing(), landing(environment="south", title="South", healthy=False)))},
        "unmet",
        "1.2.0 is not running well in South.",
    ),
    "any lane will do": (
        {**SOAK, "across": "any"},
        {"known": facts(leg_before=(landing(), landing(environment="south", title="South", healthy=False)))},
        "met",
        "Has run well in Pilot or South for 2 days; at least 1 day is asked for.",
    ),
    "replaced before its time": (
        SOAK,
        {"known": facts(leg_before=(landing(48, replaced_at=AT - timedelta(hours=30)),))},
        "unmet",
        "1.2.0 was replaced in Pilot after 18 h of the 1 day asked for.",
    ),
    "replaced after its time": (
        SOAK,
        {"known": facts(leg_before=(landing(48, replaced_at=AT - timedelta(hours=2)),))},
        "met",
        "Has run well in Pilot for 1 day 22 h; at least 1 day is asked for.",
    ),
    "nothing to soak in": (
        SOAK,
        {"known": facts(leg_before=())},
        "not applicable",
        "Live is the first leg; nothing comes before it.",
    ),
    "tickets done": (TICKETS, {}, "met", "CW-1 is done."),
    "a ticket open": (
        TICKETS,
        {"known": tickets(Ticket(key="CW-1", status="open"), Ticket(key="CW-2", status="done"))},
        "unmet",
        "CW-1 is open; should be done.",
    ),
    "any ticket done": (
        {**TICKETS, "which": "any"},
        {"known": tickets(Ticket(key="CW-1", status="open"), Ticket(key="CW-2", status="done"))},
        "met",
        "CW-2 is done.",
    ),
    "a ticket that does not exist": (
        TICKETS,
        {"known": tickets(Ticket(key="CW-9"))},
        "unmet",
        "CW-9 does not exist in the tracker; should be done.",
    ),
    "no ticket named": (
        TICKETS,
        {"known": tickets()},
        "unmet",
        "No tickets named in one commit; at least 1 must be.",
    ),
    "no ticket needed": (
        {**TICKETS, "at_least": 0},
        {"known": tickets()},
        "met",
        "No ticket is named, and none has to be.",
    ),
    "the tracker is down": (
        TICKETS,
        {"known": facts(tickets=reading(unknown="it cannot be reached").model_dump())},
        "unknown",
        "The tracker could not be read: it cannot be reached.",
    ),
    "the tracker's answer is old": (
        TICKETS,
        {"known": tickets(Ticket(key="CW-1", status="done"), at=AT - timedelta(hours=2))},
        "unknown",
        "The tracker was last read 2 h ago; a reading counts for 15 min.",
    ),
    "the same bytes": (SAMENESS, {}, "met", "Byte for byte what landed in Pilot (one artifact)."),
    "other bytes": (
        SAMENESS,
        {"known": facts(leg_before=(landing(artifacts=(OTHER_BYTES,)),))},
        "unmet",
        "app.tar.gz differs from what landed in Pilot.",
    ),
    "bytes missing": (SAMENESS, {"known": facts(artifacts=())}, "unmet", "app.tar.gz of Pilot is missing."),
    "bytes never landed": (
        SAMENESS,
        {"known": facts(leg_before=(landing(landed_at=None, healthy=False),))},
        "unmet",
        "1.2.0 has not landed in Pilot.",
    ),
}


WEEK = [{"days": ["MO", "TU", "WE", "TH", "FR"], "from": "07:00", "until": "17:00"}]
HOURS = {"kind": "hours", "zone": "Europe/Rome", "open": WEEK}
NOON = {"kind": "hours", "zone": "Europe/Rome", "departures": {"days": ["TU"], "at": ["07:00", "13:00"]}}
NOTICE = {"kind": "notice", "at_least": "PT4H"}
VERSIONS = {"kind": "versions", "at_least": "1.0.0", "below": "2.0.0"}
NEEDS = {"kind": "needs", "services": [{"service": "core", "at_least": "3.1"}]}
PACE = {"kind": "pace", "one_at_a_time": True}


def ago(hours: float, *, landed: bool = True, service: str = "other"):
    at = AT - timedelta(hours=hours)
    return {
        "service": service,
        "version": "9.1",
        "departed_at": at,
        "arrived_at": at + timedelta(minutes=5) if landed else None,
    }


FINDINGS |= {
    "open hours": (HOURS, {}, "met", "Open until Tue 10 Mar 17:00, Rome."),
    "outside hours": (
        {**HOURS, "open": [{**WEEK[0], "until": "13:00"}]},
        {},
        "pending",
        "Outside its hours; the next opening is Wed 11 Mar 07:00, Rome.",
    ),
    "a holiday": (
        {**HOURS, "holidays": [{"date": "2026-03-10", "name": "the patron's day"}]},
        {},
        "pending",
        "Closed for the patron's day; the next opening is Wed 11 Mar 07:00, Rome.",
    ),
    "a departure to be caught": (NOON, {}, "met", "A departure can be caught until Tue 10 Mar 13:15, Rome."),
    "between departures": (
        {**NOON, "departures": {"days": ["TU"], "at": ["07:00"]}},
        {},
        "pending",
        "Outside its hours; the next departure is Tue 17 Mar 07:00, Rome.",
    ),
    "in notice": (
        NOTICE,
        {},
        "pending",
        "Asked for Tue 10 Mar 12:00, Rome; 4 h of notice are up at Tue 10 Mar 16:00, Rome.",
    ),
    "notice given": ({**NOTICE, "at_least": "PT1H"}, {}, "met", "Asked for 1 h ago."),
    "asked for too long ago": (
        {"kind": "notice", "at_most": "PT30M"},
        {},
        "unmet",
        "Should have started before Tue 10 Mar 12:30, Rome; ask for it anew.",
    ),
    "a version in range": (VERSIONS, {}, "met", "1.2.0 is let in."),
    "a version too new": ({**VERSIONS, "below": "1.2"}, {}, "unmet", "1.2.0 is not below 1.2."),
    "a pre-release is older than its release": (
        {"kind": "versions", "at_least": "1.2.0"},
        {"known": facts(version="1.2.0-rc.1")},
        "unmet",
        "1.2.0-rc.1 is older than 1.2.0, the first version let in.",
    ),
    "going back": (
        VERSIONS,
        {"known": facts(runs={"app": "1.10.0"})},
        "unmet",
        "1.2.0 is older than 1.10.0, which runs in Live; going back takes a rollback.",
    ),
    "no version at all": (
        VERSIONS,
        {"known": facts(version="main")},
        "unmet",
        "main is not a version such as 4.2.0 or 4.2.0-rc.1.",
    ),
    "what it needs is there": (
        NEEDS,
        {"known": facts(runs={"core": "3.1.0"})},
        "met",
        "core 3.1.0 runs in Live.",
    ),
    "what it needs is old": (
        NEEDS,
        {"known": facts(runs={"core": "3.0.9"})},
        "unmet",
        "core is at 3.0.9 in Live; should be at least 3.1.",
    ),
    "what it needs is missing": (NEEDS, {}, "unmet", "core does not run in Live; should be at least 3.1."),
    "another on its way": (
        PACE,
        {"known": facts(traffic=[ago(0.1, landed=False)], services={"other": "Valve command"})},
        "pending",
        "Valve command 9.1 is on the way in; one goes at a time.",
    ),
    "another group on its way": (
        {**PACE, "services": ["app"]},
        {"known": facts(traffic=[ago(0.1, landed=False)])},
        "met",
        "There is room for one more.",
    ),
    "too close together": (
        {"kind": "pace", "gap": "PT2H"},
        {"known": facts(traffic=[ago(1)])},
        "pending",
        "other 9.1 departed 1 h ago; the next may go Tue 10 Mar 14:00, Rome.",
    ),
    "as many as are let in": (
        {"kind": "pace", "at_most": 2, "per": "PT24H"},
        {"known": facts(traffic=[ago(30), ago(20), ago(3)])},
        "pending",
        "Two departures in 1 day, as many as are let in; the next may go Tue 10 Mar 17:00, Rome.",
    ),
    "room in the span": (
        {"kind": "pace", "at_most": 2, "per": "PT24H"},
        {"known": facts(traffic=[ago(30), ago(24), ago(3)])},
        "met",
        "There is room for one more.",
    ),
}


@pytest.mark.parametrize("name", FINDINGS)
def test_finding(name):
    """The outcome and the sentence people read."""
    rule, given, outcome, because = FINDINGS[name]
    finding = finding_of(rule, **given)
    assert (finding.outcome, finding.because) == (outcome, because)
    if finding.outcome in {Outcome.PENDING, Outcome.UNMET, Outcome.UNKNOWN}:
        assert finding.settled_by is not None
    if finding.outcome is Outcome.UNKNOWN:
        assert finding.evidence


FROZEN = freeze("2026-03-10T10:00", "2026-03-11T06:00")
VERDICTS = {
    "everything met": (
        (TWO_SEATS, SAMENESS),
        ("ann", "cy"),
        "cleared",
        "Cleared: nothing stands in its way.",
    ),
    "people": ((TWO_SEATS,), ("ann",), "held", "Waits for one of two seats (security)."),
    "people and time": (
        (TWO_SEATS, FROZEN),
        (),
        "held",
        BOTH_WAIT,
    ),
    "a fact weighs more than people": (
        ({"kind": "tickets", "status": ["shipped"]}, TWO_SEATS),
        (),
        "barred",
        "CW-1 is done; should be shipped.",
    ),
}


@pytest.mark.parametrize("name", VERDICTS)
def test_verdict(name):
    """What the findings come to, in one sentence."""
    rules, spoken, verdict, sentence = VERDICTS[name]
    sheet = sheet_of(*rules, spoken=spoken)
    assert (sheet.verdict, sheet.sentence) == (verdict, sentence)


def test_the_first_start_has_the_whole_slot_ahead():
    """An opening too short for the slot is passed over, and the finding says so."""
    gap = freeze("2026-03-10T13:10", "2026-03-11T06:00")
    sheet = sheet_of({"kind": "notice", "slot": "PT1H"}, gap)
    assert sheet.findings[0].because == "No slot of 1 h begins now; the first is Wed 11 Mar 06:00, Rome."
    assert sheet.forecast.first_start == sheet.findings[0].clears_at
    assert sheet.forecast.first_start > AT


def test_unknown_never_clears():
    """A source that is down holds the promotion and says so first."""
    known = facts(tickets=reading(unknown="it answered 503").model_dump())
    sheet = sheet_of(TICKETS, known=known)
    assert sheet.verdict == "held"
    assert sheet.sentence == "The tracker could not be read: it answered 503."


@pytest.mark.parametrize(
    ("part", "word"),
    [
        ("artifacts", "the artifacts"),
        ("policy", "the policy"),
        ("change", "the commits"),
        ("tickets", "the tickets"),
    ],
)
def test_an_approval_lapses_when_what_was_shown_changes(part, word):
    """And the finding says exactly what changed."""
    made, known = policy(TWO_SEATS), facts()
    other = what_is_shown(made, known).model_copy(update={part: "sha256:" + "0" * 64})
    sheet = inspect(made, known, words(made, known, "ann", shown=other), AT)
    (finding,) = sheet.findings
    assert finding.because == "Both seats are open: release desk and security."
    assert (finding.evidence[0].label, finding.evidence[0].value) == (
        "Ann Ash's approval lapsed",
        f"{word} changed since",
    )


def test_an_approval_outlives_a_tracker_that_is_down():
    """What cannot be read has not changed; it holds by being unknown, not by undoing what people said."""
    made = policy(TWO_SEATS, TICKETS)
    before = facts()
    down = facts(tickets=reading(unknown="it cannot be reached").model_dump())
    spoken = words(made, before, "ann", "cy")
    assert [f.outcome for f in inspect(made, down, spoken, AT).findings] == ["met", "unknown"]


def test_seats_of_several_rules_are_taken_by_distinct_people():
    """A second rule for the same group asks for a second person."""
    one = {"kind": "reviewers", "seats": [{"group": "desk"}]}
    sheet = sheet_of(one, one, spoken=("ann",))
    assert [f.outcome for f in sheet.findings] == ["met", "pending"]


@pytest.mark.thorough
def test_the_same_input_gives_the_same_bytes_in_any_process():
    """Whatever the hash seed and the machine's zone: that is what makes a decision replayable."""
    program = (
        "from tests.core.cases import *; from tests.core.test_rules import *;"
        "from dogana.core.record.canonical import digest;"
        "print(digest(sheet_of(TWO_SEATS, FROZEN, SOAK, TICKETS, SAMENESS, spoken=('bo', 'cy'))))"
    )
    digests = {
        subprocess.run(
            [sys.executable, "-c", program],
            env={**os.environ, "PYTHONHASHSEED": seed, "TZ": zone},
            capture_output=True,
            text=True,
            check=True,
        ).stdout
        for seed, zone in (("1", "UTC"), ("2", "Asia/Tokyo"), ("3", "America/Halifax"))
    }
    assert len(digests) == 1
