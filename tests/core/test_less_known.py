"""What becomes of a verdict when less is known, when rows come in another order, or twice."""

import copy
from contextlib import suppress
from datetime import timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from tests.limits import examples

from dogana.bench.cases import AT, full_facts, full_policy
from dogana.core.decisions import Decision, Decisions
from dogana.core.facts import Facts
from dogana.core.inspect.engine import inspect, what_is_shown
from dogana.core.inspect.sheet import Verdict
from dogana.core.policy.document import policy_from
from dogana.core.rules.findings import Outcome
from dogana.core.rules.registry import HEADINGS

POLICY = policy_from(
    {**(plain := full_policy().plain()), "rules": [rule | {"when": "true"} for rule in plain["rules"]]}
)
WHOLE = full_facts(commits=3, files=3)
FACTS = WHOLE.plain()
PASSES = {Outcome.MET, Outcome.NOT_APPLICABLE, Outcome.WAIVED}


def spoken(facts: Facts) -> Decisions:
    """Approvals that fill every seat, of what these facts show."""
    shown = what_is_shown(POLICY, facts)
    people = ("p1", "p2", "p3", "p5")
    made = (Decision(action="approve", person=one, at=AT, shown=shown) for one in people)
    return Decisions(made=tuple(made))


def outcomes(facts: Facts, decisions: Decisions | None = None) -> dict[str, Outcome]:
    sheet = inspect(POLICY, facts, decisions or spoken(facts), AT)
    return {one.rule: one.outcome for one in sheet.findings} | {"all": sheet.verdict}


def readings(value, path=()):
    """Where in a document something read from outside stands."""
    if isinstance(value, dict):
        if "read_at" in value:
            yield path
        for key, inner in value.items():
            yield from readings(inner, (*path, key))
    elif isinstance(value, list):
        for n, inner in enumerate(value):
            yield from readings(inner, (*path, n))


READ = list(readings(FACTS))


def at(document, path):
    for step in path:
        document = document[step]
    return document


def test_everything_known_clears():
    """Else the properties below would hold of nothing; a rule of every kind is in it."""
    assert outcomes(WHOLE)["all"] is Verdict.CLEARED
    assert {rule.kind for rule in POLICY.rules} == set(HEADINGS)


@given(st.sets(st.sampled_from(READ), min_size=1))
def test_what_was_not_read_clears_nothing(unread):
    """Whichever of it was not read, what looks at it is unknown, and all else says what it said."""
    plain = copy.deepcopy(FACTS)
    for path in unread:
        at(plain, path).pop("value", None)
        at(plain, path)["unknown"] = "it cannot be reached"
    before, after = outcomes(WHOLE), outcomes(Facts.model_validate(plain))
    assert after["all"] is not Verdict.CLEARED
    for rule in POLICY.rules:
        assert after[rule.id] in {before[rule.id], Outcome.UNKNOWN}


AGES = {"origin": "origin", "tickets": "tickets", "monitors": "monitors", "change": "origin"}


@given(st.sampled_from(READ), st.integers(6, 10**6))
def test_what_was_read_in_the_future_clears_nothing(path, minutes):
    """It would never grow old."""
    plain = copy.deepcopy(FACTS)
    at(plain, path)["read_at"] = AT + timedelta(minutes=minutes)
    found = outcomes(Facts.model_validate(plain))
    kinds = {rule.kind: found[rule.id] for rule in POLICY.rules}
    assert found["all"] is not Verdict.CLEARED
    assert kinds[AGES[path[0]]] is Outcome.UNKNOWN


LISTS = [
    ("change", "value", "commits"),
    ("change", "value", "files"),
    ("change", "value", "ticket_keys"),
    ("tickets", "value"),
    ("evidence",),
    ("monitors",),
    ("leg_before",),
    ("traffic",),
    ("people",),
    ("artifacts",),
]


@settings(max_examples=examples(60))
@given(st.sampled_from(LISTS), st.randoms(use_true_random=False))
def test_the_order_of_rows_means_nothing(path, random):
    """As a database gives them back in any."""
    plain = copy.deepcopy(FACTS)
    random.shuffle(at(plain, path))
    assert outcomes(Facts.model_validate(plain)) == outcomes(WHOLE)


NAMED = {path[0] for path in LISTS if path[0] in {"tickets", "evidence", "monitors", "people", "artifacts"}}


@pytest.mark.parametrize("path", LISTS, ids=lambda path: path[-1])
def test_a_row_that_stands_twice_is_refused_or_clears_nothing_more(path):
    """What has a name of its own stands once; of the rest, each row is looked at."""
    plain = copy.deepcopy(FACTS)
    at(plain, path).append(copy.deepcopy(at(plain, path)[0]))
    if path[0] in NAMED:
        with pytest.raises(ValidationError, match="stands twice"):
            Facts.model_validate(plain)
    else:
        doubled, before = outcomes(Facts.model_validate(plain)), outcomes(WHOLE)
        assert all(doubled[one.id] not in PASSES or before[one.id] in PASSES for one in POLICY.rules)


BAD = {
    ("tickets", "value"): {"status": "open"},
    ("evidence",): {"content": {"critical": 7, "high": 0}},
    ("monitors",): {"reading": {"source": "a source", "read_at": AT.isoformat(), "value": {"values": [9.0]}}},
    ("leg_before",): {"healthy_since": None},
    ("artifacts",): {"digest": "sha256:" + "b" * 64},
    ("people",): {"groups": ["desk", "security"]},
}


@pytest.mark.parametrize("first", [True, False], ids=["the bad one first", "the bad one last"])
@pytest.mark.parametrize("path", BAD, ids=lambda path: path[0])
def test_of_two_rows_of_one_name_the_better_one_hides_nothing(path, first):
    """Neither by coming first nor by coming last."""
    plain = copy.deepcopy(FACTS)
    rows = at(plain, path)
    rows.insert(0 if first else len(rows), copy.deepcopy(rows[0]) | BAD[path])
    with suppress(ValidationError):
        assert outcomes(Facts.model_validate(plain))["all"] is not Verdict.CLEARED


@given(st.permutations(range(4)), st.lists(st.integers(0, 3), max_size=4))
def test_words_in_any_order_and_more_than_once_seat_the_same(order, again):
    """All were said in one instant; saying it twice takes no second seat."""
    made = spoken(WHOLE).made
    said = Decisions(made=tuple(made[n] for n in (*order, *again)))
    assert outcomes(WHOLE, said) == outcomes(WHOLE)


@given(st.sets(st.sampled_from(["p1", "p2", "p3", "p5"]), max_size=2))
def test_too_few_people_fill_too_few_seats(who):
    """Three seats, whoever is left."""
    made = tuple(one for one in spoken(WHOLE).made if one.person in who)
    assert outcomes(WHOLE, Decisions(made=made * 3))["all"] is not Verdict.CLEARED


@pytest.mark.thorough
@given(st.integers(-300, 300), st.integers(1, 600))
def test_what_is_closed_at_once_is_closed_until_its_end(since, lasting):
    """Its end not included. One that says it begins in a while was closed by a clock that goes ahead."""
    start = AT + timedelta(seconds=since)
    closed = {"since": start, "until": start + timedelta(seconds=lasting), "reason": "ice", "by": "Ann Ash"}
    known = Facts.model_validate(copy.deepcopy(FACTS) | {"closed_now": [closed]})
    is_open = since + lasting <= 0
    assert (outcomes(known)["all"] is Verdict.CLEARED) is is_open
    also = Facts.model_validate(copy.deepcopy(FACTS) | {"closed_now": [closed, closed | {"until": AT}]})
    assert outcomes(also)["all"] is outcomes(known)["all"]
