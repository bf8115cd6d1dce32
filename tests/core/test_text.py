"""YAML and JSON as people write them: one meaning, or refused with the place."""

import json
import re

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from dogana.core.policy.document import read_policy
from dogana.core.policy.text import UnreadableTextError, plain_of, refuse_double, text_of

WRITTEN = {
    "12:00": "12:00",
    "1:30:00": "1:30:00",
    "010": "010",
    "0x10": "0x10",
    "0b11": "0b11",
    "1_000": "1_000",
    "yes": "yes",
    "no": "no",
    "on": "on",
    ".inf": ".inf",
    ".nan": ".nan",
    "2026-11-27": "2026-11-27",
    "2026-11-27T07:00:00Z": "2026-11-27T07:00:00Z",
    "=": "=",
    "10": 10,
    "-3": -3,
    "1.50": 1.5,
    "1e3": 1000.0,
    "true": True,
    "False": False,
    "null": None,
    "~": None,
    "": None,
    "'10'": "10",
    '"true"': "true",
}


@pytest.mark.parametrize("written", WRITTEN)
def test_what_stands_without_quotes_is_read_in_one_way(written):
    """No sixties, no eights, no Norway: a time is a time and a word is a word."""
    found = plain_of(f"a: {written}")["a"]
    assert (type(found), found) == (type(WRITTEN[written]), WRITTEN[written])


REFUSED = {
    "a: 1\na: 2": "a stands twice (line 2, column 1)",
    'a: 1\n"a": 2': "a stands twice (line 2, column 1)",
    "{a: 1, b: 2, a: 3}": "a stands twice (line 1, column 14)",
    "x:\n  - a: {b: 1,\n        b: 2}": "b stands twice (line 3, column 9)",
    "a: &x {b: 1}\nc:\n  <<: *x": "aliases are not read (line 3, column 7)",
    "<<: {a: 1}": "merge keys are not read (line 1, column 1)",
    "a:\n  - &x 1\n  - *x": "aliases are not read (line 3, column 5)",
    "a: !!binary aGk=": "tags are not read (line 1, column 4)",
    "a: !!set {b}": "tags are not read (line 1, column 4)",
    'a: !!int "12:00"': "tags are not read (line 1, column 4)",
    "!!python/object:os.system {}": "tags are not read (line 1, column 1)",
    "a: 1\n---\na: 2": "another document (line 2, column 1)",
    "1: a\n'1': b": "a key is a text (line 1, column 1)",
    "~: a": "a key is a text (line 1, column 1)",
    "? [a]\n: 1": "a key is a text (line 1, column 3)",
    "a: [1, 2": "(line 1, column 9)",
    "[" * 30: "nested deeper than 20 (line 1, column 21)",
}


@pytest.mark.parametrize("written", REFUSED)
def test_what_could_be_read_otherwise_is_refused_with_its_place(written):
    """Line and column are where a person has to look."""
    with pytest.raises(UnreadableTextError, match=re.escape(REFUSED[written])):
        plain_of(written)


TRICKY = st.sampled_from(
    [*WRITTEN, "<<", "a: b", "#", "- a", "&x", "*x", "!!str", " ", "\u2028", "1e5", "-", "?"]
)
WORDS = TRICKY | st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=12)
NUMBERS = st.integers(-(10**9), 10**9) | st.floats(-1e9, 1e9, allow_nan=False).map(lambda x: round(x, 4))
VALUES = st.recursive(
    st.none() | st.booleans() | NUMBERS | WORDS,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(WORDS, inner, max_size=4),
    max_leaves=12,
)


@given(VALUES)
def test_what_is_written_is_read_as_the_same_again(value):
    """As JSON, and as the YAML that people get to edit; also by a reader of the older kind."""
    assert plain_of(text_of(value)) == value
    assert yaml.safe_load(text_of(value)) == value
    refuse_double(json.dumps(value))


@given(
    st.dictionaries(st.text("abcdef", min_size=1, max_size=3), st.integers(0, 9), min_size=1, max_size=6),
    st.lists(st.sampled_from(["list", "mapping"]), max_size=5),
    st.data(),
)
def test_a_key_that_stands_twice_is_found_however_deep(pairs, around, data):
    """Wherever the second one stands, the place told is its own."""
    twice = data.draw(st.sampled_from(sorted(pairs)))
    lines = [f'"{key}": {value}' for key, value in pairs.items()]
    lines.insert(data.draw(st.integers(list(pairs).index(twice) + 1, len(lines))), f'"{twice}": 77')
    body = "{\n" + ",\n".join(lines) + "\n}"
    for kind in around:
        body = f"[1,\n{body}]" if kind == "list" else f'{{"own": 0,\n"inner": {body}}}'
    place = f"line {body[: body.index('77')].count(chr(10)) + 1}, "
    for reader in (plain_of, refuse_double):
        with pytest.raises(UnreadableTextError, match=f"{twice} stands twice") as refused:
            reader(body)
        assert place in str(refused.value)


def test_a_time_without_quotes_is_the_time_that_stands_there():
    """Noon, not twelve minutes past midnight."""
    policy = read_policy(
        """
        format: dogana.policy/1
        title: At noon
        zone: Europe/Rome
        rules:
          - id: hours
            kind: hours
            title: While somebody is there
            zone: Europe/Rome
            open:
              - {days: [MO], from: 07:00, until: 12:00}
        """
    )
    (opening,) = policy.rules[0].open
    assert (opening.from_, opening.until) == ("07:00", "12:00")
