"""What every kind of rule answers for itself, the few words of a cell of the board among it."""

import copy
import json
import re
from typing import get_args

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from tests.conftest import ROOT
from tests.core.cases import policy
from tests.core.test_fuzz import places
from tests.core.test_less_known import FACTS, POLICY, WHOLE, outcomes, spoken
from tests.limits import examples

from dogana.bench.cases import full_policy
from dogana.core.facts import Facts
from dogana.core.inspect.engine import what_is_shown
from dogana.core.policy.document import policy_schema
from dogana.core.rules.base import Rule
from dogana.core.rules.registry import HEADINGS, KINDS
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
    ({"kind": "check", "check": "capacity", "answers_within": "PT2H"}, "capacity, within 2 h"),
    ({"kind": "condition", "holds": "size(commits) <= 12", "otherwise": "too much"}, "size(commits) <= 12"),
]


@pytest.mark.parametrize(("rule", "words"), CELLS, ids=[words or "sameness" for _, words in CELLS])
def test_a_cell_says_what_a_rule_asks_for(rule: dict, words: str):
    assert policy(rule).rules[0].summary() == words


@pytest.mark.parametrize("kind", KINDS, ids=list(HEADINGS))
def test_every_kind_is_whole(kind: type[Rule]):
    """Schema, heading, few words, strictness, documentation: one without any would be missed by nobody."""
    (name,) = get_args(kind.model_fields["kind"].annotation)
    assert HEADINGS[name] == kind.heading
    assert "Rule" not in kind.heading, "it is for people"
    assert kind.__name__ == f"{name.title()}Rule"
    assert kind.__module__.endswith(f".{name}")
    assert kind.__name__ in policy_schema()["$defs"]
    assert f"## `{name}`: " in (ROOT / "docs" / "policy-format.md").read_text()
    assert kind.strictness or kind.differing is not Rule.differing or name == "sameness"
    (rule,) = (one for one in full_policy().rules if one.kind == name)
    assert rule.summary() or name == "sameness"
    layers = (ROOT / "pyproject.toml").read_text()
    assert f'"{kind.__module__}"' in layers, "nobody above may ask of which kind a rule is"


def test_every_kind_stands_in_the_scenario():
    """So that whoever tries the demo sees it at work."""
    text = (ROOT / "src" / "dogana" / "demo" / "rules.py").read_text()
    assert set(HEADINGS) <= set(re.findall(r'"kind": "([a-z]+)"', text))


NEVER_BOUND = (
    "traffic",
    "monitors",
    "waiting",
    "closed_now",
    "prepared",
    "checks",
    "calendars",
    "stand_ins",
    "people",
    "groups",
)
"""What moves all the time, and who is who: an approval outlives those."""
PLACES = [path for path in places(FACTS) if path and path[0] not in NEVER_BOUND and path[-1] != "read_at"]
others = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-3, 10**9),
    st.text(max_size=8),
    st.sampled_from(["1.0.0", "9.9.9", "x"]),
)


@settings(max_examples=examples(400))
@given(st.sampled_from(PLACES), others, st.sampled_from(["put", "remove", "empty"]))
def test_whatever_changes_a_finding_changes_what_an_approval_is_bound_to(path, value, how):
    """Of every kind, whatever part of the facts it is: else an approval would outlive an exchange of it."""
    plain = copy.deepcopy(FACTS)
    inner = plain
    for step in path[:-1]:
        inner = inner[step]
    if how == "remove":
        del inner[path[-1]]
    else:
        inner[path[-1]] = value if how == "put" else type(inner[path[-1]])()
    try:
        other = Facts.model_validate_json(json.dumps(plain))
    except ValidationError:
        return
    given = spoken(WHOLE)
    if outcomes(WHOLE, given) != outcomes(other, given):
        assert what_is_shown(POLICY, other) != what_is_shown(POLICY, WHOLE)


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
