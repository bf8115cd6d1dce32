"""`dogana test`: every check, those that take one processor two at a time, then the tests on both.

It ends within eight minutes. What goes through whole processes, servers and views is marked `thorough` and
left to where nobody waits; pytest by itself leaves nothing out.
"""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from rich.console import Console


@dataclass(frozen=True, kw_only=True)
class Step:
    """One check."""

    name: str
    command: tuple[str, ...]
    folder: str = "."
    seeded: bool = False
    """Whether what it draws by lot is drawn by the files as committed."""


_PATIENCE_SECONDS = 5400
"""For a machine at a quarter of its speed."""
_LAST_WORDS_SECONDS = 60
_AT_ONCE = 2
_BIN = Path(sys.executable).parent
ALONE = (
    Step(name="types", command=(str(_BIN / "mypy"),)),
    Step(name="front-end-types", command=("npm", "run", "--silent", "check"), folder="web"),
    Step(name="front-end-tests", command=("npm", "run", "--silent", "test"), folder="web"),
    Step(name="layers", command=(str(_BIN / "lint-imports"),)),
    Step(name="lint", command=(str(_BIN / "ruff"), "check", "src", "tests")),
    Step(name="format", command=(str(_BIN / "ruff"), "format", "--check", "src", "tests")),
)
"""Longest first, so that neither processor waits for the other at the end."""
_PYTEST = (sys.executable, "-m", "pytest", "--durations=8")
_THOROUGH = os.environ.get("DOGANA_THOROUGH") == "1"
_QUICK = () if _THOROUGH else ("-m", "not nightly and not thorough")
TOGETHER = (Step(name="tests", command=(*_PYTEST, "-n2", "--no-loadscope-reorder", *_QUICK), seeded=True),)
"""In order: what needs a browser comes first and takes one processor, the rest the other and then both."""

NIGHTLY = Step(name="nightly", command=(sys.executable, "-m", "pytest", "-m", "nightly", "tests/web"))
"""Ten minutes of whatever a fuzzer thinks of; run by name alone."""


def run_checks(root: Path, only: str | None) -> int:
    """Run all steps, or one; all of them run even when one fails.

    Returns:
        0 when all passed, 1 otherwise, 64 for an unknown step.
    """
    console = Console(highlight=False)
    names = [step.name for step in (*ALONE, *TOGETHER, NIGHTLY)]
    if only not in (None, *names):
        console.print(f"Steps are {', '.join(names)}.")
        return 64
    failed = []
    for steps in (ALONE, TOGETHER, (NIGHTLY,) if only == NIGHTLY.name else ()):
        for step, said, outcome in _outcomes(root, [step for step in steps if only in (None, step.name)]):
            console.print(f"[bold]{step.name}[/bold]")
            sys.stdout.write(said)
            console.print(f"  {outcome}")
            if not outcome.startswith("passed"):
                failed.append(step.name)
    whole = (
        "Everything passed."
        if _THOROUGH
        else "Passed, but for what DOGANA_THOROUGH=1 and .ci/run run as well."
    )
    console.print(f"Failed: {', '.join(failed)}." if failed else whole)
    return 1 if failed else 0


def _seeds(root: Path) -> list[str]:
    """What draws the order of the tests and the examples of the properties: the files as committed.

    One tree is tested in one order wherever it is, so that a failure can be seen again; the next in another.
    """
    asked = ("git", "rev-parse", "--short=8", "HEAD^{tree}")
    said = subprocess.run(asked, cwd=root, check=False, capture_output=True, text=True)
    seed = int(said.stdout.strip() or "0", 16)
    return [f"--randomly-seed={seed}", f"--hypothesis-seed={seed}"]


def _outcomes(root: Path, steps: Sequence[Step]) -> Iterator[tuple[Step, str, str]]:
    """Each step with what it printed and how it went; one alone prints as it goes."""
    shown = len(steps) == 1
    with ThreadPoolExecutor(_AT_ONCE) as pool:
        for step, (said, outcome) in zip(
            steps, pool.map(partial(_outcome, root, shown=shown), steps), strict=True
        ):
            yield step, said, outcome


def _outcome(root: Path, step: Step, *, shown: bool) -> tuple[str, str]:
    began = time.monotonic()
    # Dozens of commands and servers are started; each would compile everything that it imports.
    environment = {**os.environ, "NO_COLOR": "1", "PYTHONDONTWRITEBYTECODE": ""}
    with subprocess.Popen(
        [*step.command, *(_seeds(root) if step.seeded else ())],
        cwd=root / step.folder,
        env=environment,
        text=True,
        stdout=None if shown else subprocess.PIPE,
        stderr=None if shown else subprocess.STDOUT,
    ) as process:
        try:
            said = process.communicate(timeout=_PATIENCE_SECONDS)[0] or ""
            outcome = "passed" if process.returncode == 0 else "FAILED"
        except subprocess.TimeoutExpired:
            said, outcome = _last_words(process), "FAILED, given up"
    return said, f"{outcome} in {time.monotonic() - began:.0f} s"


def _last_words(process: subprocess.Popen[str]) -> str:
    """What it has to say for itself when it is interrupted: which tests had failed by then."""
    process.send_signal(signal.SIGINT)
    try:
        said, _ = process.communicate(timeout=_LAST_WORDS_SECONDS)
    except subprocess.TimeoutExpired:
        process.kill()
        said, _ = process.communicate()
    return said or ""
