"""No document crashes the core: whatever is done to a good one gives a policy or an error with a place."""

import copy
import json

from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from tests.core.cases import AT, facts, words
from tests.limits import examples

from dogana.bench.cases import full_facts, full_policy
from dogana.core.facts import Facts
from dogana.core.inspect.engine import inspect
from dogana.core.policy.document import Policy, PolicyError, policy_from, read_policy
from dogana.core.policy.inheritance import inherited
from dogana.demo.rules import policies

LIVE = policies(AT)
GOOD = inherited(policy_from(LIVE["live"][0]), policy_from(LIVE["live-south"][-1])).plain()
FACTS = full_facts(commits=2, files=2)
junk = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)
tricky = st.sampled_from(
    [
        "FREQ=DAILY;COUNT=0",
        "FREQ=YEARLY;BYMONTHDAY=31;BYMONTH=2",
        "P99999999D",
        "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30",
        "files.all(a, files.all(b, files.all(c, a.path == b.path)))",
        "1 / 0 == 1",
        1e308,
        -0.0,
        "9999-12-31T23:59",
        "0001-01-01T00:00",
    ]
)


EVERY_KIND = full_policy()


def places(value, path=()):
    """Every place in a document."""
    yield path
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield from places(inner, (*path, key))


PLACES = [path for path in places(GOOD) if path]


def mutated(path, value, *, remove, of=GOOD):
    document = copy.deepcopy(of)
    inner = document
    for step in path[:-1]:
        inner = inner[step]
    if remove:
        del inner[path[-1]]
    else:
        inner[path[-1]] = value
    return document


def attempted(read, given):
    """The policy, or the faults it was refused for; anything else that is raised fails the test."""
    try:
        return read(given), []
    except PolicyError as refused:
        return None, refused.faults


def survives(document):
    """Either refused with a place, or inspected."""
    policy, faults = attempted(policy_from, document)
    assert all(place == "" or place.startswith("/") for place, _ in faults)
    if policy is None:
        return
    known = facts()
    sheet = inspect(policy, known, words(policy, known), AT)
    assert len(sheet.findings) == len(policy.rules)
    assert Policy.model_validate_json(json.dumps(policy.plain())) == policy


@settings(max_examples=examples(250), deadline=None)
@given(st.sampled_from(PLACES), junk | tricky, st.booleans())
def test_a_good_policy_with_one_part_spoilt(path, value, remove):
    """Each part in turn, by anything."""
    survives(mutated(path, value, remove=remove))


@settings(max_examples=examples(100), deadline=None)
@given(junk)
def test_anything_at_all(value):
    """Not even the outline of a policy."""
    survives(value)


@settings(max_examples=examples(150), deadline=None)
@given(st.binary(max_size=120))
def test_raw_bytes(raw):
    """As a file somebody mistook for a policy."""
    _, faults = attempted(read_policy, raw.decode("utf-8", "replace"))
    assert faults


def facts_attempted(plain):
    """The facts, or what they were refused for; anything else that is raised fails the test."""
    try:
        return Facts.model_validate_json(json.dumps(plain)), []
    except ValidationError as refused:
        return None, refused.errors()


FACT_PLACES = [path for path in places(FACTS.plain()) if path]


@settings(max_examples=examples(250), deadline=None)
@given(st.sampled_from(FACT_PLACES), junk | tricky, st.booleans())
def test_good_facts_with_one_part_spoilt(path, value, remove):
    """Refused with a place, or inspected by a policy with every kind of rule."""
    spoilt = mutated(path, value, remove=remove, of=FACTS.plain())
    known, faults = facts_attempted(spoilt)
    assert all(fault["msg"] for fault in faults)
    if known is None:
        return
    sheet = inspect(EVERY_KIND, known, words(EVERY_KIND, known), AT)
    assert [one.rule for one in sheet.findings][: len(EVERY_KIND.rules)] == [r.id for r in EVERY_KIND.rules]


def test_facts_read_back_are_the_facts():
    """What is stored under a digest is what was inspected."""
    known = facts()
    assert Facts.model_validate_json(json.dumps(known.plain())) == known
