"""Calendars as iCalendar: what is carried over, what is refused by name, and the way there and back."""

from datetime import UTC, date, datetime, timedelta

import icalendar
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from dogana.core.errors import InvalidError
from dogana.core.time.intervals import Interval
from dogana.core.time.windows import Calendar, Window
from dogana.sources.calendars import read_calendar
from dogana.sources.feeds import write_calendar, write_stretches

ROME = "Europe/Rome"
YEAR = Interval(datetime(2026, 1, 1, tzinfo=UTC), datetime(2027, 1, 1, tzinfo=UTC))


def file(*events: str) -> bytes:
    body = "".join(f"BEGIN:VEVENT\nUID:{n}\n{event}\nEND:VEVENT\n" for n, event in enumerate(events))
    return f"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:x\n{body}END:VCALENDAR\n".replace("\n", "\r\n").encode()


def windows(*events: str) -> tuple[Window, ...]:
    return read_calendar(file(*events), title="t", zone=ROME).windows


def closed(calendar: Calendar) -> list[tuple[str, datetime, datetime]]:
    return sorted(
        (window.name, span.start, span.end)
        for window in calendar.windows
        for span in window.occurrences(calendar.zone, YEAR)
    )


def test_days_times_and_durations():
    """A day lasts a day; a time in another zone becomes the wall clock of the calendar's."""
    day, timed, lasting = windows(
        "SUMMARY:feast\nDTSTART;VALUE=DATE:20261224",
        "SUMMARY:storm\nDTSTART:20260310T120000Z\nDTEND:20260310T180000Z",
        "SUMMARY:run\nDTSTART;TZID=Europe/Rome:20260310T120000\nDURATION:PT2H",
    )
    assert (day.from_, day.until) == (datetime(2026, 12, 24), datetime(2026, 12, 25))
    assert (timed.from_, timed.until) == (datetime(2026, 3, 10, 13), datetime(2026, 3, 10, 19))
    assert (lasting.from_, lasting.until) == (datetime(2026, 3, 10, 12), datetime(2026, 3, 10, 14))


def test_what_recurs_with_what_is_left_out_moved_or_called_off():
    """An occurrence that was moved is left out of its row and stands by itself."""
    row = "SUMMARY:run\nDTSTART;TZID=Europe/Rome:20260302T080000\nDTEND;TZID=Europe/Rome:20260302T100000"
    moved = "SUMMARY:run\nRECURRENCE-ID;TZID=Europe/Rome:20260316T080000"
    body = file(
        f"{row}\nRRULE:FREQ=WEEKLY;BYDAY=MO;UNTIL=20260331T220000Z\nEXDATE;TZID=Europe/Rome:20260309T080000",
        f"{moved}\nDTSTART;TZID=Europe/Rome:20260317T080000\nDTEND;TZID=Europe/Rome:20260317T100000",
        "SUMMARY:off\nSTATUS:CANCELLED\nDTSTART:20260310T120000Z\nDTEND:20260310T180000Z",
    ).replace(b"UID:1", b"UID:0")
    calendar = read_calendar(body, title="t", zone=ROME)
    days = [start.date() for _, start, _ in closed(calendar)]
    assert days == [date(2026, 3, 2), date(2026, 3, 17), date(2026, 3, 23), date(2026, 3, 30)]


@pytest.mark.parametrize(
    ("event", "why"),
    [
        ("SUMMARY:x\nDTSTART:20260310T120000Z", "no length"),
        ("SUMMARY:x\nDTSTART:20260310T120000Z\nDTEND:20260310T110000Z", "ends before it starts"),
        ("SUMMARY:x\nDTSTART;VALUE=DATE:20260310\nRRULE:FREQ=HOURLY", "recurrence"),
        ("SUMMARY:x\nDTSTART:20260310T120000Z\nDTEND:20260310T130000Z\nTRANSP:TRANSPARENT", "takes no time"),
        (
            "SUMMARY:x\nDTSTART:20260310T120000Z\nDURATION:PT1H\nRDATE;VALUE=PERIOD:20260311T120000Z/PT2H",
            "RDATE",
        ),
        ("SUMMARY:x\nDTSTART;TZID=Nowhere:20260310T120000\nDURATION:PT1H", "Nowhere"),
        (
            (
                "SUMMARY:x\nDTSTART;TZID=Europe/Rome:20260310T080000\nDURATION:PT1H\nRRULE:FREQ=DAILY\n"
                "EXDATE;VALUE=DATE:20260311"
            ),
            "a whole day",
        ),
        ("SUMMARY:x\nDTSTART:20260310T080000Z\nDURATION:PT1H\nRRULE:FREQ=DAILY", "by the clock of UTC"),
        (
            "SUMMARY:x\nDTSTART;TZID=America/Halifax:20260310T080000\nDURATION:PT1H\nRRULE:FREQ=DAILY",
            "by the clock of America/Halifax",
        ),
    ],
)
def test_what_cannot_be_carried_over_is_named_and_nothing_is(event, why):
    """A freeze that is silently missing would let something in."""
    with pytest.raises(InvalidError) as refused:
        windows("SUMMARY:fine\nDTSTART;VALUE=DATE:20261224", event)
    ((place, reason),) = refused.value.fields
    assert place == "/x"
    assert why in reason


@pytest.mark.parametrize(
    "body", [b"", b"<html>", b"BEGIN:VCALENDAR\r\nBEGIN:VEVENT", b"\xff\xfe", b"x" * (3 << 20)]
)
def test_what_is_no_calendar_is_refused(body):
    """Without a crash."""
    with pytest.raises(InvalidError):
        read_calendar(body, title="t", zone=ROME)


WHOLE = """BEGIN:VCALENDAR
VERSION:2.0
PRODID:x
BEGIN:VEVENT
UID:1
SUMMARY:feast
DTSTART;VALUE=DATE:20261224
END:VEVENT
END:VCALENDAR"""


@pytest.mark.parametrize(
    ("was", "is_"),
    [
        ("END:VCALENDAR", ""),
        ("END:VEVENT", ""),
        ("END:VEVENT\nEND:VCALENDAR", "END:VCALENDAR\nEND:VEVENT"),
        ("END:VCALENDAR", "END:VCALENDAR\nBEGIN:VCALENDAR"),
        ("END:VCALENDAR", "BEGIN:VEVENT\nEND:VCALENDAR"),
        ("END:VCALENDAR", "END:VCALENDAR\nEND:VCALENDAR"),
        ("END:VEVENT", "END:VTODO"),
    ],
)
def test_a_calendar_in_which_not_all_ends_is_refused(was, is_):
    """What begins ends, in order; small letters and folded lines are as good."""
    assert read_calendar(WHOLE.lower().encode(), title="t", zone=ROME).windows
    assert read_calendar(WHOLE.replace("feast", "fe\n ast").encode(), title="t", zone=ROME).windows
    assert read_calendar((WHOLE + "\n" + WHOLE.replace("UID:1", "UID:2")).encode(), title="t", zone=ROME)
    with pytest.raises(InvalidError):
        read_calendar(WHOLE.replace(was, is_, 1).encode(), title="t", zone=ROME)


_STARTS = st.datetimes(datetime(2026, 1, 2), datetime(2026, 11, 1)).map(lambda at: at.replace(microsecond=0))
_ONCE = st.builds(
    lambda start, hours: {"name": "once", "from": start, "until": start + timedelta(hours=hours)},
    _STARTS,
    st.integers(1, 200),
)
_AGAIN = st.builds(
    lambda start, hours, rule: {
        "name": "again",
        "every": rule,
        "starting": start,
        "lasting": timedelta(hours=hours),
    },
    _STARTS,
    st.integers(1, 20),
    st.sampled_from(
        ["FREQ=DAILY;INTERVAL=3", "FREQ=WEEKLY;BYDAY=MO,TH", "FREQ=MONTHLY;BYDAY=-1FR", "FREQ=YEARLY;COUNT=2"]
    ),
)


@pytest.mark.thorough
@example(
    [
        {
            "name": "again",
            "every": "FREQ=DAILY;INTERVAL=3",
            "starting": start,
            "lasting": timedelta(hours=9),
        }
        for start in (datetime(2026, 10, 24, 18), datetime(2026, 3, 28, 18))
    ]
)
@given(st.lists(st.one_of(_ONCE, _AGAIN), max_size=5))
def test_written_and_read_again_it_closes_the_same_times(given_windows):
    """Over a whole year with both changes of the clocks."""
    calendar = Calendar.model_validate({"title": "t", "zone": ROME, "windows": given_windows})
    again = read_calendar(write_calendar(calendar, "t"), title="other", zone=ROME)
    assert closed(again) == closed(calendar)
    assert again.title == "t"


def test_a_feed_of_closed_times():
    """As others read it: instants in UTC, with what closes them."""
    start = datetime(2026, 3, 10, 9, tzinfo=UTC)
    made = write_stretches("Live: closed", [("storm watch", Interval(start, start + timedelta(hours=3)))])
    (event,) = icalendar.Calendar.from_ical(made).walk("VEVENT")
    assert (event["SUMMARY"], event.decoded("DTSTART")) == ("storm watch", start)
