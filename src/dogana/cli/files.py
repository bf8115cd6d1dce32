"""What several commands do alike: read a file, and refuse what cannot be used with exit 64."""

from pathlib import Path
from typing import NoReturn

import typer

from dogana.core.policy.document import Policy, PolicyError, read_policy

UNUSABLE = 64


def refuse(message: str) -> NoReturn:
    """Say why the input cannot be used, and end."""
    typer.echo(message, err=True)
    raise typer.Exit(UNUSABLE)


def text_of(path: Path) -> str:
    """A file's text."""
    try:
        return path.read_text()
    except (OSError, UnicodeDecodeError) as exc:
        refuse(f"{path} cannot be read: {exc}")


def policy_of(path: Path) -> Policy:
    """The policy in a file; every fault is named with its place."""
    try:
        return read_policy(text_of(path))
    except PolicyError as exc:
        refuse("\n".join(f"{path}{place}: {reason}" for place, reason in exc.faults))
