"""How fast things may go in: each limit by itself, held against what is just inside it and just outside."""

from datetime import UTC, datetime, timedelta

import pytest
from tests.core.cases import AT, facts, finding_of, policy

from dogana.core.traffic import Deployment, Queued

HOUR = timedelta(hours=1)
ROME = {"zone": "Europe/Rome"}


def went(*hours_ago, service="app", arrived=True):
    return [
        Deployment(
            service=service,
            version="1.1.0",
            departed_at=(at := AT - ago * HOUR),
            arrived_at=at + HOUR / 4 if arrived else None,
        )
        for ago in hours_ago
    ]


def march(day, hour=12):
    """Hours before `AT`, of an hour of a day of March."""
    return (AT - datetime(2026, 3, day, hour, tzinfo=UTC)) / HOUR


MIDNIGHT = datetime(2026, 3, 10, 23, tzinfo=UTC)
"""In Rome."""


@pytest.mark.parametrize(
    ("rule", "traffic", "until"),
    [
        ({"at_most": 2, "per": "PT3H"}, went(2, 1), AT + HOUR),
        ({"at_most": 2, "per": "PT3H"}, went(9, 8, 2, 1), AT + HOUR),
        ({"at_most": 2, "per": "PT3H"}, went(3, 1), None),
        ({"at_most": 2, "per": "PT3H"}, went(1), None),
        ({"at_most": 2, "per": "PT3H"}, [*went(1), *went(2, service="core")], AT + HOUR),
        ({"at_most": 2, "per": "PT3H", "services": ["app"]}, [*went(1), *went(2, service="core")], None),
        ({"at_most": 1, "per": "PT3H", "services": ["core"]}, went(1), None),
        ({"at_most": 1, "per": "PT3H", "services": ["core"]}, went(1, service="core"), AT + 2 * HOUR),
        ({"gap": "PT2H"}, went(1), AT + HOUR),
        ({"gap": "PT2H"}, went(2), None),
        ({"gap": "PT2H"}, (), None),
        ({"at_most": 1, "each": "day", **ROME}, went(march(10, 0)), MIDNIGHT),
        ({"at_most": 1, "each": "day", **ROME}, went(march(9, 22)), None),
        ({"at_most": 1, "each": "week", **ROME}, went(march(9, 0)), MIDNIGHT + timedelta(days=5)),
        ({"at_most": 1, "each": "week", **ROME}, went(march(8, 22)), None),
        ({"at_most": 1, "each": "month", **ROME}, went(march(1, 0)), datetime(2026, 3, 31, 22, tzinfo=UTC)),
        ({"at_most": 1, "each": "month", **ROME}, went(march(1, 0) + 2), None),
        ({"at_most": 2, "each": "day", **ROME}, went(1), None),
        ({"at_most": 9, "per": "PT3H"}, went(1, arrived=False), None),
    ],
)
def test_there_is_room_again_when_the_limit_says(rule, traffic, until):
    found = finding_of({"kind": "pace", **rule}, known=facts(traffic=tuple(traffic)))
    assert (found.outcome, found.clears_at) == ("met" if until is None else "pending", until)


def test_one_at_a_time_waits_for_what_has_not_arrived():
    """Of those that count together, whoever asked."""
    rule = {"kind": "pace", "one_at_a_time": True, "services": ["core"]}
    for traffic, outcome in (
        (went(1, service="core", arrived=False), "pending"),
        (went(1, service="core"), "met"),
        (went(1, service="other", arrived=False), "met"),
    ):
        assert finding_of(rule, known=facts(traffic=tuple(traffic))).outcome == outcome


@pytest.mark.parametrize(
    ("other", "supersedes", "queues"),
    [
        ({"number": 9, "requested_at": AT}, "unmet", "met"),
        ({"number": 9, "requested_at": AT - HOUR}, "unmet", "met"),
        ({"number": 5, "requested_at": AT - HOUR}, "met", "pending"),
        ({"number": 9, "requested_at": AT - 2 * HOUR}, "met", "pending"),
    ],
    ids=["later", "at once, with a higher number", "at once, with a lower number", "earlier"],
)
def test_the_newest_supersedes_or_queues(other, supersedes, queues):
    known = facts(number=7, waiting=(Queued(version="1.3.0", **other),))
    for newest, outcome in (("supersedes", supersedes), ("queues", queues)):
        assert finding_of({"kind": "pace", "newest": newest}, known=known).outcome == outcome
    assert finding_of({"kind": "pace", "gap": "PT1H"}, known=known).outcome == "met"


@pytest.mark.parametrize(
    "rule",
    [
        {},
        {"at_most": 2},
        {"per": "PT1H", "gap": "PT1H"},
        {"each": "day", "gap": "PT1H", **ROME},
        {"at_most": 2, "per": "PT1H", "each": "day", **ROME},
        {"at_most": 2, "each": "day"},
        {"at_most": 2, "per": "PT1H", **ROME},
    ],
)
def test_a_pace_that_limits_nothing_or_is_half_said_is_refused(rule):
    with pytest.raises(ValueError, match=r"go together|goes together|give one_at_a_time"):
        policy({"kind": "pace", **rule})
