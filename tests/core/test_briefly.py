"""What a rule asks for in the few words of a cell of the board: all of it that matters, and nothing else."""

from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.cases import policy

from dogana.core.policy.briefly import KINDS, briefly
from dogana.core.rules.registry import AnyRule
from dogana.core.time.timetable import Timetable
from dogana.core.time.weekly import DAYS, days_in_words

CELLS = [
    (
        {"kind": "reviewers", "seats": [{"group": "release-desk"}, {"group": "security", "count": 2}]},
        "release desk and 2 of security",
    ),
    (
        {
            "kind": "reviewers",
            "seats": [{"people": ["ann", "bo"]}, {"group": "desk"}],
            "in_order": True,
            "lasts": "P2D",
            "comment": "required",
            "let_requester_decide": True,
        },
        "ann or bo then desk, for 2 days, with a comment, its requester or authors may sit",
    ),
    (
        {
            "kind": "hours",
            "zone": "Europe/Rome",
            "open": [
                {"days": ["MO", "TU", "WE", "TH", "FR"], "from": "07:00", "until": "17:00"},
                {"days": ["SA"], "from": "09:00", "until": "12:00"},
            ],
        },
        "Mon to Fri 07:00 to 17:00; Sat 09:00 to 12:00",
    ),
    (
        {
            "kind": "hours",
            "zone": "Europe/Rome",
            "departures": {"days": ["MO", "WE", "FR"], "at": ["07:00", "12:00"]},
        },
        "Mon, Wed and Fri at 07:00 and 12:00",
    ),
    (
        {
            "kind": "freeze",
            "zone": "Europe/Rome",
            "windows": [{"name": "storm", "from": "2026-03-10T12:00:00", "until": "2026-03-11T12:00:00"}],
            "calendars": ["public-holidays"],
            "passes": ["rollback"],
        },
        "storm and the calendar public holidays; lets rollback pass",
    ),
    (
        {"kind": "notice", "at_least": "PT2H", "slot": "PT30M", "at_most": "P14D"},
        "2 h ahead, a slot of 30 min, within 14 days",
    ),
    ({"kind": "soak", "at_least": "PT20H"}, "20 h in every leg before"),
    ({"kind": "soak", "at_least": "P1D", "across": "any"}, "1 day in any leg before"),
    (
        {
            "kind": "pace",
            "one_at_a_time": True,
            "at_most": 6,
            "per": "P1D",
            "gap": "PT1H",
            "newest": "supersedes",
        },
        "one at a time, 6 in 1 day, 1 h apart, a newer one supersedes",
    ),
    ({"kind": "pace", "at_most": 2, "each": "week", "zone": "Europe/Rome"}, "2 in a week"),
    (
        {"kind": "tickets", "which": "any", "status": ["done", "verified"], "unblocked": True},
        "any done or verified, unblocked",
    ),
    (
        {"kind": "origin", "branches": ["main"], "tags": ["v*"], "signed": True, "reviewed": True},
        "on main, tagged v*, signed, every commit read by a second person",
    ),
    ({"kind": "versions", "going_back": "refused"}, "going back refused"),
    ({"kind": "sameness"}, ""),
    (
        {"kind": "needs", "services": [{"service": "meter-intake", "at_least": "7.3.0"}]},
        "meter intake 7.3.0",
    ),
    ({"kind": "evidence", "name": "test-report", "not_older": "P7D"}, "test report, at most 7 days old"),
    ({"kind": "condition", "holds": "size(commits) <= 12", "otherwise": "too much"}, "size(commits) <= 12"),
]


@pytest.mark.parametrize(("rule", "words"), CELLS, ids=[words or "sameness" for _, words in CELLS])
def test_a_cell_says_what_a_rule_asks_for(rule: dict, words: str):
    assert briefly(policy(rule).rules[0]) == words


def test_every_kind_has_a_heading_and_a_place():
    """A kind without one would be missing from the board, and nobody would see that it is asked for."""
    kinds = {get_args(kind.model_fields["kind"].annotation)[0] for kind in get_args(get_args(AnyRule)[0])}
    assert set(KINDS) == kinds


@pytest.mark.parametrize(
    ("days", "words"),
    [
        (["MO"], "Mon"),
        (["TU", "MO"], "Mon and Tue"),
        (["SA", "SU", "FR"], "Fri to Sun"),
        (["MO", "WE", "FR"], "Mon, Wed and Fri"),
        (["MO", "TU", "WE", "FR"], "Mon, Tue, Wed and Fri"),
        (["MO", "MO", "SU"], "Mon and Sun"),
        (list(DAYS), "Mon to Sun"),
    ],
)
def test_days_that_follow_one_another_are_a_stretch_and_no_others(days: list, words: str):
    """`Mon to Fri` for Monday, Wednesday and Friday would send somebody to a closed door."""
    assert days_in_words(days) == words


@given(st.lists(st.sampled_from(DAYS), min_size=1, max_size=7))
def test_the_words_name_exactly_the_days(days: list):
    names = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]
    words = days_in_words(days)
    if " to " in words:
        first, last = (names.index(name) for name in words.split(" to "))
        said = set(range(first, last + 1))
    else:
        said = {n for n, name in enumerate(names) if name in words}
    assert said == {DAYS.index(day) for day in days}


def test_set_times_are_said_in_order():
    table = Timetable(days=("FR", "MO"), at=("14:30", "06:00"))
    assert table.in_words() == "Mon and Fri at 06:00 and 14:30"
