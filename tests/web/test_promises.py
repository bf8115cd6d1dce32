"""What is promised in writing is held by tests that are there."""

import re

from tests.conftest import ROOT


def test_every_promise_names_tests_that_are_there():
    """A test that was renamed or taken away leaves no promise behind."""
    written = (ROOT / "docs" / "security.md").read_text()
    held = "\n".join(path.read_text() for path in (ROOT / "tests").rglob("test_*.py"))
    there = set(re.findall(r"def (test_\w+)", held))
    named = set(re.findall(r"`(?:tests/[\w/]+\.py::)?(test_\w+)`", written))
    assert len(named) > 30
    assert named <= there
    for path in set(re.findall(r"`(tests/[\w/]+\.py)", written)):
        assert (ROOT / path).is_file(), path


def test_each_line_of_the_list_has_one_of_three_states_and_a_reason():
    """Met, not applicable or open; nothing is left blank, no chapter left out."""
    rows = re.findall(
        r"^\| ([\d., -]+) \| ([\w/]+) \| (.+) \|$", (ROOT / "docs" / "asvs.md").read_text(), re.MULTILINE
    )
    assert {state for _, state, _ in rows} == {"met", "n/a", "open"}
    assert all(len(why) > 5 for _, _, why in rows)
    assert {int(lines.split(".")[0]) for lines, _, _ in rows} == {*range(1, 15)}
