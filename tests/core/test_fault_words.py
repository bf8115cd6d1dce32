"""Every fault in a policy is said in our words, with the id of its rule, wherever and however it is wrong."""

import copy
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dogana.core.policy.document import PolicyError, policy_schema, read_policy
from dogana.demo.rules import policies

WHOLE = [one[-1] for one in policies(datetime(2026, 3, 10, tzinfo=UTC)).values()]
WRONG: list[Any] = [
    None,
    True,
    -1,
    1.5,
    10**9,
    "",
    "x" * 400,
    "P-1D",
    "nothing at all",
    [],
    [[]],
    {},
    {"a": 1},
    ["x"] * 600,
]
NOT_OURS = (
    "Input ",
    " should ",
    "Value error",
    "Extra inputs",
    "Field required",
    "Unable to",
    "valid ",
    "ctx",
)


def places(value: Any, path: tuple = ()) -> Iterator[tuple]:
    """Every place in a document, as steps to it."""
    if path:
        yield path
    steps = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for step, inner in steps:
        yield from places(inner, (*path, step))


@given(st.data())
def test_whatever_is_wrong_is_said_in_our_words(data: st.DataObject):
    """Any value of a real policy replaced by one that does not belong there, left out, or one more put in."""
    document = copy.deepcopy(data.draw(st.sampled_from(WHOLE)))
    path = data.draw(st.sampled_from(list(places(document))))
    here: Any = document
    for step in path[:-1]:
        here = here[step]
    match data.draw(st.sampled_from(["replaced", "left out", "one more"])):
        case "replaced":
            here[path[-1]] = data.draw(st.sampled_from(WRONG))
        case "left out":
            del here[path[-1]]
        case _:
            here[path[-1]] = {"orign": 1} | (here[path[-1]] if isinstance(here[path[-1]], dict) else {})
    try:
        read_policy(document)
    except PolicyError as exc:
        for pointer, why in exc.faults:
            assert not any(words in why for words in NOT_OURS), (pointer, why)
            rule = document["rules"][int(pointer.split("/")[2])] if pointer.startswith("/rules/") else {}
            if isinstance(rule, dict) and isinstance(rule.get("id"), str):
                assert why.startswith(f"{rule['id']}: "), (pointer, why)


def rule(**more: Any) -> dict[str, Any]:
    return {"id": "r", "kind": "freeze", "title": "T", "windows": [WINDOW]} | more


WINDOW = {"name": "night", "from": "2026-03-11T22:00", "until": "2026-03-12T05:00"}


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"kind": "orign"}, "r: no kind is called orign; was origin meant?"),
        ({"windows": [], "calendars": []}, "r: give windows, calendars or both"),
        ({"kind": "reviewers", "windows": None, "seats": []}, "r: name at least one"),
        ({"colour": "red"}, "r: is not known here"),
    ],
)
def test_common_faults(wrong: dict, says: str):
    """What people get wrong, as they read it."""
    given_ = {key: value for key, value in rule(**wrong).items() if value is not None}
    with pytest.raises(PolicyError) as refused:
        read_policy({"format": "dogana.policy/1", "title": "P", "zone": "Europe/Rome", "rules": [given_]})
    assert says in [why for _, why in refused.value.faults]


def test_a_rule_that_names_no_clock_goes_by_the_policys():
    """Written out in its canonical form, so that it means the same for good; the schema lets it out."""
    head = {"format": "dogana.policy/1", "title": "P", "zone": "Europe/Rome"}
    short, long = (read_policy(head | {"rules": [one]}) for one in (rule(), rule(zone="Europe/Rome")))
    assert short.digest == long.digest
    assert read_policy(head | {"rules": [rule(zone="Asia/Tokyo")]}).digest != long.digest
    assert "zone" not in policy_schema()["$defs"]["FreezeRule"]["required"]
    with pytest.raises(PolicyError):
        read_policy({"format": "dogana.policy/1", "title": "P", "rules": [rule()]})
