"""Inspection from files alone, by exit code and in words."""

import json
import subprocess
import sys
from pathlib import Path
from typing import get_args

import pytest
import structlog
from click.testing import Result
from tests.core.cases import AT, facts, policy, words
from typer.testing import CliRunner

from dogana.cli.main import COMMANDS, app_of
from dogana.core.inspect.engine import what_is_shown
from dogana.core.record.canonical import canonical
from dogana.sources.reports import FORMATS, Format
from dogana_client import commands

SEATS = {"kind": "reviewers", "seats": [{"group": "desk"}]}
NIGHT = {
    "kind": "hours",
    "zone": "Europe/Rome",
    "open": [{"days": ["WE"], "from": "07:00", "until": "17:00"}],
}


def dogana(*arguments: str) -> Result:
    kept = structlog.get_config()
    try:
        return CliRunner().invoke(app_of(COMMANDS), arguments)
    finally:
        structlog.configure(**kept)


@pytest.fixture
def files(tmp_path: Path):
    def write(*rules, spoken=()):
        made, known = policy(*rules), facts()
        (tmp_path / "policy.json").write_text(json.dumps(made.plain()))
        (tmp_path / "facts.json").write_text(json.dumps(known.plain()))
        (tmp_path / "decisions.json").write_text(json.dumps(words(made, known, *spoken).plain()))
        return [f"--{name}={tmp_path / f'{name}.json'}" for name in ("policy", "facts", "decisions")]

    return write


@pytest.mark.thorough
@pytest.mark.parametrize(
    ("rules", "spoken", "code", "said"),
    [
        ([SEATS], ("ann",), 0, "Cleared. Cleared: nothing stands in its way."),
        ([SEATS], (), 1, "Held. Waits for one seat (release desk)."),
        (
            [{"kind": "needs", "services": [{"service": "core", "at_least": "1.0"}]}],
            (),
            2,
            "Barred. core does not run in Live; should be at least 1.0.",
        ),
    ],
)
def test_inspect_answers_by_exit_code_and_sentence(files, rules, spoken, code, said):
    """Without a database, a setting or a clock."""
    command = [sys.executable, "-m", "dogana", "inspect", *files(*rules, spoken=spoken)]
    done = subprocess.run([*command, f"--at={AT.isoformat()}"], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stdout.splitlines()[-1]) == (code, said)


@pytest.mark.parametrize(
    ("document", "said"),
    [
        ("{}", "document/format: has to be given"),
        ("no policy", "document: not JSON"),
        (json.dumps(policy(SEATS).plain() | {"inherits": "live"}), "whose rules are not in it"),
    ],
)
def test_a_policy_within_another_document_is_read_or_refused(files, tmp_path, document, said):
    """That is to come, or that something was said under; never half of it."""
    given = files(SEATS, spoken=("ann",))
    begins = AT.replace(day=11).isoformat()
    coming = {"at": begins, "environment": "live", "version": 2, "document": document}
    (tmp_path / "facts.json").write_text(json.dumps(facts().plain() | {"next_policies": [coming]}))
    refused = dogana("forecast", *given, f"--at={AT.isoformat()}")
    assert (refused.exit_code, said in refused.stderr) == (64, True), refused.stderr
    coming["document"] = canonical(policy(NIGHT)).decode()
    (tmp_path / "facts.json").write_text(json.dumps(facts().plain() | {"next_policies": [coming]}))
    assert "closed by closed hours" in dogana("forecast", *given, f"--at={AT.isoformat()}").stdout
    spoken = json.loads((tmp_path / "decisions.json").read_text())
    spoken["earlier"] = {"sha256:" + "a" * 64: document}
    (tmp_path / "decisions.json").write_text(json.dumps(spoken))
    refused = dogana("inspect", *given, f"--at={AT.isoformat()}")
    assert (refused.exit_code, "decisions.json/earlier/sha256:aaaa" in refused.stderr) == (64, True)


def test_the_whole_sheet_comes_as_json_with_the_digests_of_what_it_is_from(files):
    """So that a decision can be replayed elsewhere."""
    done = dogana("inspect", *files(SEATS), f"--at={AT.isoformat()}", "--json")
    sheet = json.loads(done.stdout)
    assert sheet["shown"] == what_is_shown(policy(SEATS), facts()).plain()
    assert sheet["policy"] == policy(SEATS).digest


def test_forecast_names_what_closes_each_stretch_and_the_first_start(files):
    """On the policy's own wall clock."""
    done = dogana("forecast", *files(NIGHT), f"--at={AT.isoformat()}")
    first, second, *_, last = done.stdout.splitlines()
    assert done.exit_code == 1
    assert first == "Tue 10 Mar 13:00, Rome to Wed 11 Mar 07:00, Rome: closed by closed hours"
    assert second == "Wed 11 Mar 07:00, Rome to Wed 11 Mar 17:00, Rome: open"
    assert last == "First start: Wed 11 Mar 07:00, Rome."


def test_a_slot_and_a_horizon_may_be_asked_for(files):
    """What is open too short is passed over; what lies beyond is not in sight."""
    given = [*files(NIGHT), f"--at={AT.isoformat()}"]
    assert "none in sight" in dogana("forecast", *given, "--slot=700", "--horizon=30").stdout
    assert dogana("forecast", *given, "--slot=600", "--horizon=30").exit_code == 1


@pytest.mark.parametrize(
    ("start", "slot", "code", "said"),
    [
        ("2026-03-11T08:00+01:00", 60, 0, "A start at Wed 11 Mar 08:00, Rome: time allows it."),
        ("2026-03-11T16:30+01:00", 60, 1, "A start at Wed 11 Mar 16:30, Rome: held by closed hours."),
        ("2027-01-01T00:00Z", 0, 64, "outside the horizon"),
    ],
)
def test_a_proposed_start_is_answered_with_what_would_hold_it(files, start, slot, code, said):
    """The whole slot has to fit."""
    at = f"--at={AT.isoformat()}"
    done = dogana("forecast", *files(NIGHT), at, f"--start={start}", f"--slot={slot}")
    assert done.exit_code == code
    assert said in done.stdout + done.stderr


def test_how_strict_one_policy_is_beside_another(tmp_path: Path):
    """By exit code, and rule by rule in words."""

    def file(name: str, *rules) -> str:
        path = tmp_path / name
        path.write_text(json.dumps(policy(*rules).plain() | {"title": name}))
        return str(path)

    one = {"kind": "reviewers", "seats": [{"group": "security"}]}
    rehearsal = file("Rehearsal", one, NIGHT)
    live = file("Live", {**one, "seats": [{"group": "security", "count": 2}]}, NIGHT, {"kind": "sameness"})
    done = dogana("policy", "compare", live, rehearsal)
    assert done.exit_code == 0
    assert "stricter  Rule 0 (reviewers): Needs 2 from security instead of 1 from security" in done.stdout
    assert "Asks as well: Rule 2." in done.stdout
    assert done.stdout.endswith("Live is stricter than Rehearsal.\n")
    assert dogana("policy", "compare", rehearsal, live).exit_code == 1
    other = file("Other", {**one, "when": "kind == 'urgent'"}, NIGHT, {"kind": "sameness"})
    assert dogana("policy", "compare", other, live).exit_code == 1
    assert dogana("policy", "compare", other, rehearsal).exit_code == 2


def test_an_heir_is_checked_and_inspected_with_its_baseline(files, tmp_path: Path):
    """A laxer rule is refused with its place; what the baseline asks for is asked for."""
    files(SEATS)
    baseline = tmp_path / "baseline.json"
    baseline.write_text(json.dumps(policy({**SEATS, "comment": "required"}, NIGHT).plain()))
    heir = tmp_path / "policy.json"
    heir.write_text(json.dumps(policy(SEATS).plain() | {"inherits": "live"}))
    done = dogana("policy", "check", str(heir), f"--baseline={baseline}")
    assert done.exit_code == 64
    assert "policy.json/rules/0: r0 is not as strict as in Live: a comment is optional" in done.stderr
    bare = {"format": "dogana.policy/1", "title": "Live", "zone": "Europe/Rome", "inherits": "live"}
    heir.write_text(json.dumps(bare))
    given = [f"--policy={heir}", f"--baseline={baseline}", f"--facts={tmp_path / 'facts.json'}"]
    done = dogana("inspect", *given, f"--at={AT.isoformat()}")
    assert done.exit_code == 1
    assert "Outside its hours" in done.stdout


def test_unusable_files_end_with_64_and_the_place(files, tmp_path: Path):
    """In the policy, in the facts, in the instant."""
    good = files(SEATS)
    assert dogana("inspect", *good, "--at=tomorrow").exit_code == 64
    (tmp_path / "facts.json").write_text('{"service": 3}')
    done = dogana("inspect", *good)
    assert done.exit_code == 64
    assert "facts.json/service: " in done.stderr
    (tmp_path / "policy.json").write_text("rules: [")
    done = dogana("inspect", *good)
    assert done.exit_code == 64
    assert "line 1" in done.stderr


@pytest.mark.parametrize("of", ["policy", "facts", "decisions"])
def test_the_schemas_are_published(of: str):
    """JSON Schema 2020-12, named by format."""
    schema = json.loads(dogana("policy", "schema", f"--of={of}").stdout)
    assert schema["$id"] == f"urn:dogana.{of}/{2 if of == 'facts' else 1}"


def test_a_policy_that_inherits_is_held_against_nothing_without_its_baseline(files, tmp_path: Path):
    """Nobody could tell what it asks for: no verdict, no forecast, no comparison."""
    options = files(SEATS, spoken=("ann",))
    document = {**json.loads((tmp_path / "policy.json").read_text()), "inherits": "guarded"}
    (tmp_path / "policy.json").write_text(json.dumps(document))
    (tmp_path / "guarded.json").write_text(json.dumps(policy({"kind": "sameness", "id": "same"}).plain()))
    at, baseline = f"--at={AT.isoformat()}", f"--baseline={tmp_path / 'guarded.json'}"
    for command in ("inspect", "forecast"):
        refused = dogana(command, *options, at)
        assert (refused.exit_code, "inherits from guarded" in refused.output) == (64, True)
        assert dogana(command, *options, at, baseline).exit_code in (0, 1)
    own = str(tmp_path / "policy.json")
    assert dogana("policy", "compare", own, own).exit_code == 64
    assert dogana("policy", "compare", own, own, baseline).exit_code == 0


TWICE = """{"format": "dogana.policy/1", "title": "T", "zone": "Etc/UTC",
 "rules": [{"id": "a", "kind": "sameness", "title": "A",
 "advisory": true, "advisory": false}]}"""
MERGED = """base: &b {kind: sameness}
format: dogana.policy/1
title: T
zone: Etc/UTC
rules:
- {<<: {kind: sameness}, id: a, title: A}
"""


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (TWICE, "advisory stands twice (line 3, column 20)"),
        ("title: A\ntitle: B\n", "title stands twice (line 2, column 1)"),
        (MERGED, "merge keys are not read (line 6, column 4)"),
        ("a: &x 1\nb: *x\n", "aliases are not read (line 2, column 4)"),
        ("? [a, b]\n: 1\n", "a key is a text (line 1, column 3)"),
    ],
)
def test_what_could_be_read_in_two_ways_is_refused_with_its_place(tmp_path: Path, text: str, said: str):
    """In YAML and in JSON alike."""
    (tmp_path / "policy").write_text(text)
    refused = dogana("policy", "check", str(tmp_path / "policy"))
    assert (refused.exit_code, said in refused.output) == (64, True), refused.output


def test_facts_in_which_a_key_stands_twice_are_refused(files, tmp_path: Path):
    """The second would silently win."""
    options = files(SEATS, spoken=("ann",))
    text = (tmp_path / "facts.json").read_text()
    (tmp_path / "facts.json").write_text(text.replace('"service":', '"requester": "nobody", "service":', 1))
    refused = dogana("inspect", *options, f"--at={AT.isoformat()}")
    assert (refused.exit_code, "requester stands twice" in refused.output) == (64, True)


def test_the_formats_of_the_command_line_are_those_of_the_server():
    """The command line does not load the readers, so it lists them itself."""
    form = next(one for one in commands.attach.params if one.name == "form")
    assert tuple(form.type.choices) == get_args(Format) == tuple(FORMATS)
