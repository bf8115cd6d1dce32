"""Rules about time against each other: what a finding says now, the forecast must say of the same instant."""

from datetime import timedelta

from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.cases import AT, facts, landing, policy, words
from tests.limits import examples

from dogana.core.facts import NextPolicy
from dogana.core.inspect.engine import inspect, look_ahead
from dogana.core.record.canonical import canonical
from dogana.core.rules.findings import Outcome

ZONES = st.sampled_from(["Europe/Rome", "America/Halifax", "Asia/Kathmandu"])
DAYS = st.lists(
    st.sampled_from(["MO", "TU", "WE", "TH", "FR", "SA", "SU"]), min_size=1, max_size=4, unique=True
)
WALL = st.sampled_from(["00:00", "02:30", "07:00", "12:15", "17:00", "23:45"])
MINUTES = st.integers(1, 3000).map(lambda n: f"PT{n}M")


@st.composite
def freezes(draw):
    start = AT.replace(tzinfo=None) + timedelta(minutes=draw(st.integers(-2000, 4000)))
    until = start + timedelta(minutes=draw(st.integers(1, 3000)))
    once = {"name": "once", "from": start.isoformat(), "until": until.isoformat()}
    again = {
        "name": "again",
        "every": draw(
            st.sampled_from(["FREQ=DAILY", "FREQ=WEEKLY;BYDAY=TU,SA", "FREQ=MONTHLY;BYMONTHDAY=-1"])
        ),
        "starting": "2026-01-01T21:00:00",
        "lasting": draw(MINUTES),
    }
    return {
        "kind": "freeze",
        "zone": draw(ZONES),
        "windows": draw(st.sampled_from([[once], [again], [once, again]])),
    }


@st.composite
def hours(draw):
    span = {"days": draw(DAYS), "from": draw(WALL), "until": draw(WALL)}
    holidays = [{"date": "2026-03-11", "name": "a holiday"}] if draw(st.booleans()) else []
    return {"kind": "hours", "zone": draw(ZONES), "open": [span], "holidays": holidays}


@st.composite
def timetables(draw):
    departures = {"days": draw(DAYS), "at": draw(st.lists(WALL, min_size=1, max_size=3)), "grace": "PT20M"}
    return {"kind": "hours", "zone": draw(ZONES), "departures": departures}


rules = st.one_of(
    freezes(),
    hours(),
    timetables(),
    MINUTES.map(lambda span: {"kind": "notice", "at_least": span}),
    MINUTES.map(lambda span: {"kind": "soak", "at_least": span}),
    st.tuples(MINUTES, st.integers(1, 3), MINUTES).map(
        lambda t: {"kind": "pace", "gap": t[0], "at_most": t[1], "per": t[2]}
    ),
)
known = st.tuples(st.integers(0, 3000), st.lists(st.integers(1, 3000), max_size=4)).map(
    lambda t: facts(
        leg_before=(landing(t[0] / 60),),
        traffic=[
            {
                "service": "other",
                "version": "1",
                "departed_at": AT - timedelta(minutes=n),
                "arrived_at": AT - timedelta(minutes=n) + timedelta(seconds=30),
            }
            for n in t[1]
        ],
    )
)


@settings(max_examples=examples(150), deadline=None)
@given(st.lists(rules, min_size=1, max_size=4), known)
def test_findings_and_forecast_agree_at_every_turn(chosen, facts_):
    """At each instant a stretch begins or ends, a rule is pending exactly where it closes the forecast."""
    made = policy(*chosen)
    spoken = words(made, facts_)
    ahead = look_ahead(made, facts_, spoken, AT, horizon=timedelta(days=4))
    turns = {AT, *(c.start for c in ahead.closings), *(c.end for c in ahead.closings)}
    for at in sorted(turn for turn in turns if turn < ahead.end)[:25]:
        closing = {c.rule for c in ahead.closings if c.start <= at < c.end}
        pending = {f.rule for f in inspect(made, facts_, spoken, at).findings if f.outcome is Outcome.PENDING}
        assert pending == closing


@settings(max_examples=examples(150), deadline=None)
@given(st.lists(rules, min_size=1, max_size=4), known)
def test_nothing_is_pending_at_the_first_start_and_something_is_a_minute_before(chosen, facts_):
    """The first start is a start, and the first."""
    made = policy(*chosen)
    spoken = words(made, facts_)
    start = look_ahead(made, facts_, spoken, AT).first_start
    if start is None:
        return
    assert all(f.outcome is Outcome.MET for f in inspect(made, facts_, spoken, start).findings)
    if start > AT:
        before = max(AT, start - timedelta(minutes=1))
        outcomes = [f.outcome for f in inspect(made, facts_, spoken, before).findings]
        assert Outcome.PENDING in outcomes


@settings(max_examples=examples(100), deadline=None)
@given(rules, known)
def test_what_clears_at_an_instant_is_clear_then(rule, facts_):
    """A finding's promise is kept by the same rule at that instant."""
    made = policy(rule)
    spoken = words(made, facts_)
    (finding,) = inspect(made, facts_, spoken, AT).findings
    if finding.clears_at is not None:
        (then,) = inspect(made, facts_, spoken, finding.clears_at).findings
        assert then.outcome is Outcome.MET


@settings(max_examples=examples(150), deadline=None)
@given(*[st.lists(rules, min_size=1, max_size=3)] * 2, st.integers(1, 5000), known)
def test_the_forecast_goes_by_the_policy_that_holds_then(chosen, following, minutes, facts_):
    """At each instant what closes is what would be pending then; the first start is the first open one."""
    first, then = policy(*chosen), policy(*following)
    spoken, begins = words(first, facts_), AT + timedelta(minutes=minutes)
    to_come = NextPolicy(at=begins, environment="live", version=2, document=canonical(then).decode())
    foreseen = facts_.model_copy(update={"next_policies": (to_come,)})
    ahead = look_ahead(first, foreseen, spoken, AT, horizon=timedelta(days=4))
    alone = [look_ahead(one, facts_, spoken, AT, horizon=timedelta(days=4)) for one in (first, then)]
    edges = {edge for one in (ahead, *alone) for c in one.closings for edge in (c.start, c.end)}
    turns = sorted(at for at in {AT, begins, *edges} if AT <= at < ahead.end)
    for at in turns[:25]:
        holds = first if at < begins else then
        pending = {
            f.rule for f in inspect(holds, facts_, spoken, at).findings if f.outcome is Outcome.PENDING
        }
        assert {c.rule for c in ahead.closed_by(at)} == pending
    assert ahead.first_start == next((at for at in turns if not ahead.closed_by(at)), None)
