"""Who may sit for whom, until when, and when the last of them sat: each condition by itself."""

from datetime import timedelta

import pytest
from tests.core.cases import AT, facts, policy, reading, words

from dogana.core.decisions import Decision, Decisions
from dogana.core.facts import StandIn
from dogana.core.inspect.engine import inspect, what_is_shown
from dogana.core.rules.findings import Outcome

DESK = {"kind": "reviewers", "seats": [{"group": "desk"}]}
SECURITY = {"kind": "reviewers", "seats": [{"group": "security"}]}
NOTICE = {"kind": "notice", "at_least": "PT1H", "after": "approval"}
MINUTE = timedelta(minutes=1)


def stand_in(who, other, *, start=AT - timedelta(days=1), end=AT + timedelta(days=1)):
    return StandIn(person=who, stands_in_for=other, start=start, end=end)


def approval(made, known, who, *, of=None, at=AT - MINUTE):
    return Decision(action="approve", person=who, on_behalf_of=of, at=at, shown=what_is_shown(made, known))


@pytest.mark.parametrize(
    ("who", "other", "sits"),
    [
        ("ann", "cy", True),
        ("ann", "eve", False),
        ("eve", "cy", False),
        ("dee", "cy", False),
        ("ann", "gone", False),
        ("gone", "cy", False),
        ("cy", "ann", False),
    ],
    ids=[
        "for somebody of the group",
        "for who wrote it",
        "by who wrote it",
        "by who asked for it",
        "for nobody there is",
        "by nobody there is",
        "for somebody of another group",
    ],
)
def test_neither_who_sits_nor_whom_it_is_for_may_be_excluded(who, other, sits):
    """The approval counts where it may, and only where it may is it offered."""
    made, known = policy(SECURITY), facts(stand_ins=(stand_in(who, other),))
    given = inspect(made, known, Decisions(made=(approval(made, known, who, of=other),)), AT)
    assert (given.findings[0].outcome is Outcome.MET) == sits
    (open_,) = inspect(made, known, Decisions(), AT).seats()
    assert open_.through == ({who: (other,)} if sits else {})


@pytest.mark.parametrize(
    ("dates", "offered"),
    [
        ({"start": AT}, True),
        ({"start": AT + MINUTE}, False),
        ({"end": AT}, False),
        ({"end": AT + MINUTE}, True),
    ],
    ids=["from now", "from later", "until now", "until later"],
)
def test_a_stand_in_is_asked_inside_the_dates(dates, offered):
    made, known = policy(SECURITY), facts(stand_ins=(stand_in("ann", "cy", **dates),))
    (seat,) = inspect(made, known, Decisions(), AT).seats()
    assert seat.through == ({"ann": ("cy",)} if offered else {})


def test_what_a_stand_in_said_when_the_dates_were_over_does_not_count():
    """To the minute: the dates end before their end."""
    made, known = policy(SECURITY), facts(stand_ins=(stand_in("ann", "cy", end=AT - MINUTE),))
    for at, outcome in ((AT - MINUTE, Outcome.PENDING), (AT - 2 * MINUTE, Outcome.MET)):
        said = approval(made, known, "ann", of="cy", at=at)
        assert inspect(made, known, Decisions(made=(said,)), AT).findings[0].outcome is outcome


def test_one_word_is_enough_for_one_person():
    """Whoever has sat, or was sat for, is not asked again, nor is anybody in their place."""
    two = {"kind": "reviewers", "seats": [{"group": "security", "count": 2}]}
    made, known = policy(two), facts(stand_ins=(stand_in("ann", "cy"), stand_in("dee", "bo")))
    own, later = (approval(made, known, "cy", at=AT - n * MINUTE) for n in (3, 1))
    other = approval(made, known, "ann", of="cy", at=AT - 2 * MINUTE)
    for given in ((own,), (own, other), (other, later)):
        taken, free = inspect(made, known, Decisions(made=given), AT).seats()
        assert (taken.taken_by, taken.taken_for) == ("cy", None)
        assert (free.may_take, free.through) == (("bo",), {})


def test_an_approval_counts_for_as_long_as_it_lasts():
    """It is met until then, and asked for again from then on."""
    made, known = policy({**SECURITY, "lasts": "PT31M"}), facts()
    spoken = words(made, known, "cy")
    sheet = inspect(made, known, spoken, AT)
    assert (sheet.findings[0].outcome, sheet.next_change()) == (Outcome.MET, AT + MINUTE)
    assert inspect(made, known, spoken, AT + MINUTE).findings[0].outcome is Outcome.PENDING


def test_while_nobody_could_read_who_wrote_it_all_but_who_asked_are_heard():
    """What they said is kept; the rule stays unknown, and nobody new is asked."""
    unread = reading(unknown="it cannot be reached").model_dump()
    made, known = policy({**DESK, "seats": [{"group": "desk", "count": 2}]}), facts(change=unread)
    said = tuple(approval(made, known, who) for who in ("bo", "dee"))
    sheet = inspect(made, known, Decisions(made=said), AT)
    assert sheet.findings[0].outcome is Outcome.UNKNOWN
    taken, free = sheet.seats()
    assert (taken.taken_by, free.taken_by, free.may_take) == ("bo", None, ())


def test_a_seat_nobody_is_asked_for_keeps_nobody_from_another():
    """Neither one that is waived nor one of a rule that does not concern it."""
    for let_go in ({"waivable": "desk"}, {"when": 'version == "9.9.9"'}):
        made, known = (
            policy({**DESK, **let_go}, {"kind": "reviewers", "seats": [{"people": ["bo"]}]}),
            facts(),
        )
        shown = what_is_shown(made, known)
        more = {"rule": "r0", "shown": shown, "comment": "It cannot wait"}
        waiver = (
            Decision(
                action="ask waiver", person="cy", at=AT - 3 * MINUTE, until=AT + timedelta(days=1), **more
            ),
            Decision(action="grant waiver", person="ann", at=AT - 2 * MINUTE, **more),
        )
        asked = waiver if "waivable" in let_go else ()
        sheet = inspect(made, known, Decisions(made=(*asked, approval(made, known, "bo"))), AT)
        assert [(seat.rule, seat.taken_by) for seat in sheet.seats()] == [("r1", "bo")]
        assert sheet.verdict == "cleared"


def test_in_order_the_next_is_asked_once_those_before_have_sat():
    """What was said before one's turn does not count."""
    made = policy(
        {"kind": "reviewers", "in_order": True, "seats": [{"group": "security"}, {"group": "desk"}]}
    )
    known = facts()
    first, second = inspect(made, known, Decisions(), AT).seats()
    assert (first.later, second.later, second.may_take) == (False, True, ())
    assert inspect(made, known, words(made, known, "cy", "ann"), AT).verdict == "cleared"
    early = words(made, known, "ann", "cy")
    assert [seat.taken_by for seat in inspect(made, known, early, AT).seats()] == ["cy", None]


@pytest.mark.parametrize(
    ("rules", "spoken", "since"),
    [
        ((SECURITY, {"kind": "reviewers", "seats": [{"group": "desk"}]}), ("cy", "ann"), 29),
        ((SECURITY, {"kind": "reviewers", "seats": [{"group": "desk"}]}), ("ann",), None),
        ((SECURITY, {**DESK, "advisory": True}), ("cy",), 30),
        ((SECURITY, {**DESK, "advisory": True}), ("cy", "ann"), 30),
        (({"kind": "sameness"},), (), 60),
    ],
    ids=["the last of two", "one is open", "one only shown is open", "one only shown is later", "none"],
)
def test_notice_counts_from_the_last_seat_of_what_holds(rules, spoken, since):
    """Where no seat is asked for, from the request."""
    made, known = policy({**NOTICE, "at_least": "PT2H"}, *rules), facts()
    finding = inspect(made, known, words(made, known, *spoken), AT).findings[0]
    expected = None if since is None else AT - since * MINUTE + timedelta(hours=2)
    assert finding.clears_at == expected


def test_two_that_last_hold_until_the_first_of_them_ends():
    """Whichever seat it is in; the other is still counted then, and the one that ended is named."""
    made = policy({**SECURITY, "seats": [{"group": "security"}, {"group": "desk"}], "lasts": "PT40M"})
    known = facts()
    for spoken, who in ((("cy", "ann"), "Cy Cedar"), (("ann", "cy"), "Ann Ash")):
        said = words(made, known, *spoken)
        until = AT + timedelta(minutes=10)
        assert inspect(made, known, said, AT).findings[0].holds_until == until
        (ended,) = inspect(made, known, said, until).findings
        assert ended.outcome is Outcome.PENDING
        assert [line.label for line in ended.evidence if "ended" in line.label] == [f"{who}'s approval ended"]


def test_whose_word_does_not_count_is_said_and_why():
    """Lapsed or from the future; and who of those asked may not decide, but nobody else."""
    made, known = policy(SECURITY), facts()
    good = approval(made, known, "cy")
    stale = good.shown.model_copy(update={"change": "sha256:" + "0" * 64})
    says = {
        "Cy Cedar's approval lapsed": good.model_copy(update={"shown": stale}),
        "Cy Cedar's approval does not count": good.model_copy(update={"at": AT + timedelta(hours=1)}),
        None: good,
    }
    for label, word in says.items():
        (finding,) = inspect(made, known, Decisions(made=(word,)), AT).findings
        about_words = [line.label for line in finding.evidence if "approval" in line.label]
        assert about_words == ([label] if label else [])
        barred = [line.value for line in finding.evidence if line.label == "May not decide"]
        assert barred == ["Eve Elm, who wrote part of it"]
