"""Time against a slow, obvious judge: minute by minute, by the wall clock."""

from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.limits import examples

from dogana.core.time.forecast import Closing, forecast
from dogana.core.time.intervals import Interval, complement, merged
from dogana.core.time.windows import Window
from dogana.core.time.zones import labelled, wall_clock

MINUTE = timedelta(minutes=1)
ZONES = [
    "Europe/Rome",
    "America/Halifax",
    "Australia/Lord_Howe",
    "Africa/Casablanca",
    "Asia/Kathmandu",
    "UTC",
]
ABOUT_CHANGES = st.sampled_from(
    [
        datetime(2026, 3, 29, 0, 0),
        datetime(2026, 10, 25, 0, 0),
        datetime(2026, 3, 8, 0, 0),
        datetime(2026, 11, 1, 0, 0),
        datetime(2026, 4, 5, 0, 0),
        datetime(2026, 12, 31, 20, 0),
        datetime(2028, 2, 29, 0, 0),
    ]
)
minutes = st.integers(0, 600).map(lambda n: timedelta(minutes=n))


def judged(start: datetime, end: datetime, zone: str) -> list[datetime]:
    """Every minute whose wall clock lies in the span."""
    at = (start - timedelta(days=1)).replace(tzinfo=UTC)
    out = []
    while at < (end + timedelta(days=1)).replace(tzinfo=UTC):
        if start <= at.astimezone(ZoneInfo(zone)).replace(tzinfo=None) < end:
            out.append(at)
        at += MINUTE
    return out


def minutes_of(intervals: list[Interval]) -> list[datetime]:
    out = []
    for interval in intervals:
        at = interval.start
        while at < interval.end:
            out.append(at)
            at += MINUTE
    return out


@settings(max_examples=examples(150), deadline=None)
@given(ABOUT_CHANGES, minutes, minutes, st.sampled_from(ZONES))
def test_a_wall_clock_span_is_the_minutes_that_show_it(day, after, lasting, zone):
    """Skipped hours add nothing and repeated hours count twice, in every zone."""
    start, end = day + after, day + after + lasting
    assert minutes_of(wall_clock(labelled(start), labelled(end), zone)) == judged(start, end, zone)


def test_the_repeated_hour_of_rome_counts_twice_and_the_skipped_one_not_at_all():
    """The two nights everybody gets wrong, spelt out."""
    autumn = wall_clock(
        datetime(2026, 10, 25, 2, 15, tzinfo=UTC), datetime(2026, 10, 25, 2, 45, tzinfo=UTC), "Europe/Rome"
    )
    assert [i.length for i in autumn] == [timedelta(minutes=30)] * 2
    skipped = datetime(2026, 3, 29, 2, tzinfo=UTC), datetime(2026, 3, 29, 3, tzinfo=UTC)
    assert wall_clock(*skipped, "Europe/Rome") == []


RULES = st.sampled_from(
    [
        "FREQ=DAILY",
        "FREQ=WEEKLY;BYDAY=SU,MO",
        "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1,-2,-3",
        "FREQ=WEEKLY;INTERVAL=2;BYDAY=SA",
        "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29",
        "FREQ=DAILY;COUNT=3",
    ]
)


@settings(max_examples=examples(60), deadline=None)
@given(
    ABOUT_CHANGES,
    RULES,
    st.integers(0, 23),
    st.integers(1, 40),
    st.sampled_from(ZONES),
    st.lists(st.integers(-3, 3), max_size=3),
)
def test_a_recurring_window_is_closed_in_the_minutes_its_occurrences_show(
    day, every, hour, hours, zone, skipped
):
    """Against each occurrence by hand, exceptions taken out by local date."""
    starting = datetime(2025, 12, 1, hour)
    left_out = tuple(date(day.year, day.month, day.day) + timedelta(days=n) for n in skipped)
    lasting = timedelta(hours=hours)
    window = Window.model_validate(
        {"name": "w", "every": every, "starting": starting, "lasting": lasting, "except": left_out}
    )
    within = Interval(
        (day - timedelta(days=2)).replace(tzinfo=UTC), (day + timedelta(days=2)).replace(tzinfo=UTC)
    )
    expected = {
        at
        for start in rrulestr(every, dtstart=starting).between(
            day - timedelta(days=6), day + timedelta(days=6), inc=True
        )
        if start.date() not in left_out
        for at in judged(start, start + lasting, zone)
        if at in within
    }
    assert set(minutes_of(merged(window.occurrences(zone, within)))) == expected


BASE = datetime(2026, 1, 1, tzinfo=UTC)
spans = st.lists(
    st.tuples(st.integers(0, 200), st.integers(0, 60)).map(
        lambda pair: Interval(BASE + pair[0] * MINUTE, BASE + (pair[0] + pair[1]) * MINUTE)
    ),
    max_size=12,
)


@given(spans)
def test_merging_and_complementing_keep_every_minute_on_one_side(intervals):
    """Windows that touch, overlap, contain each other or are empty."""
    whole = Interval(BASE, BASE + 300 * MINUTE)
    closed, open_ = merged(intervals), complement(intervals, whole)
    assert all(a.end < b.start for a, b in pairwise(closed))
    assert set(minutes_of(closed)) == {at for i in intervals for at in minutes_of([i])}
    assert sorted(minutes_of(closed) + minutes_of(open_)) == minutes_of([whole])


@given(spans)
def test_the_first_start_is_the_first_minute_no_rule_closes(intervals):
    """However the closings are ordered and overlap."""
    whole = Interval(BASE, BASE + 240 * MINUTE)
    closings = [Closing("r", "freeze", "f", i.start, i.end) for i in intervals if i]
    shut = {at for i in intervals for at in minutes_of([i])}
    free = [at for at in minutes_of([whole]) if at not in shut]
    assert forecast(closings, whole).first_start == (free[0] if free else None)


@pytest.mark.parametrize(
    ("given", "reason"),
    [
        ({"name": "w"}, "give either"),
        ({"name": "w", "from": "2026-01-02T00:00", "until": "2026-01-01T00:00"}, "ends before"),
        ({"name": "w", "from": "2026-01-02T00:00Z", "until": "2026-01-03T00:00"}, "without an offset"),
        ({"name": "w", "every": "FREQ=SECONDLY", "starting": "2026-01-01T00:00", "lasting": "PT1H"}, "daily"),
        (
            {"name": "w", "every": "FREQ=WEEKLY;BYDAY=XX", "starting": "2026-01-01T00:00", "lasting": "PT1H"},
            "not a",
        ),
        ({"name": "w", "every": "FREQ=DAILY", "starting": "2026-01-01T00:00", "lasting": "P500D"}, "at most"),
    ],
)
def test_a_window_that_cannot_be_meant_is_refused_with_the_reason(given, reason):
    """A wrong window is found when the policy is saved, never at inspection."""
    with pytest.raises(ValueError, match=reason):
        Window.model_validate(given)
