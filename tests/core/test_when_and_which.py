"""Notice, versions, needs and readiness: each setting by itself, on either side of where it turns."""

from datetime import timedelta

import pytest
from tests.core.cases import AT, facts, finding_of, policy

from dogana.core.traffic import Prepared

MINUTE, HOUR = timedelta(minutes=1), timedelta(hours=1)


@pytest.mark.parametrize(
    ("rule", "asked_ago", "outcome"),
    [
        ({"at_least": "PT2H"}, 2 * HOUR, "met"),
        ({"at_least": "PT2H"}, 2 * HOUR - MINUTE, "pending"),
        ({"at_most": "PT2H"}, 2 * HOUR - MINUTE, "met"),
        ({"at_most": "PT2H"}, 2 * HOUR, "unmet"),
        ({"at_least": "PT1H", "at_most": "PT2H"}, MINUTE, "pending"),
        ({"at_least": "PT1H", "at_most": "PT2H"}, HOUR, "met"),
        ({"at_least": "PT1H", "at_most": "PT2H"}, 3 * HOUR, "unmet"),
        ({"at_least": "PT1H"}, -HOUR, "pending"),
        ({"slot": "PT1H"}, MINUTE, "met"),
    ],
)
def test_notice_is_over_and_then_too_late(rule, asked_ago, outcome):
    assert finding_of({"kind": "notice", **rule}, known=facts(requested_at=AT - asked_ago)).outcome == outcome


@pytest.mark.parametrize(
    ("rule", "version", "runs", "outcome"),
    [
        ({}, "1.2.0", {}, "met"),
        ({}, "1.2.0", {"app": "1.2.0"}, "met"),
        ({}, "1.2.0", {"app": "1.3.0"}, "unmet"),
        ({}, "1.2.0", {"other": "1.3.0"}, "met"),
        ({}, "1.2.0", {"app": "nightly"}, "unknown"),
        ({}, "nightly", {}, "unmet"),
        ({"going_back": "allowed"}, "1.2.0", {"app": "1.3.0"}, "met"),
        ({"going_back": "allowed"}, "1.2.0", {"app": "nightly"}, "met"),
        ({"at_least": "1.2.0"}, "1.2.0", {}, "met"),
        ({"at_least": "1.2.0"}, "1.2.0-rc.1", {}, "unmet"),
        ({"at_least": "1.2.0", "going_back": "allowed"}, "1.1.9", {}, "unmet"),
        ({"below": "2.0.0"}, "1.99.0", {}, "met"),
        ({"below": "2.0.0"}, "2.0.0", {}, "unmet"),
        ({"at_least": "1.0.0", "below": "2.0.0"}, "0.9.0", {}, "unmet"),
        ({"at_least": "1.10.0"}, "1.9.0", {}, "unmet"),
    ],
)
def test_a_version_is_let_in_by_where_it_stands(rule, version, runs, outcome):
    """A rollback goes back whatever the rule says of that, and is held to the rest."""
    rule = {"kind": "versions", **rule}
    assert finding_of(rule, known=facts(version=version, runs=runs)).outcome == outcome
    back = finding_of(rule, known=facts(version=version, runs={"app": "9.0.0"}, kind="rollback")).outcome
    assert back == ("met" if finding_of(rule, known=facts(version=version)).outcome == "met" else "unmet")


@pytest.mark.parametrize(
    ("runs", "outcome"),
    [
        ({"core": "2.0.0", "db": "5.0.0"}, "met"),
        ({"core": "2.0.1", "db": "5.1.0"}, "met"),
        ({"core": "1.9.9", "db": "5.0.0"}, "unmet"),
        ({"core": "2.0.0-rc.1", "db": "5.0.0"}, "unmet"),
        ({"core": "2.0.0"}, "unmet"),
        ({}, "unmet"),
        ({"core": "nightly", "db": "5.0.0"}, "unknown"),
        ({"core": "nightly", "db": "4.0.0"}, "unmet"),
    ],
)
def test_what_it_needs_runs_there(runs, outcome):
    """Every one of them; what is known to be missing outweighs what cannot be told."""
    needs = [{"service": "core", "at_least": "2.0.0"}, {"service": "db", "at_least": "5.0.0"}]
    assert finding_of({"kind": "needs", "services": needs}, known=facts(runs=runs)).outcome == outcome


@pytest.mark.parametrize(
    ("rule", "ago", "outcome"),
    [
        ({}, 99 * HOUR, "met"),
        ({}, None, "pending"),
        ({}, -HOUR, "unknown"),
        ({"within": "PT1H"}, HOUR - MINUTE, "met"),
        ({"within": "PT1H"}, HOUR, "pending"),
        ({"within": "PT1H"}, None, "pending"),
    ],
)
def test_it_was_made_ready_lately_enough(rule, ago, outcome):
    prepared = None if ago is None else Prepared(at=AT - ago, by="A deployer")
    assert finding_of({"kind": "prepared", **rule}, known=facts(prepared=prepared)).outcome == outcome


@pytest.mark.parametrize("given", [{}, {"at_least": "PT0S"}, {"at_least": "PT2H", "at_most": "PT2H"}])
def test_notice_that_asks_for_nothing_or_cannot_be_kept_is_refused(given):
    with pytest.raises(ValueError, match=r"give at_least|must be longer"):
        policy({"kind": "notice", **given})
