"""Inspection from files alone, by exit code and in words."""

import json
import subprocess
import sys
from pathlib import Path

import pytest
from tests.core.cases import AT, facts, policy, words

from dogana.core.inspect.engine import what_is_shown

SEATS = {"kind": "reviewers", "seats": [{"group": "desk"}]}
NIGHT = {
    "kind": "hours",
    "zone": "Europe/Rome",
    "open": [{"days": ["WE"], "from": "07:00", "until": "17:00"}],
}


def dogana(*arguments: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "dogana", *arguments]
    return subprocess.run(command, capture_output=True, text=True, check=False)


@pytest.fixture
def files(tmp_path: Path):
    def write(*rules, spoken=()):
        made, known = policy(*rules), facts()
        (tmp_path / "policy.json").write_text(json.dumps(made.plain()))
        (tmp_path / "facts.json").write_text(json.dumps(known.plain()))
        (tmp_path / "decisions.json").write_text(json.dumps(words(made, known, *spoken).plain()))
        return [f"--{name}={tmp_path / f'{name}.json'}" for name in ("policy", "facts", "decisions")]

    return write


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
    done = dogana("inspect", *files(*rules, spoken=spoken), f"--at={AT.isoformat()}")
    assert (done.returncode, done.stdout.splitlines()[-1]) == (code, said)


def test_the_whole_sheet_comes_as_json_with_the_digests_of_what_it_is_from(files):
    """So that a decision can be replayed elsewhere."""
    done = dogana("inspect", *files(SEATS), f"--at={AT.isoformat()}", "--json")
    sheet = json.loads(done.stdout)
    assert sheet["shown"] == what_is_shown(policy(SEATS), facts()).plain()
    assert sheet["policy"] == policy(SEATS).digest


def test_forecast_names_what_closes_each_stretch_and_the_first_start(files):
    """On the policy's own wall clock."""
    done = dogana("forecast", *files(NIGHT), f"--at={AT.isoformat()}")
    first, *_, last = done.stdout.splitlines()
    assert done.returncode == 1
    assert first == "Tue 10 Mar 13:00, Rome to Wed 11 Mar 07:00, Rome: closed hours (r0)"
    assert last == "First start: Wed 11 Mar 07:00, Rome."


def test_a_slot_and_a_horizon_may_be_asked_for(files):
    """What is open too short is passed over; what lies beyond is not in sight."""
    given = [*files(NIGHT), f"--at={AT.isoformat()}"]
    assert "none in sight" in dogana("forecast", *given, "--slot=700", "--horizon=30").stdout
    assert dogana("forecast", *given, "--slot=600", "--horizon=30").returncode == 1


def test_unusable_files_end_with_64_and_the_place(files, tmp_path: Path):
    """In the policy, in the facts, in the instant."""
    good = files(SEATS)
    assert dogana("inspect", *good, "--at=tomorrow").returncode == 64
    (tmp_path / "facts.json").write_text('{"service": 3}')
    done = dogana("inspect", *good)
    assert done.returncode == 64
    assert "facts.json/service: " in done.stderr
    (tmp_path / "policy.json").write_text("rules: [")
    done = dogana("inspect", *good)
    assert done.returncode == 64
    assert "line 1" in done.stderr


@pytest.mark.parametrize("of", ["policy", "facts", "decisions"])
def test_the_schemas_are_published(of: str):
    """JSON Schema 2020-12, named by format."""
    schema = json.loads(dogana("policy", "schema", f"--of={of}").stdout)
    assert schema["$id"] == f"urn:dogana.{of}/1"
