"""Hours and freezes: each of their conditions by itself, on both sides of where it turns."""

from datetime import timedelta
from typing import Any

import pytest
from tests.core.cases import AT, facts, finding_of, policy, sheet_of

from dogana.core.policy.comparison import compared
from dogana.core.policy.document import PolicyError
from dogana.core.time.intervals import Interval

ROME = "Europe/Rome"
MORNINGS = {"days": ["TU", "WE"], "from": "07:00", "until": "12:00"}
"""It is 13:00 in Rome."""
HOURS = {"kind": "hours", "zone": ROME, "open": [MORNINGS]}
FREEZE = {
    "kind": "freeze",
    "zone": ROME,
    "windows": [{"name": "the works", "from": "2026-03-10T00:00", "until": "2026-03-11T00:00"}],
}


def calendars(*names: str, windows: tuple[dict[str, Any], ...] = ()) -> dict[str, Any]:
    return {"calendars": {name: {"title": name, "zone": ROME, "windows": list(windows)} for name in names}}


@pytest.mark.parametrize(
    ("rule", "says"),
    [
        ({**HOURS, "departures": {"days": ["TU"], "at": ["07:00"]}}, "one of the two"),
        ({"kind": "hours", "zone": ROME}, "one of the two"),
        ({"kind": "freeze", "zone": ROME}, "windows, calendars or both"),
        ({**FREEZE, "passes": ["urgent", "ordinary"]}, "closes nothing"),
    ],
    ids=["hours and departures", "neither", "closed by nothing", "passed by everything"],
)
def test_what_would_close_nothing_or_two_ways_is_refused(rule, says):
    with pytest.raises(PolicyError, match=says):
        policy(rule)


ONCE = {"from": "2026-03-10T00:00", "until": "2026-03-11T00:00"}
AGAIN = {"every": "FREQ=DAILY", "starting": "2026-03-10T00:00", "lasting": "PT1H"}


@pytest.mark.parametrize(
    "window",
    [
        {},
        {"until": "2026-03-11T00:00"},
        {**ONCE, "lasting": "PT1H"},
        {**ONCE, "except": ["2026-03-10"]},
        {**ONCE, **AGAIN},
        {**AGAIN, "until": "2026-03-11T00:00"},
        *({name: value for name, value in AGAIN.items() if name != left_out} for left_out in AGAIN),
    ],
)
def test_a_window_is_once_or_again_and_whole(window):
    """Half of one closes nobody knows when."""
    for whole in (ONCE, AGAIN, {**AGAIN, "except": ["2026-03-10"]}, {"from": "2026-03-10T00:00"}):
        assert policy({**FREEZE, "windows": [{"name": "w", **whole}]})
    with pytest.raises(PolicyError, match="give either `from`"):
        policy({**FREEZE, "windows": [{"name": "w", **window}]})


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"zone": "Europe/Roma"}, "no such time zone"),
        ({"windows": [{"name": "w", "from": "2026-03-10T00:00+01:00"}]}, "without an offset"),
        ({"windows": [{"name": "w", **ONCE, "until": ONCE["from"]}]}, "ends before it starts"),
        ({"windows": [{"name": "w", **AGAIN, "lasting": "PT0S"}]}, "longer than nothing"),
        ({"windows": [{"name": "w", **AGAIN, "lasting": "P401D"}]}, "at most 400 days"),
        ({"windows": [{"name": "w", **AGAIN, "every": "FREQ=NEVER"}]}, "not a recurrence rule"),
    ],
)
def test_a_time_that_nobody_could_tell_is_refused(change, says):
    with pytest.raises(PolicyError, match=says):
        policy({**FREEZE, **change})


@pytest.mark.parametrize("rule", [HOURS, FREEZE], ids=["hours", "freeze"])
def test_only_the_kinds_that_are_named_pass(rule):
    """And what passes has its first start now, what does not its own."""
    for kind, outcome in (("ordinary", "pending"), ("urgent", "met"), ("rollback", "pending")):
        sheet = sheet_of({**rule, "passes": ["urgent"]}, known=facts(kind=kind))
        assert sheet.findings[0].outcome == outcome
        assert (sheet.forecast.first_start == AT) is (kind == "urgent")
        assert finding_of(rule, known=facts(kind=kind)).outcome == "pending"


@pytest.mark.parametrize(
    "rule",
    [{**HOURS, "holiday_calendars": ["off", "feasts"]}, {**FREEZE, "calendars": ["off", "feasts"]}],
    ids=["hours", "freeze"],
)
def test_a_calendar_that_is_not_there_or_late_leaves_it_unknown(rule):
    """Whatever passes, and however open it is by the others; a late one of others is nothing to it."""
    rule = {**rule, "passes": ["urgent"]}
    late = {"late_calendars": ({"name": "off", "read_at": AT - timedelta(days=2)},)}
    for known, says in (
        ({}, "The calendars off and feasts are not to be found."),
        (calendars("feasts"), "The calendar off is not to be found."),
        (calendars("off", "feasts") | late, "The calendar off was last read Sun 8 Mar 13:00, Rome"),
        (
            calendars("off", "feasts") | {"late_calendars": ({"name": "feasts"},)},
            "The calendar feasts was never read",
        ),
    ):
        finding = finding_of(rule, known=facts(kind="urgent", **known))
        assert (finding.outcome, finding.because.startswith(says)) == ("unknown", True), finding.because
    others = calendars("off", "feasts") | {"late_calendars": ({"name": "other"},)}
    assert finding_of(rule, known=facts(kind="urgent", **others)).outcome == "met"


def test_where_nothing_opens_within_six_weeks_it_says_so():
    shut = {"name": "the strike", "from": "2026-03-01T00:00", "until": "2026-06-01T00:00"}
    known = facts(**calendars("off", windows=(shut,)))
    found = finding_of({**HOURS, "holiday_calendars": ["off"]}, known=known)
    assert (found.outcome, found.because, found.clears_at) == (
        "pending",
        "Closed; no opening within six weeks.",
        None,
    )


def test_open_until_is_never_the_end_of_what_was_looked_at():
    """Open all day on most days: the first look ends within that."""
    days = {"days": ["MO", "TU", "WE", "TH", "FR"], "from": "00:00", "until": "24:00"}
    found = finding_of({"kind": "hours", "zone": ROME, "open": [days]})
    assert (found.outcome, found.because) == ("met", "Open until Sat 14 Mar 00:00, Rome.")


OVER_MIDNIGHT = {"kind": "hours", "zone": ROME, "open": [{"days": ["MO"], "from": "22:00", "until": "04:00"}]}
IN_TWO = {
    "kind": "hours",
    "zone": ROME,
    "open": [
        {"days": ["MO"], "from": "22:00", "until": "24:00"},
        {"days": ["TU"], "from": "00:00", "until": "04:00"},
    ],
}


@pytest.mark.parametrize(
    "shut",
    [{"holidays": [{"date": "2026-12-25", "name": "Christmas"}]}, {"holiday_calendars": ["off"]}],
    ids=["days of its own", "a shared calendar"],
)
def test_a_night_is_its_first_day_s_wherever_a_day_may_be_shut(shut):
    """Of two that open for the same hours otherwise, neither is called the stricter."""
    for first, second in ((OVER_MIDNIGHT | shut, IN_TWO), (OVER_MIDNIGHT, IN_TWO | shut)):
        assert compared(policy(first), policy(second)).order == "incomparable"
    assert compared(policy(OVER_MIDNIGHT), policy(IN_TWO)).order == "equal"


@pytest.mark.parametrize(
    ("first", "second", "words"),
    [
        (("07:00", "12:00"), ("08:00", "12:00"), "Open 8 h a week instead of 10 h (stricter)."),
        (("07:00", "12:00"), ("07:00", "13:00"), "Open 12 h a week instead of 10 h (laxer)."),
        (
            ("07:00", "12:00"),
            ("08:00", "13:00"),
            "Open 10 h a week instead of 10 h, at other times (incomparable).",
        ),
        (("07:00", "12:00"), ("07:00", "12:00"), "The same."),
    ],
)
def test_how_long_it_is_open_is_compared_by_the_minutes(first, second, words):
    one, other = (
        policy({**HOURS, "open": [{**MORNINGS, "from": start, "until": end}]})
        for start, end in (first, second)
    )
    assert [line.says for line in compared(one, other).rules] == [words]


def test_a_calendar_is_covered_by_that_calendar_alone():
    """By no window, and a window by none of a calendar's; nor by the same one in another zone."""
    by_off, by_feasts = ({"kind": "freeze", "zone": ROME, "calendars": [name]} for name in ("off", "feasts"))
    by_both = {**by_off, "calendars": ["off", "feasts"]}
    elsewhere = {**FREEZE, "zone": "America/Halifax"}
    for first, second, order in (
        (by_off, by_feasts, "incomparable"),
        (by_off, by_both, "stricter"),
        (by_both, by_off, "laxer"),
        (by_off, FREEZE, "incomparable"),
        (FREEZE, by_off, "incomparable"),
        (FREEZE, FREEZE | {"calendars": ["off"]}, "stricter"),
        (FREEZE, elsewhere, "incomparable"),
        (by_off, by_off, "equal"),
    ):
        assert compared(policy(first), policy(second)).order == order


def test_what_closes_without_a_gap_is_one_closing():
    """Days that follow each other, and windows within each other; one with a gap after it begins anew."""
    days = {
        "name": "the nights",
        "every": "FREQ=DAILY;COUNT=3",
        "starting": "2026-03-12T00:00",
        "lasting": "PT24H",
    }
    windows = [days, {**days, "lasting": "PT23H"}, {**days, "lasting": "PT30H"}]
    rule = policy({"kind": "freeze", "zone": ROME, "windows": windows}).rules[0]
    closed = rule.closed({}, Interval(AT, AT + timedelta(days=9)))
    assert [(one.end - one.start) // timedelta(hours=1) for one in closed] == [72, 23, 23, 23, 78]
