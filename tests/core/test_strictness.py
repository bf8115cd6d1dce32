"""Strictness means something: what a stricter rule lets in, the laxer one lets in too."""

from datetime import timedelta
from typing import Any

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter
from tests.core.cases import AT, facts, landing, policy, reading, words
from tests.limits import examples

from dogana.bench.cases import full_policy
from dogana.core.facts import Ticket
from dogana.core.inspect.engine import inspect
from dogana.core.policy.comparison import compared
from dogana.core.policy.inheritance import inherited, loosened
from dogana.core.rules.findings import Outcome
from dogana.core.rules.registry import AnyRule
from dogana.core.strictness import Order, folded

hours = st.integers(1, 30).map(lambda n: f"PT{n}H")
places = st.lists(st.sampled_from(["desk", "security"]), min_size=1, max_size=3).map(
    lambda groups: [{"group": group} for group in groups]
)
spans = st.lists(
    st.fixed_dictionaries(
        {
            "days": st.lists(st.sampled_from(["MO", "TU", "WE"]), min_size=1, max_size=2, unique=True),
            "from": st.sampled_from(["07:00", "12:00", "22:00"]),
            "until": st.sampled_from(["13:00", "17:00", "03:00"]),
        }
    ),
    min_size=1,
    max_size=2,
)
windows = st.lists(
    st.sampled_from(
        [
            {"name": "a", "from": "2026-03-10T10:00", "until": "2026-03-10T18:00"},
            {"name": "b", "from": "2026-03-10T12:00", "until": "2026-03-10T14:00"},
            {"name": "c", "every": "FREQ=DAILY", "starting": "2026-01-01T12:30", "lasting": "PT1H"},
            {"name": "d", "every": "FREQ=DAILY", "starting": "2026-01-01T12:30", "lasting": "PT3H"},
        ]
    ),
    min_size=1,
    max_size=3,
    unique_by=lambda w: w["name"],
)
KINDS = {
    "reviewers": st.fixed_dictionaries(
        {"seats": places, "lasts": hours, "let_requester_decide": st.booleans(), "in_order": st.booleans()}
    ),
    "freeze": st.fixed_dictionaries(
        {"zone": st.just("Europe/Rome"), "windows": windows, "passes": st.sampled_from([[], ["rollback"]])},
        optional={"in_progress": st.just("goes on")},
    ),
    "hours": st.fixed_dictionaries({"zone": st.just("Europe/Rome"), "open": spans}),
    "notice": st.fixed_dictionaries({"at_least": hours}, optional={"at_most": st.just("P2D")}),
    "soak": st.fixed_dictionaries(
        {"at_least": hours, "across": st.sampled_from(["all", "any"])},
        optional={"confirmed": st.just(True)},
    ),
    "tickets": st.fixed_dictionaries(
        {
            "status": st.lists(st.sampled_from(["done", "open"]), min_size=1, unique=True),
            "which": st.sampled_from(["all", "any"]),
            "at_least": st.integers(0, 3),
        }
    ),
    "rollout": st.fixed_dictionaries(
        {"first_share": st.sampled_from([5, 50, 100]), "least_hold": hours},
        optional={"on_incident": st.sampled_from(["go on", "halt", "roll back"])},
    ),
    "pace": st.fixed_dictionaries(
        {"at_most": st.integers(1, 3), "per": hours, "one_at_a_time": st.booleans()}
    ),
    "versions": st.fixed_dictionaries(
        {"going_back": st.sampled_from(["refused", "allowed"])},
        optional={"at_least": st.sampled_from(["1.0.0", "1.2.0", "2.0.0"]), "below": st.just("1.2.0")},
    ),
    "origin": st.fixed_dictionaries(
        {"branches": st.lists(st.sampled_from(["main", "next"]), unique=True), "reviewed": st.just(True)}
    ),
}


@st.composite
def pairs(draw):
    kind = draw(st.sampled_from(sorted(KINDS)))
    common = {"id": "r", "kind": kind, "title": "Rule"}
    return [common | draw(KINDS[kind]) for _ in range(2)]


PLAN = {"steps": [{"share": 5, "hold": "PT20H"}, {"share": 100}]}


@st.composite
def legs(draw, environment, at):
    """Landed, and perhaps confirmed, closed with issues or replaced since."""
    said = draw(st.sampled_from(["", "confirmed_at", "replaced_at", "issues"]))
    since = {said: at - timedelta(hours=draw(st.integers(0, 30)))} if said.endswith("_at") else {}
    bad = {"issues": "slow", "healthy": False} if said == "issues" else {}
    return landing(draw(st.integers(1, 40)), environment=environment, **since, **bad)


@st.composite
def situations(draw):
    status = st.sampled_from(["done", "open"])
    tickets = tuple(Ticket(key=f"CW-{n}", status=draw(status)) for n in range(draw(st.integers(0, 3))))
    at = AT + timedelta(hours=draw(st.integers(-5, 40)))
    return (
        facts(
            version=draw(st.sampled_from(["1.1.0", "1.2.0", "2.1.0"])),
            kind=draw(st.sampled_from(["ordinary", "rollback"])),
            runs={"app": draw(st.sampled_from(["1.0.0", "1.2.0", "3.0.0"]))},
            requested_at=at - timedelta(hours=draw(st.integers(0, 60))),
            tickets=reading(tickets, at=at).model_dump(),
            origin=reading({"branches": draw(st.sampled_from([["main"], ["next"], ["other"]]))}),
            leg_before=tuple(draw(legs(e, at)) for e in ("one", "two")),
            traffic=[
                {"service": "app", "version": "1", "departed_at": at - timedelta(hours=h), "arrived_at": at}
                for h in draw(st.lists(st.integers(1, 40), max_size=3))
            ],
            plan=draw(st.sampled_from([None, PLAN, PLAN | {"on_incident": "roll back"}])),
        ),
        draw(st.sets(st.sampled_from(["ann", "bo", "cy", "dee"]))),
        at,
    )


def let_in(rule, known, spoken, at) -> bool:
    made = policy(rule)
    (finding,) = inspect(made, known, words(made, known, *sorted(spoken)), at).findings
    return finding.outcome in (Outcome.MET, Outcome.NOT_APPLICABLE)


def order(first, second) -> Order:
    read = TypeAdapter(AnyRule).validate_python
    return folded(read(first).compared(read(second)))


def test_the_order_looks_at_every_setting():
    """A setting it passed over would make two rules equal that are not, and a rehearsal would skip one."""
    for rule in full_policy().rules:
        seen = set()

        class Watched(type(rule)):
            def __getattribute__(self, name, seen=seen):
                seen.add(name)
                return super().__getattribute__(name)

        watched = Watched.model_construct(**rule.__dict__)
        assert folded(watched.compared(Watched.model_construct(**rule.__dict__))) is Order.EQUAL
        assert type(rule).model_fields.keys() - seen <= {"id", "title", "kind", "otherwise"}, rule.kind


@pytest.mark.thorough
@settings(max_examples=examples(500), deadline=None)
@given(pairs(), situations())
def test_whatever_a_stricter_rule_lets_in_the_laxer_one_lets_in(pair, situation):
    """For any two rules of a kind and any promotion."""
    first, second = pair
    assume(order(first, second) in (Order.STRICTER, Order.EQUAL))
    if let_in(second, *situation):
        assert let_in(first, *situation)


OPPOSITE = {Order.STRICTER: Order.LAXER, Order.LAXER: Order.STRICTER}


@given(pairs())
def test_the_order_is_one(pair):
    """Equal to itself, and the other way round from the other side."""
    first, second = pair
    found = order(first, second)
    assert order(second, first) is OPPOSITE.get(found, found)
    assert order(first, first) is Order.EQUAL


def freeze(zone="UTC", **window):
    return {"kind": "freeze", "zone": zone, "windows": [{"name": "x", **window}]}


ONCE = {"from": "2026-03-10T10:00", "until": "2026-03-10T18:00"}
AGAIN = {"every": "FREQ=DAILY", "starting": "2026-01-01T12:00", "lasting": "PT2H"}


@pytest.mark.parametrize(
    ("first", "second", "found"),
    [
        (ONCE, ONCE | {"until": "2026-03-10T19:00"}, Order.STRICTER),
        (ONCE, ONCE | {"from": "2026-03-10T09:00"}, Order.STRICTER),
        (ONCE, {"from": "2026-03-10T10:00"}, Order.STRICTER),
        ({"from": "2026-03-10T10:00"}, ONCE, Order.LAXER),
        (ONCE, ONCE | {"until": "2026-03-10T17:00"}, Order.LAXER),
        (ONCE, {"from": "2026-03-10T11:00", "until": "2026-03-10T19:00"}, Order.INCOMPARABLE),
        (ONCE, {"from": "2026-03-10T11:00"}, Order.INCOMPARABLE),
        (ONCE, AGAIN, Order.INCOMPARABLE),
        (AGAIN, AGAIN | {"lasting": "PT3H"}, Order.STRICTER),
        (AGAIN, AGAIN | {"lasting": "PT1H"}, Order.LAXER),
        (AGAIN, AGAIN | {"except": ["2026-03-10"]}, Order.LAXER),
        (AGAIN | {"except": ["2026-03-10"]}, AGAIN, Order.STRICTER),
        (AGAIN | {"except": ["2026-03-10"]}, AGAIN | {"except": ["2026-03-11"]}, Order.INCOMPARABLE),
        (AGAIN, AGAIN | {"starting": "2026-01-01T11:00"}, Order.INCOMPARABLE),
        (AGAIN, AGAIN | {"every": "FREQ=WEEKLY"}, Order.INCOMPARABLE),
        (AGAIN, AGAIN | {"lasting": "PT3H", "except": ["2026-03-10"]}, Order.INCOMPARABLE),
        (AGAIN, AGAIN | {"zone": "Europe/Rome"}, Order.INCOMPARABLE),
    ],
)
def test_a_window_covers_another_or_does_not(first, second, found):
    """As far as their settings tell: what cannot be told is never taken for as strict."""
    assert order(*({"id": "r", "title": "R", **freeze(**one)} for one in (first, second))) is found


SECURITY = {"kind": "reviewers", "seats": [{"group": "security"}]}
TWO = {"kind": "reviewers", "seats": [{"group": "security", "count": 2}]}
ANN, EITHER = ({"kind": "reviewers", "seats": [{"people": who}]} for who in (["ann"], ["ann", "bo"]))
TURNS = {"kind": "reviewers", "in_order": True, "seats": [{"group": "security"}, {"group": "desk"}]}
OTHER_TURNS = {**TURNS, "seats": TURNS["seats"][::-1]}
THREE_TURNS = {**TURNS, "seats": [*TURNS["seats"], {"group": "desk"}]}


@pytest.mark.parametrize(
    ("first", "second", "found", "says"),
    [
        (
            SECURITY,
            {**SECURITY, "seats": [{"group": "security", "count": 2}]},
            "stricter",
            "needs 2 from security",
        ),
        (SECURITY, {**SECURITY, "seats": [{"group": "desk"}]}, "incomparable", "needs 1 from desk"),
        (SECURITY, ANN, "incomparable", "needs 1 from ann instead of 1 from security"),
        (ANN, SECURITY, "incomparable", "needs 1 from security instead of 1 from ann"),
        (ANN, EITHER, "laxer", "needs 1 from ann or bo instead of 1 from ann"),
        (EITHER, ANN, "stricter", "needs 1 from ann instead of 1 from ann or bo"),
        (TURNS, OTHER_TURNS, "incomparable", "asks for its seats in another order"),
        (TURNS, THREE_TURNS, "stricter", "needs 1 from security and 2 from desk instead"),
        (THREE_TURNS, TURNS, "laxer", "needs 1 from security and 1 from desk instead"),
        (OTHER_TURNS, {**TURNS, "in_order": False}, "laxer", "in order"),
        ({**TURNS, "in_order": False}, OTHER_TURNS, "stricter", "in order"),
        (SECURITY, {**SECURITY, "when": "kind == 'urgent'"}, "laxer", "applies only where kind == 'urgent'"),
        (SECURITY, {**SECURITY, "waivable": "desk"}, "laxer", "may be waived by desk"),
        (
            {"kind": "monitors", "watch": [{"name": "lag", "query": "lag", "at_most": 5}]},
            {"kind": "monitors", "of": "both", "watch": [{"name": "lag", "query": "lag", "at_most": 2}]},
            "stricter",
            "lag: at most 2 instead of 5",
        ),
        (
            {"kind": "monitors", "watch": [{"name": "lag", "query": "lag", "at_most": 5}]},
            {
                "kind": "monitors",
                "of": "leg before",
                "watch": [{"name": "lag", "query": "lag", "at_most": 5}],
            },
            "incomparable",
            "looks at leg before instead of target",
        ),
        (
            {"kind": "needs", "services": [{"service": "core", "at_least": "2.0"}]},
            {"kind": "needs", "services": [{"service": "core", "at_least": "1.9"}]},
            "laxer",
            "core: at least 1.9 instead of 2.0",
        ),
        (
            {"kind": "evidence", "name": "scan"},
            {"kind": "evidence", "name": "scan", "not_older": "P1D"},
            "stricter",
            "not older than 1 day instead of nothing",
        ),
        (
            {"kind": "evidence", "name": "scan", "senders": ["a", "b"]},
            {"kind": "evidence", "name": "scan", "senders": ["a"]},
            "stricter",
            "sent by a instead of a and b",
        ),
        (
            {"kind": "evidence", "name": "scan", "senders": ["a"]},
            {"kind": "evidence", "name": "scan"},
            "laxer",
            "sent by",
        ),
        (
            {"kind": "condition", "holds": "true", "otherwise": "no"},
            {"kind": "condition", "holds": "1 < 2", "otherwise": "no"},
            "incomparable",
            "1 < 2 has to hold instead of true",
        ),
    ],
)
def test_two_policies_beside_each_other(first, second, found, says):
    """With the reason in words."""
    line = compared(policy(first), policy(second)).rules[0]
    assert (line.order, says in line.says.lower() or says in line.says) == (found, True)


def test_an_heir_adds_and_tightens_and_never_loosens():
    """What holds is the baseline with the heir's own; every looser rule is named with its place."""
    baseline = policy({"kind": "soak", "at_least": "PT24H"}, SECURITY)
    heir = policy({"kind": "soak", "at_least": "PT48H"})
    both = inherited(baseline, heir)
    assert [rule.id for rule in both.rules] == ["r0", "r1"]
    assert both.rules[0] == heir.rules[0]
    assert loosened(baseline, heir) == []
    for rule, reason in (
        (
            {"kind": "soak", "at_least": "PT2H"},
            "r0 is not as strict as in Live: at least 2 h instead of 1 day",
        ),
        ({"kind": "sameness"}, "r0 is of the kind soak in Live, not sameness"),
    ):
        ((place, said),) = loosened(baseline, policy(rule))
        assert place.startswith("/rules/0")
        assert said == reason


FREEZE = {
    "kind": "freeze",
    "windows": [{"name": "w", "from": "2026-03-10T00:00", "until": "2026-03-11T00:00"}],
}
HOURS = {"kind": "hours", "open": [{"days": ["TU"], "from": "07:00", "until": "12:00"}]}
PACE = {"kind": "pace", "one_at_a_time": True}


def needs(**services: str) -> dict[str, Any]:
    """The rule that others run there already, at least in some version."""
    asked = [{"service": name, "at_least": version} for name, version in services.items()]
    return {"kind": "needs", "services": asked}


@pytest.mark.parametrize(
    ("first", "second"),
    [
        (FREEZE | {"passes": ["urgent"]}, FREEZE),
        (FREEZE | {"passes": ["urgent", "rollback"]}, FREEZE | {"passes": ["urgent"]}),
        (HOURS, HOURS | {"holiday_calendars": ["off"]}),
        (HOURS | {"holiday_calendars": ["off"]}, HOURS | {"holiday_calendars": ["off", "feasts"]}),
        (PACE | {"services": ["app"]}, PACE),
        (PACE | {"services": ["app"]}, PACE | {"services": ["app", "web"]}),
        ({"kind": "origin", "signed": True}, {"kind": "origin", "signed": True, "branches": ["main"]}),
        ({"kind": "origin", "branches": ["main", "fix/*"]}, {"kind": "origin", "branches": ["main"]}),
        (needs(core="1.2"), needs(core="1.3")),
        (needs(core="1.2"), needs(core="1.2", web="2")),
    ],
)
def test_what_is_let_in_or_asked_for_is_counted_from_either_side(first, second):
    """The second of each is the stricter; an heir could loosen what this took the other way round."""
    assert compared(policy(first), policy(second)).order is Order.STRICTER
    assert compared(policy(second), policy(first)).order is Order.LAXER
    assert compared(policy(first), policy(first)).order is Order.EQUAL


def test_versions_that_are_the_same_ask_for_the_same():
    """However they are written."""
    assert compared(policy(needs(core="1.2")), policy(needs(core="1.2.0"))).order is Order.EQUAL
