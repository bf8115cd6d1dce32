"""No document crashes the core: whatever is done to a good one gives a policy or an error with a place."""

import copy
import json

from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.cases import AT, facts, words

from dogana.core.facts import Facts
from dogana.core.inspect.engine import inspect
from dogana.core.policy.document import Policy, PolicyError, policy_from, read_policy
from dogana.demo.rules import policies

GOOD = policies(AT)["live-south"][-1]
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
        "9999-12-31T23:59",
        "0001-01-01T00:00",
    ]
)


def places(value, path=()):
    """Every place in a document."""
    yield path
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in items:
        yield from places(inner, (*path, key))


PLACES = [path for path in places(GOOD) if path]


def mutated(path, value, *, remove):
    document = copy.deepcopy(GOOD)
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


@settings(max_examples=250, deadline=2000)
@given(st.sampled_from(PLACES), junk | tricky, st.booleans())
def test_a_good_policy_with_one_part_spoilt(path, value, remove):
    """Each part in turn, by anything."""
    survives(mutated(path, value, remove=remove))


@settings(max_examples=100, deadline=2000)
@given(junk)
def test_anything_at_all(value):
    """Not even the outline of a policy."""
    survives(value)


@settings(max_examples=150, deadline=2000)
@given(st.binary(max_size=120))
def test_raw_bytes(raw):
    """As a file somebody mistook for a policy."""
    _, faults = attempted(read_policy, raw.decode("utf-8", "replace"))
    assert faults


def test_facts_read_back_are_the_facts():
    """What is stored under a digest is what was inspected."""
    known = facts()
    assert Facts.model_validate_json(json.dumps(known.plain())) == known
