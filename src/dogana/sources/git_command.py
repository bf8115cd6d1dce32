"""Running the git command: in one repository and no other, for a while and no longer, and for so much."""

import asyncio
import os
from collections.abc import Sequence
from pathlib import Path

from dogana.core.errors import RepositoryError
from dogana.sources.history import TooMuchError

_SECONDS = 20.0
_MOST_SAID = 4 << 20


class SaidNothingError(RepositoryError):
    """Git failed without a word, as it does when it was only asked whether something is there."""


async def git(
    folder: Path,
    *arguments: str,
    both: bool = False,
    most: int = _MOST_SAID,
    config: Sequence[tuple[str, str]] = (),
) -> str:
    """What git says in a folder.

    Args:
        folder: the repository that it is asked in.
        arguments: what it is asked.
        both: whether what it says on standard error belongs to it.
        most: bytes beyond which nothing is taken.
        config: settings for this once.

    Raises:
        SaidNothingError: when it failed without a word.
        RepositoryError: when it failed, with its last line, or took too long.
        TooMuchError: when it says more.
    """
    process = await asyncio.create_subprocess_exec(
        "git",
        "-c",
        f"safe.directory={folder}",
        "-c",
        "log.showSignature=false",
        "-C",
        str(folder),
        *arguments,
        env=_as_environment(folder, config),
        stdin=asyncio.subprocess.DEVNULL,
        stdout=asyncio.subprocess.PIPE,
        stderr=asyncio.subprocess.PIPE,
    )
    try:
        async with asyncio.timeout(_SECONDS):
            out, err = await asyncio.gather(_read(process.stdout, most), _read(process.stderr, most))
            await process.wait()
    except TimeoutError as exc:
        raise RepositoryError(f"git took longer than {_SECONDS:.0f} s over {folder.name}") from exc
    finally:
        if process.returncode is None:
            process.kill()
            await process.wait()
    if process.returncode != 0:
        said = err.decode(errors="replace").strip().splitlines()
        raise RepositoryError(said[-1]) if said else SaidNothingError("git failed")
    return (out + err if both else out).decode(errors="replace")


async def _read(stream: asyncio.StreamReader | None, most: int) -> bytes:
    """All a process says.

    Raises:
        TooMuchError: when that is more than some bytes; cut, it would say something else.
    """
    out = bytearray()
    while stream is not None and (part := await stream.read(1 << 16)):
        out += part
        if len(out) > most:
            raise TooMuchError
    return bytes(out)


_ELSEWHERE = frozenset(
    {
        "GIT_ALTERNATE_OBJECT_DIRECTORIES",
        "GIT_COMMON_DIR",
        "GIT_DIR",
        "GIT_INDEX_FILE",
        "GIT_NAMESPACE",
        "GIT_OBJECT_DIRECTORY",
        "GIT_WORK_TREE",
    }
)
"""What would have git read another repository than the one that it is asked for."""


def _as_environment(folder: Path, config: Sequence[tuple[str, str]]) -> dict[str, str]:
    """Settings for git that show in no list of processes; it asks for no password and looks nowhere above."""
    out = {name: value for name, value in os.environ.items() if name not in _ELSEWHERE}
    out |= {
        "GIT_CEILING_DIRECTORIES": str(folder.parent),
        "GIT_TERMINAL_PROMPT": "0",
        "GIT_NO_REPLACE_OBJECTS": "1",
        "GIT_CONFIG_COUNT": str(len(config)),
    }
    for n, (key, value) in enumerate(config):
        out |= {f"GIT_CONFIG_KEY_{n}": key, f"GIT_CONFIG_VALUE_{n}": value}
    return out
