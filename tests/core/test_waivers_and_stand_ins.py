"""Waivers and stand-ins: what lets a promotion pass all the same, and what never does."""

from datetime import timedelta
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.cases import AT, OTHER_BYTES, PEOPLE, facts, policy
from tests.core.test_kinds import CELLS
from tests.limits import examples

from dogana.core.decisions import Decision, Decisions
from dogana.core.facts import StandIn
from dogana.core.inspect.engine import inspect, look_ahead, what_is_shown
from dogana.core.rules.findings import Outcome

SOAK = {"kind": "soak", "at_least": "P9D", "waivable": "security"}
UNTIL = AT + timedelta(hours=5)
SEATS = {"kind": "reviewers", "seats": [{"group": "desk"}, {"group": "security"}]}


def said(action: str, person: str, made, known, minute: int = 0, **more) -> Decision:
    if action == "ask waiver":
        more = {"until": UNTIL, "comment": "It cannot wait", **more}
    rule = {"rule": "r0"} if action.endswith("waiver") else {}
    at = AT - timedelta(minutes=30 - minute)
    return Decision(action=action, person=person, at=at, shown=what_is_shown(made, known), **rule, **more)


def waived(*who: tuple[str, str], rule=SOAK, known=None, later=None, at=AT):
    made, known = policy(rule), known or facts()
    words = [said(action, person, made, known, n) for n, (action, person) in enumerate(who)]
    return inspect(made, later or known, Decisions(made=tuple(words)), at)


GRANTED = [("ask waiver", "ann"), ("grant waiver", "cy")]


def test_a_granted_waiver_lets_one_rule_go_until_its_end():
    """The finding says who, why, until when, and what it would be without."""
    sheet = waived(*GRANTED)
    (finding,) = sheet.findings
    assert (finding.outcome, sheet.verdict) == (Outcome.WAIVED, "cleared")
    assert finding.because == (
        "Waived until Tue 10 Mar 18:00, Rome, asked for by Ann Ash and granted by Cy Cedar: It cannot wait."
    )
    assert finding.evidence[0].value.startswith("Runs well in Pilot since")
    assert sheet.next_change() == UNTIL
    assert sheet.forecast.first_start == AT
    assert waived(*GRANTED, at=UNTIL).findings[0].outcome is Outcome.PENDING


@pytest.mark.parametrize(
    ("who", "rule", "later"),
    [
        ([("ask waiver", "ann")], SOAK, None),
        ([("ask waiver", "cy"), ("grant waiver", "cy")], SOAK, None),
        ([("ask waiver", "ann"), ("grant waiver", "dee")], SOAK, None),
        ([("ask waiver", "ann"), ("grant waiver", "eve")], SOAK, None),
        ([("ask waiver", "cy"), ("grant waiver", "ann")], SOAK, None),
        ([*GRANTED, ("revoke waiver", "bo")], SOAK, None),
        (GRANTED, {**SOAK, "waivable": None}, None),
        (GRANTED, SOAK, facts(artifacts=(OTHER_BYTES,))),
    ],
    ids=[
        "nobody granted it",
        "one person alone",
        "granted by who asked for the promotion",
        "granted by an author",
        "granted from outside the group",
        "revoked",
        "a rule that is never waived",
        "the artifacts changed since",
    ],
)
def test_a_waiver_that_does_not_hold(who, rule, later):
    """The rule stands in the way as if there were none."""
    assert waived(*who, rule=rule, later=later).findings[0].outcome is Outcome.PENDING


def test_a_waiver_asked_for_names_who_could_grant_it():
    """All of the group but who asked for it, who asked for the promotion, and the authors."""
    (finding,) = waived(("ask waiver", "bo")).findings
    assert finding.may_grant == ("cy",)
    assert finding.waiver is not None
    assert finding.waiver.reason == "It cannot wait"


def test_what_is_met_is_not_called_waived():
    """A waiver changes nothing where nothing stands in the way."""
    assert waived(*GRANTED, rule={**SOAK, "at_least": "PT1H"}).findings[0].outcome is Outcome.MET


def test_what_does_not_apply_is_not_called_waived():
    """At the first leg nothing soaks, waiver or not."""
    assert waived(*GRANTED, known=facts(leg_before=())).findings[0].outcome is Outcome.NOT_APPLICABLE


def test_waived_time_closes_again_at_the_waivers_end():
    """In the forecast as in the finding."""
    made, known = policy(SOAK), facts()
    words = [said(action, person, made, known, n) for n, (action, person) in enumerate(GRANTED)]
    ahead = look_ahead(made, known, Decisions(made=tuple(words)), AT)
    assert [closing.start for closing in ahead.closings] == [UNTIL]


@pytest.mark.parametrize("rule", [rule for rule, _ in CELLS], ids=lambda rule: rule["kind"])
def test_what_stands_in_the_way_is_waived_and_called_so_until_then(rule):
    """Of every kind: never met by a waiver, never for longer, and nothing else by it."""
    rule = {**rule, "waivable": "security"}
    plain, let_go = (waived(*who, rule=rule).findings[0] for who in ((), GRANTED))
    if not plain.outcome.stands_in_the_way:
        assert let_go.outcome is plain.outcome
        return
    assert (let_go.outcome, let_go.holds_until) == (Outcome.WAIVED, UNTIL)
    (without,) = (line.value for line in let_go.evidence if line.label == "Without the waiver")
    assert without
    assert waived(*GRANTED, rule=rule, at=UNTIL).findings[0].outcome is not Outcome.WAIVED


def test_waived_seats_ask_for_nobody():
    """Those who sat in them are free for other seats; the record says what would have been asked for."""
    sheet = waived(*GRANTED, ("approve", "bo"), rule={**SEATS, "lasts": "PT1H", "waivable": "security"})
    assert sheet.seats() == ()
    assert sheet.sentence == "Cleared: nothing stands in its way."
    assert sheet.next_change() == UNTIL
    assert sheet.findings[0].evidence[0].value == "Asks for release desk and security."


people = st.sampled_from([person.id for person in PEOPLE])
words = st.lists(st.tuples(people, st.none() | people), max_size=6, unique_by=lambda word: word[0])
standing = st.lists(st.tuples(people, people).filter(lambda pair: pair[0] != pair[1]), max_size=4)


@settings(max_examples=examples(400), deadline=None)
@given(words, standing)
def test_seats_with_stand_ins_against_every_assignment(spoken, pairs):
    """As many seats are taken as any assignment takes, by distinct people for distinct people."""
    rule = {"kind": "reviewers", "seats": [{"group": "desk", "count": 2}, {"group": "security"}]}
    dates = {"start": AT - timedelta(days=1), "end": AT + timedelta(days=1)}
    known = facts(stand_ins=tuple(StandIn(person=a, stands_in_for=b, **dates) for a, b in pairs))
    made = policy(rule)
    spoken = [(who, other) for who, other in spoken if other != who]
    words = [
        said("approve", who, made, known, n, on_behalf_of=other) for n, (who, other) in enumerate(spoken)
    ]
    seats = inspect(made, known, Decisions(made=tuple(words)), AT).seats()
    taken = [(seat.taken_by, seat.taken_for or seat.taken_by) for seat in seats if seat.taken_by]
    groups = {person.id: person.groups for person in PEOPLE}
    asked = ["desk", "desk", "security"]
    barred = {"dee", "eve"}
    counting = {
        other or who
        for who, other in spoken
        if not barred & {who, other} and (other is None or (who, other) in pairs)
    }
    able = [[n for n, group in enumerate(asked) if group in groups[holder]] for holder in counting]
    most = max(
        (
            sum(choice is not None for choice in choices)
            for choices in product(*([None, *mine] for mine in able))
            if len([c for c in choices if c is not None]) == len({c for c in choices if c is not None})
        ),
        default=0,
    )
    assert len(taken) == most
    assert len({who for who, _ in taken}) == len({other for _, other in taken}) == len(taken)


def test_a_stand_in_sits_inside_the_dates_and_both_are_named():
    """What was given inside them stands after them; what was given outside never counts."""
    dates = {"start": AT - timedelta(hours=2), "end": AT - timedelta(minutes=10)}
    known = facts(stand_ins=(StandIn(person="ann", stands_in_for="cy", **dates),))
    made = policy({"kind": "reviewers", "seats": [{"people": ["cy"]}]})
    inside = said("approve", "ann", made, known, on_behalf_of="cy")
    (finding,) = inspect(made, known, Decisions(made=(inside,)), AT).findings
    assert finding.because == "Approved by Ann Ash for Cy Cedar."
    (seat,) = finding.seats
    assert (seat.taken_by, seat.taken_for) == ("ann", "cy")
    outside = inside.model_copy(update={"at": AT - timedelta(minutes=5)})
    assert inspect(made, known, Decisions(made=(outside,)), AT).findings[0].outcome is Outcome.PENDING
