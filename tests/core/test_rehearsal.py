"""What another policy would have made of the past."""

from dataclasses import replace
from datetime import timedelta
from typing import Any, get_args

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from tests.core.cases import AT, facts, landing, policy, words
from tests.core.test_strictness import KINDS

from dogana.core.document import InParts
from dogana.core.facts import Facts
from dogana.core.inspect.engine import inspect, what_is_shown
from dogana.core.inspect.sheet import Verdict
from dogana.core.policy.document import Policy
from dogana.core.record.canonical import canonical
from dogana.core.rehearsal import Draft, Past, Replayed, rehearsal
from dogana.core.rules.registry import HEADINGS, AnyRule

DESK = {"kind": "reviewers", "seats": [{"group": "desk"}]}
BOTH = {"kind": "reviewers", "seats": [{"group": "desk"}, {"group": "security"}]}


def past(then: Policy, *spoken: str, departed: bool = True, **changes: Any) -> Past:
    known = facts(**changes)
    return Past(
        number=7,
        at=AT,
        facts=InParts(Facts).read(canonical(known).decode()),
        under=then,
        decisions=words(then, known, *spoken),
        shown=what_is_shown(then, known),
        departed=departed,
        badly=False,
    )


def replayed(made: Policy, one: Past) -> Replayed:
    return Draft(made).replayed(one)


def soak(hours: int) -> dict[str, Any]:
    return {"kind": "soak", "at_least": f"PT{hours}H"}


@given(soaked=st.integers(1, 300), asked=st.integers(1, 300))
def test_a_longer_soak_delays_by_what_was_missing(soaked: int, asked: int) -> None:
    one = past(policy(soak(1)), leg_before=(landing(soaked),))
    outcome = replayed(policy(soak(asked)), one)
    assert (outcome.turn == "newly held") == (asked > soaked)
    assert outcome.delay == (timedelta(hours=asked - soaked) if asked > soaked else None)


def test_words_given_under_the_policy_of_that_day_count() -> None:
    """Or every rehearsal would hold everything; a seat that was not there then stays open."""
    then = policy(DESK)
    one = past(then, "ann")
    assert replayed(policy(DESK, soak(1)), one).turn == "as before"
    asked_more = replayed(policy(BOTH), one)
    assert (asked_more.turn, asked_more.delay) == ("newly held", None)


def test_a_fact_bars_and_a_laxer_policy_lets_go() -> None:
    strict = {"kind": "tickets", "status": ["verified"]}
    assert replayed(policy(strict), past(policy(DESK), "ann")).turn == "newly barred"
    ended = past(policy(BOTH), "ann", departed=False)
    assert replayed(policy(BOTH), ended).turn == "as before"
    assert replayed(policy(DESK), ended).turn == "newly cleared"


@pytest.mark.thorough
@given(data=st.data())
def test_judging_only_what_is_new_says_the_same(data: st.DataObject) -> None:
    """Rules of the day that are in the draft as well need not be judged again for what departed."""
    drawn = data.draw(st.lists(_RULES, min_size=1, max_size=4))
    passed = [rule for rule in drawn if _let_go(policy(rule))]
    assume(passed)
    then = policy(*passed)
    assume(_let_go(then))
    kept = [rule if data.draw(st.booleans()) else data.draw(_RULES) for rule in passed]
    draft = policy(*kept, *data.draw(st.lists(_RULES, max_size=1)))
    one = past(then, *_SPOKEN)
    quick, whole = replayed(draft, one), replayed(draft, replace(one, under=None))
    assert quick == whole


_RULES = st.one_of(
    *(
        kind.map(lambda settings, name=name: {"kind": name, **settings})  # type: ignore[misc]
        for name, kind in KINDS.items()
    ),
    st.sampled_from(
        [DESK | {"waivable": "security"}, {"kind": "soak", "at_least": "PT90H", "waivable": "desk"}]
    ),
)
_SPOKEN = ("ann", "bo", "cy")


def _let_go(then: Policy) -> bool:
    known = facts()
    return inspect(then, known, words(then, known, *_SPOKEN), AT).verdict is Verdict.CLEARED


def test_the_sum_counts_all_and_names_the_latest() -> None:
    turns = [("newly held", 30), ("newly held", None), ("newly barred", None), ("newly cleared", None)]
    outcomes = [
        Replayed.model_validate(
            {"number": n, "at": AT + timedelta(hours=n), "turn": turn, "badly": n == 2, "delay": delay}
        )
        for n, (turn, delay) in enumerate(turns)
    ]
    found = rehearsal([(True, n == 2) for n in range(5)] + [(False, False)], outcomes, 2)
    assert (found.of, found.departed, found.badly) == (6, 5, 1)
    assert [one.number for one in found.turned] == [3, 2]
    assert [(one.turn, one.count, one.badly) for one in found.turns] == [
        ("newly held", 2, 0),
        ("newly barred", 1, 1),
        ("newly cleared", 1, 0),
    ]
    assert found.delays == (30,)


def test_a_part_is_read_when_it_is_asked_for() -> None:
    """And what does not fit is said then; what is not there has its default."""
    known = facts()
    reader = InParts(Facts)
    read = reader.read(canonical(known).decode())
    assert (read.people, read.tickets, read.change, read.waiting) == (
        known.people,
        known.tickets,
        known.change,
        (),
    )
    assert read.author_ids == known.author_ids
    broken = InParts(Facts).read('{"version": "1", "people": 7}')
    assert broken.version == "1"
    with pytest.raises(ValueError, match="valid array"):
        _ = broken.people
    with pytest.raises(AttributeError):
        _ = broken.nothing  # type: ignore[attr-defined]


def test_every_kind_of_rule_has_a_heading_and_few_words() -> None:
    kinds = {get_args(kind.model_fields["kind"].annotation)[0] for kind in get_args(get_args(AnyRule)[0])}
    assert set(HEADINGS) == kinds
    made = policy(
        BOTH,
        soak(36),
        {"kind": "pace", "one_at_a_time": True, "at_most": 6, "per": "P1D"},
        {
            "kind": "hours",
            "zone": "Europe/Rome",
            "open": [{"days": ["MO", "TU", "WE"], "from": "07:00", "until": "17:00"}],
        },
        {"kind": "tickets", "status": ["done", "in review"]},
        {"kind": "notice", "at_least": "PT2H"},
    )
    assert [rule.summary() for rule in made.rules] == [
        "desk and security",
        "1 day 12 h in every leg before",
        "one at a time, 6 in 1 day",
        "Mon to Wed 07:00 to 17:00",
        "all done or in review",
        "2 h ahead",
    ]
