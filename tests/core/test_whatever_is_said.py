"""Any words in any order, about facts of which any part is unread: a sheet each time, and a sound one."""

import copy
from datetime import timedelta
from operator import itemgetter

from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.test_kinds import CELLS
from tests.core.test_less_known import FACTS, READ, at
from tests.limits import examples

from dogana.bench.cases import AT, full_policy
from dogana.core.decisions import Decision, Decisions
from dogana.core.document import SKEW
from dogana.core.facts import Facts
from dogana.core.inspect.engine import inspect, look_ahead, what_is_shown
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.policy.document import policy_from
from dogana.core.rules.findings import Finding, Outcome

ADVISED = {"kind": "reviewers", "seats": [{"group": "desk", "count": 3}], "advisory": True, "lasts": "PT1H"}
IN_ORDER = {
    "kind": "reviewers",
    "seats": [{"group": "security"}, {"people": ["p1", "p2"]}],
    "in_order": True,
    "lasts": "PT2H",
    "let_authors_decide": True,
}
PLAIN = full_policy().plain()
MORE = {"second": IN_ORDER, "third": ADVISED} | {f"cell-{n}": rule for n, (rule, _) in enumerate(CELLS)}
RULES = [*PLAIN["rules"], *({"id": name, "title": name, **rule} for name, rule in MORE.items())]
POLICY = policy_from(PLAIN | {"rules": [rule | {"waivable": "security"} for rule in RULES]})
KNOWN = Facts.model_validate(FACTS)
LESS = KNOWN.model_copy(update={"artifacts": KNOWN.artifacts[:-1]})
PEOPLE = st.sampled_from(["p0", "p1", "p2", "p3", "p38", "p39", "nobody"])
MINUTES = st.integers(-400, 5)


@st.composite
def speeches(draw):
    """One person's word, or several about a waiver, with their minutes."""
    minute, action = (
        draw(MINUTES),
        draw(st.sampled_from(["approve"] * 3 + ["retract", "turn back", *[""] * 4])),
    )
    if action:
        stands_in_for = draw(st.none() | PEOPLE) if action == "approve" else None
        return [(minute, {"action": action, "person": draw(PEOPLE), "on_behalf_of": stands_in_for})]
    rule = draw(st.sampled_from([rule.id for rule in POLICY.rules] + ["r0", "second", "third"] * 3))
    until = AT + timedelta(minutes=draw(st.integers(-10, 6000)))
    asked = {"action": "ask waiver", "until": until, "comment": "It cannot wait"}
    after = draw(st.lists(st.sampled_from(["grant waiver", "grant waiver", "revoke waiver"]), max_size=3))
    about = [asked, *({"action": one} for one in after)]
    return [(minute + n, {"person": draw(PEOPLE), "rule": rule, **one}) for n, one in enumerate(about)]


@st.composite
def words(draw):
    """What people say one after the other, each of what they were shown, which may be other than it is."""
    said = sorted((one for some in draw(st.lists(speeches(), max_size=6)) for one in some), key=itemgetter(0))
    seen = [draw(st.sampled_from([KNOWN] * 5 + [LESS])) for _ in said]
    return Decisions(
        made=tuple(
            Decision(at=AT + timedelta(minutes=minute), shown=what_is_shown(POLICY, known), **word)
            for (minute, word), known in zip(said, seen, strict=True)
        )
    )


def sound(sheet: Sheet, spoken: Decisions) -> None:
    """What is let go has a granted waiver and its end; what is cleared has nothing in its way."""
    in_the_way = [one for one in sheet.findings if one.outcome.stands_in_the_way and not one.advisory]
    assert (sheet.verdict is Verdict.CLEARED) == (not in_the_way)
    waived = [one for one in sheet.findings if one.outcome is Outcome.WAIVED]
    assert all(let_go(one, sheet, spoken) for one in waived)
    taken = [seat for seat in sheet.seats() if seat.taken_by]
    assert not {seat.rule for seat in taken} & {one.rule for one in waived}
    for advisory in (False, True):
        of_part = {one.rule for one in sheet.findings if one.advisory is advisory}
        sitting = [seat.taken_by for seat in taken if seat.rule in of_part]
        assert len(sitting) == len(set(sitting))
    assert not {"p38", "nobody"} & {seat.taken_by for seat in taken}


def let_go(one: Finding, sheet: Sheet, spoken: Decisions) -> bool:
    """Whether two people let a rule go, until later than now."""
    waiver, said = one.waiver, [word for word in spoken.made if word.rule == one.rule]
    ends = sheet.next_change()
    return (
        waiver is not None
        and waiver.asked_by != waiver.granted_by
        and any(word.action == "grant waiver" and word.person == waiver.granted_by for word in said)
        and one.holds_until == waiver.until > sheet.at
        and (ends is not None and ends <= waiver.until)
    )


@settings(max_examples=examples(400), deadline=None)
@given(words(), st.sets(st.sampled_from(READ), max_size=4), st.sampled_from([0, 1, 30, 3000]))
def test_every_sheet_is_sound(spoken, unread, hours):
    """Now and later; what lies ahead can be told as well, and nothing is waived beyond its end."""
    plain = copy.deepcopy(FACTS)
    for path in unread:
        at(plain, path).pop("value", None)
        at(plain, path)["unknown"] = "it cannot be reached"
    known = Facts.model_validate(plain)
    then = AT + SKEW + timedelta(hours=hours)
    sound(inspect(POLICY, known, spoken, then), spoken)
    ahead = look_ahead(POLICY, known, spoken, then)
    if ahead.first_start is not None:
        assert ahead.first_start >= then
