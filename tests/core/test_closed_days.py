"""Days on which nothing opens, departures to the second, and looks ahead that end."""

import time
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.cases import AT, facts, finding_of, policy, sheet_of

from dogana.core.decisions import Decisions
from dogana.core.inspect.engine import inspect, look_ahead
from dogana.core.policy.comparison import compared
from dogana.core.policy.document import PolicyError
from dogana.core.strictness import Order
from dogana.core.time.intervals import Interval
from dogana.core.time.windows import Calendar, Window
from dogana.core.time.zones import local

ROME = "Europe/Rome"
DAY = {"days": ["MO", "TU", "WE", "TH", "FR", "SA", "SU"], "from": "07:00", "until": "17:00"}
HOURS = {"kind": "hours", "zone": ROME, "open": [DAY], "holiday_calendars": ["off"]}


def off(start: datetime, end: datetime) -> Calendar:
    window = {"name": "the works", "from": start.isoformat(), "until": end.isoformat()}
    return Calendar.model_validate({"title": "Off", "zone": ROME, "windows": [window]})


@given(
    st.datetimes(datetime(2025, 6, 1), datetime(2026, 6, 1)),
    st.timedeltas(timedelta(minutes=1), timedelta(days=900)),
    st.integers(-700, 700),
)
def test_every_day_of_a_window_is_a_holiday(start, lasting, offset):
    """The last one too, and the eight hundredth; asked about whichever stretch of time."""
    window = Window.model_validate({"name": "w", "from": start, "until": start + lasting})
    at = datetime(2026, 1, 1, tzinfo=UTC) + timedelta(days=offset)
    about = Interval(at, at + timedelta(days=5))
    found = window.days(ROME, about)
    for n in range(5):
        day = local(at, ROME).date() + timedelta(days=n)
        begin = datetime.combine(day, datetime.min.time())
        on = begin < start + lasting and start < begin + timedelta(days=1)
        inside = 0 < n < 4 or None
        if inside:
            assert (day in found) is on


@pytest.mark.parametrize("ahead", [1, 399, 401, 600, 3000])
def test_a_long_stretch_shuts_to_its_last_day(ahead):
    """However far ahead it is asked about, and however early in the day it ends."""
    start, end = datetime(2026, 3, 1, 22), datetime(2026, 3, 10, 1) + timedelta(days=ahead)
    known, made = facts(calendars={"off": off(start, end)}), policy(HOURS)
    horizon = timedelta(days=ahead + 3)
    first = look_ahead(made, known, Decisions(), AT, horizon=horizon).first_start
    assert local(first, ROME) == datetime(2026, 3, 11, 7) + timedelta(days=ahead)


@pytest.mark.parametrize(
    ("at", "grace", "asked", "outcome"),
    [
        ("13:00", "PT30S", AT, "met"),
        ("13:00", "PT30S", AT + timedelta(seconds=30), "pending"),
        ("13:00", "PT1S", AT + timedelta(seconds=1), "pending"),
        ("12:59", "PT90S", AT + timedelta(seconds=29), "met"),
        ("12:59", "PT90S", AT + timedelta(seconds=31), "pending"),
        ("24:00", "PT1H", AT + timedelta(hours=11, minutes=30), "met"),
        ("24:00", "PT1H", AT - timedelta(hours=12, minutes=30), "pending"),
    ],
)
def test_a_departure_can_be_caught_for_its_grace_and_no_longer(at, grace, asked, outcome):
    """To the second; at the end of a day, that day's end (Rome is an hour ahead)."""
    days = ["TU"]
    rule = {"kind": "hours", "zone": ROME, "departures": {"days": days, "at": [at], "grace": grace}}
    made = policy(rule)
    assert inspect(made, facts(), Decisions(), asked).findings[0].outcome == outcome


def test_where_a_slot_reaches_past_the_horizon_the_first_start_is_one_that_fits():
    """What closes beyond it is looked at as well."""
    end = AT + timedelta(days=14)
    window = {
        "name": "shut",
        "from": local(end, ROME).isoformat(),
        "until": local(end + timedelta(days=3), ROME).isoformat(),
    }
    night = {
        "name": "now",
        "from": "2026-03-01T00:00",
        "until": local(end - timedelta(hours=2), ROME).isoformat(),
    }
    freeze = {"kind": "freeze", "zone": ROME, "windows": [night, window]}
    slot = {"kind": "notice", "slot": "PT4H"}
    assert sheet_of(freeze, slot).forecast.first_start is None
    fits = {**freeze, "windows": [night]}
    assert sheet_of(fits, slot).forecast.first_start == end - timedelta(hours=2)


def counted(n: int, rule: str) -> dict:
    return {"name": f"w{n}", "every": rule, "starting": "1971-01-01T00:00", "lasting": "P400D"}


@pytest.mark.parametrize(
    ("windows", "zones"),
    [
        ([counted(n, "FREQ=DAILY;COUNT=10000;BYMONTH=2;BYMONTHDAY=30") for n in range(500)], [ROME]),
        ([counted(n, "FREQ=DAILY") for n in range(500)], [ROME]),
        ([counted(n, "FREQ=YEARLY;BYDAY=MO,TU,WE,TH,FR") for n in range(400)], [ROME]),
        ([{"name": "w", "from": "1970-01-01T00:00", "until": "2199-12-31T00:00"}], None),
    ],
    ids=["never comes", "daily for a year each", "yearly by days", "every zone"],
)
def test_what_would_take_long_to_be_told_is_refused_when_it_is_saved(windows, zones):
    """Or takes no time: no inspection waits for a policy's times."""
    from zoneinfo import available_timezones  # noqa: PLC0415

    chosen = zones or sorted(available_timezones())[:95]
    rules = [{"kind": "freeze", "zone": zone, "windows": windows} for zone in chosen]
    began = time.monotonic()
    with pytest.raises(PolicyError, match=r"too many to look through|zones"):
        policy(*rules)
    assert time.monotonic() - began < 20, "refusing takes no time either"


def opens(*spans: tuple[str, str, str], **more) -> dict:
    listed = [{"days": [day], "from": start, "until": end} for day, start, end in spans]
    return {"kind": "hours", "zone": ROME, "open": listed, **more}


CHRISTMAS = {"holidays": [{"date": "2026-12-25", "name": "Christmas"}]}


@pytest.mark.parametrize(
    ("first", "second", "order"),
    [
        (opens(("MO", "22:00", "04:00")), opens(("MO", "22:00", "24:00"), ("TU", "00:00", "04:00")), "equal"),
        (
            opens(("MO", "22:00", "04:00"), **CHRISTMAS),
            opens(("MO", "22:00", "24:00"), ("TU", "00:00", "04:00"), **CHRISTMAS),
            "incomparable",
        ),
        (opens(("MO", "08:00", "12:00")), opens(("MO", "09:00", "12:00")), "stricter"),
        (opens(("MO", "08:00", "12:00")), opens(("MO", "08:00", "12:00"), **CHRISTMAS), "stricter"),
        (
            opens(("MO", "08:00", "12:00"), **CHRISTMAS),
            opens(("MO", "08:00", "12:00"), holidays=[{"date": "2026-12-25", "name": "Natale"}]),
            "equal",
        ),
        ({"kind": "sameness"}, {"kind": "sameness", "advisory": True}, "laxer"),
        ({"kind": "sameness", "advisory": True}, {"kind": "sameness"}, "stricter"),
        (
            {"kind": "notice", "at_least": "PT1H"},
            {"kind": "notice", "at_least": "PT1H", "after": "approval"},
            "stricter",
        ),
        (
            {"kind": "rollout", "watch": [{"name": "lag", "query": "a", "at_most": 5}]},
            {"kind": "rollout", "watch": [{"name": "lag", "query": "b", "at_most": 1}]},
            "incomparable",
        ),
        (
            {"kind": "reviewers", "in_order": True, "seats": [{"group": "a"}, {"group": "b"}]},
            {"kind": "reviewers", "in_order": True, "seats": [{"group": "b"}, {"group": "a"}]},
            "incomparable",
        ),
    ],
)
def test_strictness_says_what_it_means(first, second, order):
    """By what is let in, not by how it is written."""
    assert compared(policy(first), policy(second)).order is Order(order)


@pytest.mark.parametrize(
    "rule",
    [
        {"kind": "needs", "services": [{"service": "a", "at_least": "1"}, {"service": "a", "at_least": "2"}]},
        {"kind": "monitors", "watch": [{"name": "a", "query": q, "at_most": 1} for q in "xy"]},
        {"kind": "rollout", "watch": [{"name": "a", "query": q, "at_most": 1} for q in "xy"]},
    ],
)
def test_a_name_stands_once(rule):
    """Of two of a name the comparison would see one."""
    with pytest.raises(PolicyError, match="are called a"):
        policy(rule)


def test_who_closes_and_who_declares_urgent_count_for_strictness():
    """That somebody may close at once asks for more; that somebody may let urgent things pass, for less."""
    plain = policy({"kind": "sameness"})
    for change, order in (({"closes": "desk"}, "stricter"), ({"declares_urgent": "desk"}, "laxer")):
        other = plain.model_copy(update=change)
        assert compared(plain, other).order is Order(order)
        assert compared(other, plain).order is (Order.LAXER if order == "stricter" else Order.STRICTER)


@pytest.mark.parametrize("runs", ["nightly", "", "r2026"])
def test_going_back_from_what_is_no_version_is_unknown(runs):
    """And so is whether it is new enough for another service."""
    known = facts(runs={"app": runs, "core": runs})
    assert finding_of({"kind": "versions"}, known=known).outcome == "unknown"
    assert finding_of({"kind": "versions", "going_back": "allowed"}, known=known).outcome == "met"
    needs = {"kind": "needs", "services": [{"service": "core", "at_least": "1.0"}]}
    assert finding_of(needs, known=known).outcome == "unknown"


def test_two_rollout_rules_offer_one_plan_that_passes_both():
    """Not each its own."""
    one = {"kind": "rollout", "first_share": 10, "watch": [{"name": "lag", "query": "a", "at_most": 5}]}
    two = {"kind": "rollout", "least_hold": "PT2H", "largest_step": 30, "on_breach": "roll back"}
    findings = sheet_of(one, two).findings
    offered = {line.value for finding in findings for line in finding.evidence if line.label == "Would pass"}
    (plan,) = offered
    assert plan.startswith("10 % for 2 h, 40 % for 2 h, 70 % for 2 h")
    assert "watching lag" in plan
