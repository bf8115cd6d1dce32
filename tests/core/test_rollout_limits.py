"""What a plan may be: each limit of a rollout by itself, on either side of where it turns."""

import pytest
from tests.core.cases import facts, finding_of, sheet_of

from dogana.core.rollout import Plan

WATCH = {"name": "errors", "query": "errors", "at_most": 1}


def plan(*steps, **more):
    return {"steps": [{"share": share, "hold": f"PT{hold}M"} for share, hold in steps], **more}


SLOW = plan((10, 30), (50, 30), (100, 0))


@pytest.mark.parametrize(
    ("rule", "asked", "met"),
    [
        ({"first_share": 10}, SLOW, True),
        ({"first_share": 9}, SLOW, False),
        ({"first_share": 99}, None, False),
        ({"first_share": 100}, None, True),
        ({"largest_step": 50}, SLOW, True),
        ({"largest_step": 49}, SLOW, False),
        ({"largest_step": 40}, plan((10, 30), (50, 30), (60, 30), (100, 0)), True),
        ({"largest_step": 10}, plan((100, 0)), True),
        ({"least_hold": "PT30M"}, SLOW, True),
        ({"least_hold": "PT31M"}, SLOW, False),
        ({"least_hold": "PT30M"}, plan((10, 30), (50, 29), (100, 0)), False),
        ({"least_hold": "PT30M"}, None, True),
        ({"on_breach": "roll back"}, SLOW | {"on_breach": "roll back"}, True),
        ({"on_breach": "roll back"}, SLOW | {"on_breach": "halt"}, False),
        ({"on_breach": "halt"}, SLOW | {"on_breach": "roll back"}, True),
        ({"without_data": "halt"}, SLOW | {"without_data": "halt"}, True),
        ({"without_data": "halt"}, SLOW | {"without_data": "go on"}, False),
        ({"without_data": "go on"}, SLOW | {"without_data": "halt"}, True),
        ({"on_incident": "roll back"}, SLOW | {"on_incident": "roll back"}, True),
        ({"on_incident": "roll back"}, SLOW | {"on_incident": "halt"}, False),
        ({"on_incident": "roll back"}, SLOW, False),
        ({"on_incident": "halt"}, SLOW, True),
        ({"on_incident": "halt"}, SLOW | {"on_incident": "go on"}, False),
        ({}, SLOW | {"on_incident": "go on"}, True),
        ({"watch": [WATCH]}, SLOW | {"watch": ["errors"]}, True),
        ({"watch": [WATCH]}, SLOW | {"watch": ["lag"]}, False),
        ({"watch": [WATCH]}, SLOW, False),
        ({"watch": [WATCH]}, SLOW | {"watch": ["lag", "errors"]}, True),
    ],
)
def test_a_plan_keeps_to_a_limit_or_does_not(rule, asked, met):
    """Where it does not, the plan that is offered does."""
    rule = {"kind": "rollout", "without_data": "go on", **rule}
    found = finding_of(rule, known=facts(plan=asked))
    assert found.outcome == ("met" if met else "unmet")
    if not met:
        (offered,) = (line for line in found.evidence if line.label == "Would pass")
        assert offered.value


def test_what_is_offered_passes_every_rule_that_holds():
    """And is not slowed by one that is only shown, or does not concern it."""
    quick = {"kind": "rollout", "first_share": 20, "least_hold": "PT10M"}
    step = {"kind": "rollout", "largest_step": 40}
    slow = {"kind": "rollout", "first_share": 1, "least_hold": "PT9H"}
    apart = ({**slow, "advisory": True}, {**slow, "when": 'version == "9.9.9"'})
    for more in ((), apart):
        (found,) = (one for one in sheet_of(quick, step, *more).findings if one.rule == "r0")
        (offered,) = (line.value for line in found.evidence if line.label == "Would pass")
        assert offered == "20 % for 10 min, 60 % for 10 min, then all"
    passes = Plan.model_validate(plan((20, 10), (60, 10), (100, 0)))
    assert sheet_of(quick, step, known=facts(plan=passes)).verdict == "cleared"


@pytest.mark.parametrize(
    "steps", [(), ((10, 0),), ((50, 10), (10, 10), (100, 0)), ((0, 10), (100, 0)), ((101, 0),)]
)
def test_a_plan_grows_to_all_or_is_none(steps):
    with pytest.raises(ValueError, match=r"steps|share"):
        Plan.model_validate(plan(*steps))
