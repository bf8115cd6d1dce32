"""What another policy would have made of the past."""

from datetime import timedelta
from typing import Any, get_args

from hypothesis import given
from hypothesis import strategies as st
from tests.core.cases import AT, facts, landing, policy, words

from dogana.core.inspect.engine import what_is_shown
from dogana.core.policy.briefly import KINDS, briefly
from dogana.core.policy.document import Policy
from dogana.core.rehearsal import Past, Replayed, rehearsal, replayed
from dogana.core.rules.registry import AnyRule

DESK = {"kind": "reviewers", "seats": [{"group": "desk"}]}
BOTH = {"kind": "reviewers", "seats": [{"group": "desk"}, {"group": "security"}]}


def past(then: Policy, *spoken: str, departed: bool = True, **changes: Any) -> Past:
    known = facts(**changes)
    return Past(
        number=7,
        at=AT,
        facts=known,
        decisions=words(then, known, *spoken),
        shown=what_is_shown(then, known),
        departed=departed,
        badly=False,
    )


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


def test_the_sum_names_only_what_turned_the_latest_first() -> None:
    turns = ["as before", "newly held", "newly barred"]
    outcomes = [
        Replayed.model_validate(
            {
                "number": n,
                "at": AT + timedelta(hours=n),
                "turn": t,
                "badly": n == 2,
                "because": "",
                "delay": None,
            }
        )
        for n, t in enumerate(turns)
    ]
    pasts = [past(policy(DESK)).model_copy(update={"badly": n == 2}) for n in range(3)]
    found = rehearsal(pasts, outcomes)
    assert (found.of, found.departed, found.badly) == (3, 3, 1)
    assert [one.number for one in found.turned] == [2, 1]


def test_every_kind_of_rule_has_a_heading_and_few_words() -> None:
    kinds = {get_args(kind.model_fields["kind"].annotation)[0] for kind in get_args(get_args(AnyRule)[0])}
    assert set(KINDS) == kinds
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
    assert [briefly(rule) for rule in made.rules] == [
        "desk and security",
        "1 day 12 h in every leg before",
        "one at a time, 6 in 1 day",
        "Mon to Wed 07:00 to 17:00",
        "all done or in review",
        "2 h ahead",
    ]
