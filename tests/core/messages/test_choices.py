"""When somebody is told: as they chose, never inside quiet hours, never lost."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dogana.core.messages.choices import Choices, GroupChoices, Insisted, due, timing
from dogana.core.messages.kinds import OF_ENTRIES, Kind
from dogana.core.time.timetable import SetTimes
from dogana.core.time.weekly import DAYS, Hours
from dogana.service.messages.writing import SUBJECTS

TIMINGS = ["at once", "gathered", "never"]
ZONES = ["UTC", "Europe/Rome", "America/St_Johns", "Pacific/Chatham", "Asia/Kathmandu"]
times = st.builds("{:02}:{:02}".format, st.integers(0, 23), st.integers(0, 59))
days = st.lists(st.sampled_from(DAYS), min_size=1, max_size=7, unique=True).map(tuple)
hours = st.builds(
    lambda d, a, b: Hours.model_validate({"days": d, "from": a, "until": b}), days, times, times
)
instants = st.datetimes(datetime(2026, 1, 1), datetime(2027, 12, 31)).map(lambda at: at.replace(tzinfo=UTC))
mails = st.dictionaries(st.sampled_from(Kind), st.sampled_from(TIMINGS))
choices = st.builds(
    Choices,
    zone=st.sampled_from([None, *ZONES]),
    quiet=st.lists(hours, max_size=4).map(tuple),
    gathered=st.none()
    | st.builds(SetTimes, days=days, at=st.lists(times, min_size=1, max_size=3).map(tuple)),
    mail=mails,
)


def is_quiet(own: Choices, zone: str, at: datetime) -> bool:
    """By the wall clock alone, minute by minute."""
    wall = at.astimezone(ZoneInfo(own.zone or zone))
    minute = timedelta(hours=wall.hour, minutes=wall.minute)
    today, yesterday = DAYS[wall.weekday()], DAYS[wall.weekday() - 1]
    return any(
        (today in span.days and span.start <= minute < span.end)
        or (yesterday in span.days and minute + timedelta(days=1) < span.end)
        for span in (one.span for one in own.quiet)
    )


@given(choices, st.sampled_from(TIMINGS[:2]), st.sampled_from(ZONES), instants)
def test_what_is_to_be_told_is_told_and_not_while_it_is_quiet(own, how, zone, at):
    """At once means now where it is not quiet; quiet for good is not a way to be told nothing."""
    found = due(how, own, zone, at)
    assert found is not None
    assert at <= found <= at + timedelta(days=40)
    assert found.tzinfo is not None
    if how == "at once" and not is_quiet(own, zone, at):
        assert found == at
    week = [found + timedelta(minutes=n) for n in range(0, 8 * 24 * 60, 7)]
    if is_quiet(own, zone, found):
        assert all(is_quiet(own, zone, one) for one in week), "quiet for good"


@given(choices, st.sampled_from(ZONES), instants)
def test_never_is_never(own, zone, at):
    """Whatever the hours."""
    assert due("never", own, zone, at) is None


@given(
    st.sampled_from(Kind),
    choices,
    st.lists(st.builds(GroupChoices, mail=mails), max_size=3),
    st.sets(st.sampled_from(Kind)).map(lambda kinds: Insisted(kinds=tuple(kinds))),
)
def test_ones_own_choice_counts_before_the_groups_and_the_house_before_both(kind, own, groups, insisted):
    """What the house insists on is never 'never'; elsewhere the soonest of the groups, and else the usual."""
    found = timing(kind, own, groups, insisted)
    if kind in insisted.kinds:
        assert found != "never"
    if kind in own.mail and (own.mail[kind] != "never" or kind not in insisted.kinds):
        assert found == own.mail[kind]
    if kind not in own.mail and kind not in insisted.kinds:
        offered = [group.mail[kind] for group in groups if kind in group.mail]
        assert found == (min(offered, key=TIMINGS.index) if offered else kind.usually)


def test_a_time_the_clock_skips_is_told_the_next_day():
    """At 02:30 on the night of the change there is none in Rome; at 02:30 of the autumn there are two."""
    own = Choices(zone="Europe/Rome", gathered=SetTimes(days=DAYS, at=("02:30",)))
    assert due("gathered", own, "UTC", datetime(2026, 3, 28, 20, tzinfo=UTC)) == datetime(
        2026, 3, 30, 0, 30, tzinfo=UTC
    )
    assert due("gathered", own, "UTC", datetime(2026, 10, 24, 20, tzinfo=UTC)) == datetime(
        2026, 10, 25, 0, 30, tzinfo=UTC
    )


@pytest.mark.parametrize("kind", list(Kind))
def test_every_kind_has_a_subject_and_what_asks_for_something_is_never_left_unsaid(kind: Kind):
    """Somebody is told of it where nobody chose."""
    assert SUBJECTS[kind]
    if kind in {Kind.SEAT, Kind.REMINDER, Kind.LAPSED, Kind.WAIVER, Kind.SIGN_OFF, Kind.ANSWER_REFUSED}:
        assert kind.usually == "at once"
    assert kind in OF_ENTRIES.values() or kind in {
        Kind.SEAT,
        Kind.REMINDER,
        Kind.SEAT_TAKEN,
        Kind.LAPSED,
        Kind.SOURCE,
    }
