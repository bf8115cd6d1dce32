"""Every bench runs to its end: how quick it was is another matter, and none of a test's."""

import json
import subprocess
import sys

import pytest

SHORT = {
    "core": (),
    "intake": ("--seconds=1",),
    "rehearsal": ("--promotions=200",),
    "growth": ("--entries=1000",),
    "desk": (),
    "estate": (),
}


@pytest.mark.thorough
@pytest.mark.parametrize("name", SHORT)
def test_a_bench_tells_its_figures(name):
    """As JSON, with 0 where every limit is kept and 1 where one is not."""
    command = [sys.executable, "-m", "dogana", "bench", name, "--json", *SHORT[name]]
    done = subprocess.run(command, capture_output=True, text=True, timeout=400, check=False)
    assert done.returncode in {0, 1}, done.stderr[-2000:]
    figures = json.loads(done.stdout)
    assert figures, "it measured something"
    if name == "growth":
        assert [size["entries"] for size in figures["sizes"]] == [1000]
        assert all(size["verify"] > 0 and size["approvals"] > 0 for size in figures["sizes"])
