"""Recurrences against python-dateutil, an independent reader of RFC 5545."""

import time
from datetime import UTC, datetime, timedelta

import pytest
from dateutil.rrule import rrulestr
from hypothesis import example, given, settings
from hypothesis import strategies as st
from tests.limits import examples

from dogana.core.time.intervals import Interval
from dogana.core.time.recurrence import read_recurrence
from dogana.core.time.windows import Window, first_ahead, open_from, windows_on

DAYS = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"]
MONTHS = st.lists(st.integers(1, 12), min_size=1, max_size=3, unique=True)
MONTH_DAYS = st.lists(st.integers(1, 28) | st.integers(-28, -1), min_size=1, max_size=3, unique=True)
PLAIN = st.lists(st.sampled_from(DAYS), min_size=1, max_size=4, unique=True)
POSITIONS = st.lists(st.sampled_from([1, 2, -1, -2]), min_size=1, max_size=2, unique=True)
NTH = st.lists(
    st.builds("{}{}".format, st.sampled_from([1, 2, 4, 5, -1, -2, -5]), st.sampled_from(DAYS)),
    min_size=1,
    max_size=3,
    unique=True,
)


@st.composite
def rules(draw):
    often = draw(st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]))
    parts = {"FREQ": [often]}
    if draw(st.booleans()):
        parts["INTERVAL"] = [draw(st.integers(1, 5))]
    if draw(st.booleans()):
        parts["BYMONTH"] = draw(MONTHS)
    if often != "WEEKLY" and draw(st.booleans()):
        parts["BYMONTHDAY"] = draw(MONTH_DAYS)
    if draw(st.booleans()):
        ordinals = often in ("MONTHLY", "YEARLY") and draw(st.booleans())
        parts["BYDAY"] = draw(NTH if ordinals else PLAIN)
    # That reader follows a rule that never comes to pass for eight thousand years, so each of these does; and
    # it counts the positions of a first, partial week from the first start on, where the RFC says the week.
    if often in ("MONTHLY", "YEARLY") and draw(st.booleans()):
        parts.pop("BYMONTHDAY", None)
        parts |= {"BYDAY": draw(PLAIN), "BYSETPOS": draw(POSITIONS)}
    if draw(st.booleans()):
        parts["WKST"] = [draw(st.sampled_from(DAYS))]
    ending = draw(st.sampled_from(["none", "COUNT", "UNTIL"]))
    if ending == "COUNT":
        parts["COUNT"] = [draw(st.integers(1, 30))]
    elif ending == "UNTIL":
        parts["UNTIL"] = [draw(st.sampled_from(["20260401T101500", "20270101T000000", "20291231T235959"]))]
    return ";".join(f"{name}={','.join(map(str, values))}" for name, values in parts.items())


starts = st.datetimes(datetime(2024, 1, 1), datetime(2028, 12, 31), allow_imaginary=True).map(
    lambda t: t.replace(second=0, microsecond=0, fold=0)
)


@settings(max_examples=examples(300), deadline=None)
@given(rules(), starts, starts, st.integers(0, 900))
def test_the_starts_are_those_of_another_reader(rule, first, after, days):
    """For any rule it takes, from any first start, over any span."""
    before = after + timedelta(days=days)
    found = list(
        read_recurrence(rule).starts(
            first.replace(tzinfo=UTC), after.replace(tzinfo=UTC), before.replace(tzinfo=UTC)
        )
    )
    expected = rrulestr(rule, dtstart=first).between(after, before, inc=True)
    assert [start.replace(tzinfo=None) for start in found] == expected


@pytest.mark.parametrize(
    ("rule", "reason"),
    [
        ("", "an empty part"),
        ("FREQ=HOURLY", "daily or rarer"),
        ("FREQ=DAILY;INTERVAL=0", "from 1 to 1000"),
        ("FREQ=DAILY;COUNT=0", "from 1 to"),
        ("FREQ=DAILY;COUNT=3;UNTIL=20260101", "not both"),
        ("FREQ=DAILY;FREQ=DAILY", "twice"),
        ("FREQ=DAILY;BYHOUR=3", "BYHOUR is not taken"),
        ("FREQ=WEEKLY;BYDAY=2TU", "goes with MONTHLY or YEARLY"),
        ("FREQ=WEEKLY;BYMONTHDAY=3", "does not go with WEEKLY"),
        ("FREQ=MONTHLY;BYSETPOS=1", "to choose from"),
        ("FREQ=YEARLY;BYMONTH=13", "from 1 to 12"),
        ("FREQ=YEARLY;BYMONTH=-1", "no negative"),
        ("FREQ=DAILY;UNTIL=20260231", "is no time"),
        ("FREQ=DAILY;UNTIL=20260101T000000Z", "local date or time"),
    ],
)
def test_a_rule_that_cannot_be_meant_says_why(rule, reason):
    """And never runs for good."""
    with pytest.raises(ValueError, match=reason):
        read_recurrence(rule)


@pytest.mark.parametrize(
    "rule", ["FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30;COUNT=5"]
)
def test_a_rule_that_never_comes_to_pass_costs_nothing(rule):
    """However long one looks."""
    began = time.perf_counter()
    first = datetime(1970, 1, 1, tzinfo=UTC)
    assert list(read_recurrence(rule).starts(first, first, datetime(2090, 1, 1, tzinfo=UTC))) == []
    assert time.perf_counter() - began < 5


windows = st.builds(
    lambda rule, start, hours: Window.model_validate(
        {"name": "w", "every": rule, "starting": start, "lasting": timedelta(hours=hours)}
    ),
    st.sampled_from(["FREQ=DAILY", "FREQ=WEEKLY;BYDAY=MO,TH", "FREQ=MONTHLY;BYMONTHDAY=-1"]),
    starts,
    st.integers(1, 60),
)


def _daily(start: str, lasting: str) -> Window:
    return Window.model_validate({"name": "w", "every": "FREQ=DAILY", "starting": start, "lasting": lasting})


@settings(max_examples=examples(200), deadline=None)
@example(
    # The occurrence that is on ends in the hour that comes twice, two nights later.
    [_daily("2024-01-01T00:00:00", "PT1H"), _daily("2024-01-01T14:01:00", "PT60H")],
    datetime(2028, 10, 27, tzinfo=None),
)
@given(st.lists(windows, min_size=1, max_size=3), starts)
def test_open_now_without_expansion_is_what_the_expansion_says(given_windows, wall):
    """Which are on, from when it is open, and what comes next."""
    zone, at = "Europe/Rome", max(wall.replace(tzinfo=UTC), datetime(2026, 1, 1, tzinfo=UTC))
    zoned = [(window, zone) for window in given_windows]
    ahead = Interval(at, at + timedelta(days=120))
    spans = [(w, i) for w in given_windows for i in w.whole(zone, ahead)]
    assert windows_on(zoned, at) == [w for w in given_windows if any(at in i for o, i in spans if o is w)]
    free = at
    while hit := [i for _, i in spans if free in i]:
        free = max(i.end for i in hit)
    if free < ahead.end - timedelta(days=5):
        assert open_from(zoned, at) == free
    coming = sorted(i.start for _, i in spans if i.start > at)
    found = first_ahead(zoned, ahead)
    assert (found[1].start if found else None) == (coming[0] if coming else None)


def test_a_window_without_end_is_on_until_the_policy_changes():
    """And nothing is open after it."""
    window = Window.model_validate({"name": "w", "from": "2026-03-01T00:00"})
    at = datetime(2026, 4, 1, tzinfo=UTC)
    assert windows_on([(window, "Europe/Rome")], at) == [window]
    assert open_from([(window, "Europe/Rome")], at) is None
    before = datetime(2026, 2, 1, tzinfo=UTC)
    assert open_from([(window, "Europe/Rome")], before) == before
