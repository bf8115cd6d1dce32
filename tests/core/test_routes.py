"""Which releases an urgent route lets in, what it says to the others, and which change lets more through."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from dogana.core.routes import LetsIn, Route

REFUSED = [
    ({"at_least": "2.0.0"}, "1.9.9", "it lets in 2.0.0 and later"),
    ({"at_least": "2.0.0"}, "2.0.0-rc.1", "it lets in 2.0.0 and later"),
    ({"below": "3.0.0"}, "3.0.0", "it lets in what is below 3.0.0"),
    ({"below": "3.0.0"}, "3.0.0+build", "it lets in what is below 3.0.0"),
    ({"patches_only": True}, "1.3.0", "it lets in patches of what runs there, 1.2.0 or 1.2.1"),
    ({"patches_only": True}, "1.2.0", "it lets in patches of what runs there, 1.2.0 or 1.2.1"),
    ({"patches_only": True}, "2.2.5", "it lets in patches of what runs there, 1.2.0 or 1.2.1"),
    ({"branches": ["fix/*", "main"]}, "1.2.2", "its source must be on fix/* or main"),
    ({}, "latest", "latest is no version"),
]
RUNS = ["1.2.0", "1.2.1"]


@pytest.mark.parametrize(("rules", "version", "reason"), REFUSED)
def test_who_may_not_take_it_is_told_why(rules: dict, version: str, reason: str):
    against = LetsIn.model_validate(rules).against(version, RUNS, ("work/banner",))
    assert against is not None
    assert against.startswith(reason) or "version" in against


@pytest.mark.parametrize(
    ("rules", "version"),
    [
        ({}, "9.0.0"),
        ({"at_least": "1.0.0", "below": "2.0.0"}, "1.0.0"),
        ({"patches_only": True}, "1.2.1"),
        ({"patches_only": True}, "1.2.10"),
        ({"branches": ["fix/*"]}, "1.2.2"),
    ],
)
def test_what_keeps_every_rule_is_let_in(rules: dict, version: str):
    assert LetsIn.model_validate(rules).against(version, RUNS, ("fix/valve",)) is None


def test_where_nothing_runs_there_is_nothing_to_patch():
    """A first release has no business on the urgent route."""
    against = LetsIn(patches_only=True).against("1.0.0", [], ())
    assert against == "it lets in patches of what runs there, and nothing does"


@pytest.mark.parametrize("wrong", [{"at_least": "soon"}, {"below": ""}, {"branch": ["main"]}])
def test_rules_that_cannot_be_meant_are_refused(wrong: dict):
    with pytest.raises(ValidationError):
        LetsIn.model_validate(wrong)


NAMES = "abcd"


@st.composite
def routes(draw):
    """A standard route over some of four environments, in any legs, with any of them enough alone."""
    on = draw(st.lists(st.sampled_from(NAMES), min_size=1, unique=True))
    cuts = draw(st.lists(st.booleans(), min_size=len(on) - 1, max_size=len(on) - 1))
    legs = [[on[0]]]
    for name, cut in zip(on[1:], cuts, strict=True):
        if cut:
            legs.append([name])
        else:
            legs[-1].append(name)
    enough = draw(st.sets(st.integers(0, len(legs) - 1)))
    return Route.model_validate({"title": "R", "legs": legs, "one_is_enough": sorted(enough)})


def entered(route: Route, name: str, landed: set[str]) -> bool:
    """Whether one that landed in some environments may go on into another, as the legs say it."""
    legs = [set(leg) for leg in route.legs]
    at = next((n for n, leg in enumerate(legs) if name in leg), None)
    if at is None:
        return False
    return at == 0 or (
        bool(legs[at - 1] & landed) if at - 1 in route.one_is_enough else legs[at - 1] <= landed
    )


@given(routes(), routes(), st.sets(st.sampled_from(NAMES)))
def test_a_route_that_asks_for_no_less_lets_nothing_in_that_the_other_keeps_out(new, old, landed):
    """Wherever a release has landed; and every route asks for no less than itself."""
    assert old.asks_no_less(old)
    if new.asks_no_less(old):
        for name in NAMES:
            assert not entered(new, name, landed) or entered(old, name, landed)


VERSIONS = ["1.0.0", "1.2.0", "1.2.1", "2.0.0"]
RULES = st.builds(
    LetsIn,
    at_least=st.none() | st.sampled_from(VERSIONS),
    below=st.none() | st.sampled_from(VERSIONS),
    patches_only=st.booleans(),
    branches=st.lists(st.sampled_from(["main", "fix/*", "fix/valve"]), max_size=2).map(tuple),
    waivable=st.none() | st.sampled_from(["desk", "field"]),
)


@given(RULES, RULES, st.sampled_from(VERSIONS), st.sampled_from(["main", "fix/valve", "work"]))
def test_rules_that_let_in_no_more_let_nothing_in_that_the_others_refuse(new, old, version, branch):
    assert old.lets_in_no_more(old)
    urgent, was = (
        Route.model_validate({"title": "U", "legs": [["a"]], "lets_in": one.plain()}) for one in (new, old)
    )
    assert urgent.asks_no_less(was) == new.lets_in_no_more(old)
    if new.lets_in_no_more(old):
        assert new.against(version, RUNS, (branch,)) or not old.against(version, RUNS, (branch,))
        assert new.waivable in (None, old.waivable)


@pytest.mark.parametrize(
    ("legs", "enough", "looser"),
    [
        ([["a"], ["b"], ["c", "d"]], [], False),
        ([["a"], ["b", "c", "d"]], [], True),
        ([["b"], ["a"], ["c", "d"]], [], True),
        ([["a"], ["c", "d"]], [], True),
        ([["a"], ["b"], ["c"]], [], False),
        ([["a"], ["b"], ["c"], ["d"]], [], True),
        ([["a"], ["b"], ["c", "d"], ["e"]], [], True),
        ([["a"], ["b"], ["c", "d"]], [2], False),
        ([["a", "e"], ["b"], ["c", "d"]], [], True),
    ],
)
def test_which_changes_of_a_route_ask_for_less(legs: list, enough: list, looser: bool):
    """Than Bench, Rehearsal, and the two live ones side by side."""
    was = Route.model_validate({"title": "R", "legs": [["a"], ["b"], ["c", "d"]]})
    new = Route.model_validate({"title": "R", "legs": legs, "one_is_enough": enough})
    assert new.asks_no_less(was) is not looser
    urgent = Route.model_validate({"title": "R", "legs": [["a"], ["b"], ["c", "d"]], "lets_in": {}})
    assert not urgent.asks_no_less(was)
    assert not was.asks_no_less(urgent)
