"""An empty PostgreSQL, an empty environment with the wheel, and the commands of the documents."""

import re
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.conftest import ROOT, running_cluster

from dogana.demo.cluster import APPLICATION, OWNER, Cluster

RUNNING = (ROOT / "docs" / "running.md").read_text()


def block(name: str) -> str:
    """The commands of docs/running.md that go by a name, as they stand."""
    (found,) = re.findall(rf"^```sh {name}\n(.*?)^```$", RUNNING, re.MULTILINE | re.DOTALL)
    return found


@pytest.fixture(scope="session")
def empty() -> Iterator[Cluster]:
    """A cluster in which nobody has made anything yet."""
    with running_cluster("empty") as cluster:
        drop = f"DROP ROLE {OWNER}; DROP ROLE {APPLICATION}"
        subprocess.run(["psql", "-qc", drop, cluster.superuser_url("postgres")], check=True)
        yield cluster


@pytest.fixture(scope="session")
def released(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the wheels in `dist`, as CI makes them, and the documents beside it."""
    folder = tmp_path_factory.mktemp("released")
    for name in ("pyproject.toml", "setup.py", "README.md", "LICENSE"):
        shutil.copy(ROOT / name, folder)
    skip = shutil.ignore_patterns("__pycache__", "*.egg-info", "node_modules")
    for name in ("src", "client", "scripts", "docs", "web/build"):
        shutil.copytree(ROOT / name, folder / name, ignore=skip)
    (folder / ".venv").symlink_to(ROOT / ".venv")
    make = "set -euo pipefail; source scripts/bootstrap.sh; make_wheels dist"
    subprocess.run(["bash", "-c", make], cwd=folder, check=True, capture_output=True)
    return folder
