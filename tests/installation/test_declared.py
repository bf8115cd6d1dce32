"""What the wheels say they need is what they import: nothing that happens to lie about here."""

import ast
import re
import sys
import tomllib
from collections.abc import Iterator
from importlib.metadata import packages_distributions
from pathlib import Path

import pytest
from tests.conftest import ROOT

import dogana
import dogana_client

EXTRA = ("demo", "bench", "standins", "cli/checks.py")
"""What comes with an extra of its own, and what runs from a checkout alone."""
PINNED = {"pydantic-core": "pydantic"}
"""What another package brings in the one version that it works with."""


def imported(folder: Path, *, but: tuple[str, ...] = ()) -> Iterator[str]:
    """Every package that modules of a folder import, by its top name."""
    for path in folder.rglob("*.py"):
        if path.relative_to(folder).as_posix().startswith(but):
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Import):
                yield from (one.name.partition(".")[0] for one in node.names)
            elif isinstance(node, ast.ImportFrom) and node.level == 0:
                yield (node.module or "").partition(".")[0]


def needed(project: Path, *extras: str) -> set[str]:
    """The distributions that a project declares."""
    declared = tomllib.loads(project.read_text())["project"]
    lines = [*declared["dependencies"]]
    for extra in extras:
        lines += declared["optional-dependencies"][extra]
    return {re.split(r"[\[>=<~! ]", line)[0].lower().replace("_", "-") for line in lines}


def test_both_wheels_are_of_one_version():
    """Whoever installs the client of a release gets what belongs to its server."""
    assert dogana.__version__ == dogana_client.__version__


@pytest.mark.thorough
@pytest.mark.parametrize(
    ("folder", "project", "but", "extras"),
    [
        ("src/dogana", "pyproject.toml", EXTRA, ()),
        ("src/dogana", "pyproject.toml", (), ("demo", "bench")),
        ("src/dogana_client", "client/pyproject.toml", (), ()),
    ],
)
def test_what_is_imported_is_declared(folder: str, project: str, but, extras):
    """Of each wheel by itself, and of the server's with its extras."""
    ours, known = {"dogana", "dogana_client", "__future__"}, packages_distributions()
    declared = needed(ROOT / project, *extras)
    for name in {*imported(ROOT / folder, but=but)} - ours - sys.stdlib_module_names:
        found = {one.lower().replace("_", "-") for one in known[name]}
        found = {PINNED.get(one, one) for one in found}
        assert found & declared, f"{name} comes with {found}, which {project} does not name"
