"""`dogana test`: every check, in the order in which a fault is cheapest to find."""

import os
import subprocess
import sys
import time
from dataclasses import dataclass
from pathlib import Path

from rich.console import Console


@dataclass(frozen=True, kw_only=True)
class Step:
    """One check."""

    name: str
    command: tuple[str, ...]
    folder: str = "."


_PATIENCE_SECONDS = 1500
_BIN = Path(sys.executable).parent
STEPS = (
    Step(name="format", command=(str(_BIN / "ruff"), "format", "--check", "src", "tests")),
    Step(name="lint", command=(str(_BIN / "ruff"), "check", "src", "tests")),
    Step(name="types", command=(str(_BIN / "mypy"),)),
    Step(name="layers", command=(str(_BIN / "lint-imports"),)),
    Step(name="front-end-types", command=("npm", "run", "--silent", "check"), folder="web"),
    Step(name="front-end-tests", command=("npm", "run", "--silent", "test"), folder="web"),
    Step(name="tests", command=(sys.executable, "-m", "pytest", "-n2", "--durations=8")),
)


def run_checks(root: Path, only: str | None) -> int:
    """Run all steps, or one; all of them run even when one fails.

    Returns:
        0 when all passed, 1 otherwise, 64 for an unknown step.
    """
    console = Console(highlight=False)
    steps = [step for step in STEPS if only in (None, step.name)]
    if not steps:
        console.print(f"Steps are {', '.join(step.name for step in STEPS)}.")
        return 64
    failed = []
    for step in steps:
        console.print(f"[bold]{step.name}[/bold]")
        began = time.monotonic()
        environment = {**os.environ, "NO_COLOR": "1", "PYTHONDONTWRITEBYTECODE": "1"}
        try:
            done = subprocess.run(
                step.command, cwd=root / step.folder, env=environment, check=False, timeout=_PATIENCE_SECONDS
            )
            outcome = "passed" if done.returncode == 0 else "FAILED"
        except subprocess.TimeoutExpired:
            outcome = "FAILED, given up"
        console.print(f"  {outcome} in {time.monotonic() - began:.0f} s")
        if outcome != "passed":
            failed.append(step.name)
    console.print(f"Failed: {', '.join(failed)}." if failed else "Everything passed.")
    return 1 if failed else 0
