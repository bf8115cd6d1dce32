"""Which releases an urgent route lets in, and what it says to the others."""

import pytest
from pydantic import ValidationError

from dogana.core.routes import LetsIn

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
