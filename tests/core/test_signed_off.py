"""Who confirms what has landed, what an incident stops: in policies, their order, and the soak."""

from datetime import timedelta

import pytest
from tests.core.cases import AT, facts, finding_of, landing, policy, sheet_of

from dogana.core.policy.comparison import compared
from dogana.core.policy.difference import differences
from dogana.core.policy.document import policy_from
from dogana.core.policy.inheritance import inherited, loosened
from dogana.core.rules.rollout import quickest
from dogana.core.strictness import Order


def test_who_signs_off_counts_for_strictness_and_an_heir_keeps_to_it():
    """Sooner is stricter; another group cannot be compared."""
    plain = policy({"kind": "sameness"})

    def asks(group: str = "desk", within: str = "PT4H"):
        return policy_from({**plain.plain(), "sign_off": {"group": group, "within": within}})

    for first, second, order in (
        (plain, asks(), Order.STRICTER),
        (asks(), plain, Order.LAXER),
        (asks(), asks(within="PT2H"), Order.STRICTER),
        (asks(), asks(within="PT6H"), Order.LAXER),
        (asks(), asks("security"), Order.INCOMPARABLE),
        (asks(), asks(), Order.EQUAL),
    ):
        assert compared(first, second).order is order
        assert bool(differences(first, second)) is (order is not Order.EQUAL)
    assert inherited(asks(), plain).sign_off == asks().sign_off
    assert loosened(asks(), asks(within="PT2H")) == []
    assert [pointer for pointer, _ in loosened(asks(), asks("security", "PT1H"))] == ["/sign_off"]
    assert [pointer for pointer, _ in loosened(asks(), asks(within="PT5H"))] == ["/sign_off"]


def test_settings_that_say_nothing_more_leave_the_bytes_as_they_were():
    """So that approvals and digests of what was written before stand."""
    soak = {"kind": "soak", "at_least": "PT1H"}
    assert policy(soak | {"confirmed": False}).digest == policy(soak).digest
    assert policy(soak | {"confirmed": True}).digest != policy(soak).digest
    freeze = {"kind": "freeze", "zone": "Europe/Rome", "calendars": ["feasts"]}
    assert policy(freeze | {"in_progress": "holds"}).digest == policy(freeze).digest


@pytest.mark.parametrize(
    ("leg", "outcome", "settled_by"),
    [
        ({"confirmed_at": AT - timedelta(hours=25)}, "met", None),
        ({"confirmed_at": AT - timedelta(hours=3)}, "pending", "time"),
        ({}, "pending", "people"),
        ({"replaced_at": AT - timedelta(hours=1)}, "unmet", "facts"),
        (
            {"confirmed_at": AT - timedelta(hours=30), "replaced_at": AT - timedelta(hours=9)},
            "unmet",
            "facts",
        ),
        ({"confirmed_at": AT - timedelta(hours=1), "replaced_at": AT - timedelta(hours=2)}, "unmet", "facts"),
        ({"issues": "it is slow", "healthy": False}, "unmet", "facts"),
        ({"healthy": False, "confirmed_at": AT - timedelta(hours=30)}, "unmet", "facts"),
    ],
)
def test_a_soak_that_asks_to_be_confirmed_counts_from_then(leg, outcome, settled_by):
    known = facts(leg_before=(landing(48, **leg),))
    found = finding_of({"kind": "soak", "at_least": "PT24H", "confirmed": True}, known=known)
    assert (found.outcome, found.settled_by) == (outcome, settled_by)


def test_while_nobody_has_confirmed_it_waits_for_others_and_starts_no_sooner_than_its_soak():
    known = facts(leg_before=(landing(48),))
    sheet = sheet_of({"kind": "soak", "at_least": "PT24H", "confirmed": True}, known=known)
    assert sheet.sentence == (
        "1.2.0 has landed in Pilot; nobody has confirmed yet that it is well. "
        "Held by the soak at the earliest until Wed 11 Mar 13:00, Rome."
    )
    assert (sheet.forecast.first_start, sheet.brief().by_people) == (AT + timedelta(hours=24), True)
    plain = sheet_of({"kind": "soak", "at_least": "PT72H"}, known=known)
    assert not plain.brief().by_people


def test_of_several_legs_one_that_is_confirmed_may_be_enough():
    """And where all are asked for, one closed with issues bars, whatever the other waits for."""
    said = landing(48, confirmed_at=AT - timedelta(hours=30))
    unsaid, bad = landing(48, environment="b", title="B"), landing(48, issues="slow", healthy=False)
    soak = {"kind": "soak", "at_least": "PT24H", "confirmed": True}
    for legs, across, outcome in (
        ((said, unsaid), "any", "met"),
        ((said, unsaid), "all", "pending"),
        ((unsaid, bad), "all", "unmet"),
        ((unsaid, bad), "any", "pending"),
        ((bad, bad), "any", "unmet"),
    ):
        found = finding_of(soak | {"across": across}, known=facts(leg_before=legs))
        assert found.outcome == outcome


def test_what_an_incident_stops_is_asked_of_the_plan():
    """A plan that says nothing stands still."""
    rule = {"kind": "rollout", "on_incident": "roll back"}
    for said, outcome in ((None, "unmet"), ("go on", "unmet"), ("roll back", "met")):
        plan = {"steps": [{"share": 100}], **({"on_incident": said} if said else {})}
        assert finding_of(rule, known=facts(plan=plan)).outcome == outcome
    offered = quickest([policy(rule).rules[0], policy({"kind": "rollout"}).rules[0]])
    assert offered.on_incident == "roll back"
