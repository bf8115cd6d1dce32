"""One look at a course gives one move: never on without knowing, never beyond what was cleared."""

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.health.drawn import BEGAN, EVERY, SHARE, counts, look, requests, sample

from dogana.core.health import course
from dogana.core.health.course import FOLLOWED_IN, CourseState, Move
from dogana.core.health.on_record import MoveOnRecord, replayed
from dogana.core.health.readings import Arm
from dogana.core.health.watches import LevelWatch
from dogana.core.record.canonical import digest_bytes
from dogana.core.rollout import Plan, Step

HOLD = timedelta(minutes=5)
STEPS = (Step(share=5, hold=HOLD), Step(share=50, hold=HOLD, by="person"), Step(share=100, hold=HOLD))
PLAN = Plan(steps=STEPS, on_breach="roll back", without_data="halt")
GENTLE = PLAN.model_copy(update={"on_breach": "halt", "without_data": "go on"})
LEVEL = LevelWatch(name="lag", query="lag", at_most=5.0, looks=1)
AFTER = BEGAN + HOLD + timedelta(seconds=1)


def at_step(step: int = 0, share: int | None = None, watches=(SHARE,), **more) -> CourseState:
    """A course whose share was reached when it began."""
    state = course.begun(watches, BEGAN).model_copy(update={"step": step})
    state = course.reported(PLAN, state, STEPS[step].share if share is None else share, BEGAN)
    return state.model_copy(update=more)


def fed(state: CourseState, share: float, looks: int = 31, watches=(SHARE,)) -> CourseState:
    return course.seen(watches, state, requests(share, 100, looks))


GOOD, BAD = fed(at_step(), 0.0), fed(at_step(), 0.2)


def test_it_goes_on_when_its_hold_is_over_and_all_is_within():
    """And not a second sooner."""
    early = course.move(PLAN, [SHARE], GOOD, AFTER - timedelta(seconds=2))
    assert (early.move, early.share) == (Move.WAIT, 5)
    moved = course.move(PLAN, [SHARE], GOOD, AFTER)
    assert (moved.move, moved.share) == (Move.GO_ON, 50)
    assert moved.because == "5 % was held for 5 min and errors is within; 50 % is next."


def test_what_is_not_known_waits_and_says_for_how_much():
    """In requests and minutes."""
    little = fed(at_step(), 0.0, 5)
    moved = course.move(PLAN, [SHARE], little, BEGAN + timedelta(seconds=50))
    assert moved.move is Move.WAIT
    unsure = fed(at_step(), 0.006, 31)
    moved = course.move(PLAN, [SHARE], unsure, AFTER)
    assert moved.move is Move.WAIT
    assert moved.because.startswith("Not known yet: errors (")
    one_look = course.seen([SHARE], at_step(), [look(29, counts(0, 0)), look(30, counts(0, 90))])
    assert "more requests" in course.move(PLAN, [SHARE], one_look, AFTER).because
    assert "at today's traffic" in course.move(PLAN, [SHARE], one_look, AFTER).because


def test_a_breach_takes_it_back_at_once():
    """While its hold still lasts, and though a person says to go on."""
    for let_go_on in (False, True):
        for held in (None, "closed for storms"):
            moved = course.move(PLAN, [SHARE], BAD, BEGAN + 31 * EVERY, let_go_on=let_go_on, held=held)
            assert (moved.move, moved.share) == (Move.ROLL_BACK, 0)
            assert moved.because == "Errors left its limit; it is taken back."


def test_a_breach_that_halts_halts_once_and_then_stands_still():
    """Until a person lets it go on, and then it is watched from the beginning."""
    moved = course.move(GENTLE, [SHARE], BAD, AFTER)
    assert (moved.move, moved.share) == (Move.HALT, 5)
    halted = BAD.model_copy(update={"halted": "errors left its limit"})
    assert course.move(GENTLE, [SHARE], halted, AFTER).move is Move.WAIT
    assert course.move(PLAN, [SHARE], halted, AFTER).move is Move.ROLL_BACK
    again = course.released(halted, [SHARE], AFTER)
    moved = course.move(GENTLE, [SHARE], again, AFTER)
    assert moved.because == "5 % is held for another 5 min."
    assert (moved.move, moved.known["errors"].requests) == (Move.WAIT, 0)


@pytest.mark.parametrize(
    ("plan", "expected"), [(PLAN, Move.HALT), (GENTLE, Move.GO_ON)], ids=["halt", "go on"]
)
def test_silence_is_what_the_plan_says_and_never_within(plan, expected):
    """A minute without anything new; the reason stands in the sentence."""
    gone = course.seen([SHARE], GOOD, [look(31, unknown="the metrics server did not answer in 5 s")])
    later = BEGAN + timedelta(minutes=8)
    assert course.move(plan, [SHARE], gone, later).move is expected
    never = at_step(unused=None)
    assert course.move(plan, [SHARE], never, later).move is expected
    if expected is Move.HALT:
        told = course.move(plan, [SHARE], gone, later).because
        assert told.startswith("Nothing is heard of errors: the metrics server did not answer in 5 s")


def test_an_order_that_is_not_followed_halts():
    """After its time; and nothing goes on before it was followed."""
    state = course.begun([], BEGAN)
    assert course.move(PLAN, [], state, BEGAN + FOLLOWED_IN).move is Move.WAIT
    late = course.move(PLAN, [], state, BEGAN + FOLLOWED_IN + EVERY)
    assert late.move is Move.HALT
    assert "did not set 5 %" in late.because
    not_yet = course.reported(PLAN, state, 0, BEGAN + EVERY)
    assert course.move(PLAN, [], not_yet, BEGAN + 2 * EVERY).because == "The deployer has still to set 5 %."


@pytest.mark.parametrize(
    ("step", "followed", "share", "why"),
    [
        (0, True, 50, "50 % was not ordered: it is 5 %"),
        (0, False, 3, "3 % was not ordered: it is 5 %"),
        (1, False, 30, "30 % was not ordered: it is 50 %"),
        (1, True, 5, "5 % is over: it is 50 %"),
        (2, False, 5, "5 % is over: it is 100 %"),
        (2, True, 0, "0 % was not ordered: it is 100 %"),
    ],
)
def test_no_share_is_taken_that_is_not_ordered_or_not_any_more(step, followed, share, why):
    """More than that nobody cleared; a report that comes late or twice takes nothing back."""
    state = at_step(step)
    if not followed:
        state = state.model_copy(update={"reached_at": None})
    with pytest.raises(ValueError, match=why):
        course.reported(PLAN, state, share, BEGAN)


def test_until_an_order_is_followed_the_share_before_it_may_be_told():
    state = at_step(1).model_copy(update={"reached_at": None, "reported": 5})
    assert course.reported(PLAN, state, 5, BEGAN).reached_at is None
    assert course.reported(PLAN, state, 50, BEGAN).reached_at == BEGAN


def test_a_step_of_a_persons_waits_for_one():
    """And the last is over only when all is within, whoever says so."""
    middle = fed(at_step(1), 0.0)
    assert course.move(PLAN, [SHARE], middle, AFTER).because == "After 50 % somebody has to let it go on."
    assert course.move(PLAN, [SHARE], middle, AFTER, let_go_on=True).share == 100
    last = fed(at_step(2), 0.0)
    assert course.move(PLAN, [SHARE], last, AFTER).move is Move.DONE
    unsure = fed(at_step(2), 0.006)
    assert course.move(PLAN, [SHARE], unsure, AFTER, let_go_on=True).move is Move.WAIT
    assert course.move(PLAN, [SHARE], fed(at_step(), 0.006), AFTER, let_go_on=True).share == 50


def test_a_freeze_holds_the_next_step():
    """Never the way back, which is tested above."""
    moved = course.move(PLAN, [SHARE], GOOD, AFTER, held="closed for storms until Mon 07:00")
    assert (moved.move, moved.because) == (
        Move.WAIT,
        "The next step is held: closed for storms until Mon 07:00.",
    )


def test_a_deployer_that_steps_by_itself_is_followed():
    """The step is the one whose share holds what it says."""
    state = course.begun([SHARE], BEGAN)
    for share, step, reached in ((1, 0, False), (5, 0, True), (20, 1, False), (50, 1, True), (100, 2, True)):
        state = course.followed(PLAN, state, share, BEGAN)
        assert (state.step, state.reached_at is not None) == (step, reached)


@pytest.mark.thorough
@given(
    step=st.integers(0, 2),
    share=st.sampled_from([0.0, 0.006, 0.2]),
    levels=st.lists(st.sampled_from(["1", "9", "NaN"]), max_size=3),
    seconds=st.integers(0, 4000),
    halted=st.sampled_from([None, "somebody said so"]),
    on_breach=st.sampled_from(["halt", "roll back"]),
    without_data=st.sampled_from(["go on", "halt", "roll back"]),
    held=st.sampled_from([None, "a freeze"]),
    let_go_on=st.booleans(),
)
def test_it_never_goes_on_past_anything_bad(
    step, share, levels, seconds, halted, on_breach, without_data, held, let_go_on
):
    """Whatever else is true of it: the shares stay those of the plan, and every move is one it may make."""
    watches = (SHARE, LEVEL)
    plan = PLAN.model_copy(update={"on_breach": on_breach, "without_data": without_data})
    state = fed(at_step(step, watches=watches, halted=halted), share, 20, watches)
    looks = [look(n, Arm(level=(sample(one),)), monitor="lag") for n, one in enumerate(levels)]
    state = course.seen(watches, state, looks)
    at = BEGAN + timedelta(seconds=seconds)
    moved = course.move(plan, watches, state, at, held=held, let_go_on=let_go_on)
    verdicts = {one.verdict for one in moved.known.values()}
    silent = any(course.silent_at(one, state, at) for one in watches)
    if moved.move in (Move.GO_ON, Move.DONE):
        assert "breached" not in verdicts
        assert not halted
        assert not held
        assert seconds >= HOLD.total_seconds()
        assert let_go_on or verdicts == {"within"} or (silent and without_data == "go on")
    assert moved.share == {
        Move.ROLL_BACK: 0,
        Move.GO_ON: STEPS[min(step + 1, 2)].share,
    }.get(moved.move, STEPS[step].share)
    if "breached" in verdicts and on_breach == "roll back":
        assert moved.move is Move.ROLL_BACK


def test_it_says_of_which_monitors_it_is_not_known_whether_they_are_within():
    """Though a person lets it go on, or silence does not hold it: nobody may read that all was well."""
    both = (SHARE, LEVEL)
    good = fed(at_step(watches=both), 0.0, watches=both)
    said = course.move(GENTLE, both, good, AFTER)
    assert (said.move, said.because) == (
        Move.GO_ON,
        "5 % was held for 5 min and errors is within; whether lag is within is not known; 50 % is next.",
    )
    nothing = course.move(PLAN, [SHARE], fed(at_step(), 0.006), AFTER, let_go_on=True)
    assert nothing.because == "5 % was held for 5 min; whether errors is within is not known; 50 % is next."
    silent = course.move(GENTLE, [LEVEL], at_step(2, watches=(LEVEL,)), AFTER + timedelta(hours=1))
    assert (silent.move, silent.because) == (
        Move.DONE,
        "100 % was held for 5 min; whether lag is within is not known.",
    )


def test_what_was_said_at_first_is_made_again_as_it_was():
    """Moves on record replay in the words of their format."""
    made = {"at": AFTER, "plan": PLAN, "watches": (SHARE,), "let_go_on": True}
    made["state"] = unsure = fed(at_step(), 0.006)
    words = {
        "dogana.move/1": "5 % was held for 5 min and errors is within; 50 %",
        "dogana.move/2": "5 % was held for 5 min; whether errors is within is not known; 50 %",
    }
    for form, other in (("dogana.move/1", "dogana.move/2"), ("dogana.move/2", "dogana.move/1")):
        moved = course.move(PLAN, [SHARE], unsure, AFTER, let_go_on=True, of_all=form == "dogana.move/1")
        assert moved.because.startswith(words[form])
        text = MoveOnRecord(format=form, moved=moved, **made).model_dump_json()
        assert replayed(digest_bytes(text.encode()), text) is None
        changed = text.replace(form, other)
        assert "it comes out as" in (replayed(digest_bytes(changed.encode()), changed) or "")
