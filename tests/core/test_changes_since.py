"""What is otherwise than when somebody approved, told thing by thing."""

from datetime import timedelta

import pytest
from tests.core.cases import AT, BYTES, OTHER_BYTES, facts, reading

from dogana.core.change import Change, Commit
from dogana.core.changes_since import what_changed
from dogana.core.facts import Report, Ticket
from dogana.core.rollout import Plan, Step

DONE = Ticket(key="CW-1", title="Work", status="done")


def commits(*names: str, base: str | None = None) -> dict:
    made = tuple(
        Commit(revision=name, author="Eve", author_email="eve@example.org", subject=f"Work on {name}", at=AT)
        for name in names
    )
    change = Change(base=base, revision="c1", commits=made, files=(), ticket_keys=("CW-1",))
    return {"change": reading(change).model_dump()}


def tickets(*found: Ticket) -> dict:
    return {"tickets": reading(found).model_dump()}


def report(minutes: int, **content: int) -> Report:
    at = AT + timedelta(minutes=minutes)
    return Report(name="test-report", kind="tests", produced_at=at, by="the build", content=content)


CASES = [
    ({}, {}, []),
    ({"artifacts": (BYTES,)}, {"artifacts": (OTHER_BYTES,)}, ["app.tar.gz has other bytes."]),
    (
        {"artifacts": (BYTES,)},
        {"artifacts": (BYTES.model_copy(update={"name": "b"}),)},
        ["b has come along.", "app.tar.gz is gone."],
    ),
    (commits("a"), commits("b", "a"), ["One commit came with it: \u201cWork on b\u201d."]),
    (
        commits("a"),
        commits("f", "e", "d", "c", "b", "a"),
        [
            (
                "Five commits came with it: \u201cWork on f\u201d, \u201cWork on e\u201d, "
                "\u201cWork on d\u201d and 2 more."
            )
        ],
    ),
    (
        commits("b", "a"),
        commits("b", base="a"),
        ["It is held against something else, as a runs there now.", "One commit is no longer in it."],
    ),
    (
        tickets(DONE),
        tickets(DONE.model_copy(update={"status": None, "open_blockers": ("CW-7",)})),
        ["CW-1: status none instead of \u201cdone\u201d.", "CW-1 is blocked by CW-7 now."],
    ),
    (
        tickets(DONE),
        tickets(Ticket(key="CW-2", status="open")),
        ["CW-2 is named as well.", "CW-1 is named no longer."],
    ),
    (
        {},
        {"plan": Plan(steps=(Step(share=5, hold=timedelta(minutes=30)), Step(share=100)))},
        ["It goes in 5 % for 30 min, then all instead of all at once."],
    ),
    (
        {"evidence": (report(0, passed=3),)},
        {"evidence": (report(5, passed=4),)},
        ["Test report is another, of Tue 10 Mar 13:05, Rome."],
    ),
]


@pytest.mark.parametrize(("then", "now", "said"), CASES, ids=[str(n) for n in range(len(CASES))])
def test_each_thing_that_differs_is_told(then: dict, now: dict, said: list):
    assert what_changed(facts(**then), facts(**now), "Europe/Rome") == said


@pytest.mark.parametrize("part", ["change", "tickets"])
def test_what_could_not_be_read_is_not_said_to_have_changed(part: str):
    """Silence of a source is no news of what it knows."""
    silent = facts(**{part: reading(unknown="it answered 503").model_dump()})
    assert what_changed(facts(), silent, "Europe/Rome") == []
    assert what_changed(silent, facts(), "Europe/Rome") == []
