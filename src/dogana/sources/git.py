"""Git repositories below one folder, read with the git command; nothing in them is ever run."""

import asyncio
import re
from datetime import datetime
from pathlib import Path

from dogana.clock import Clock
from dogana.core.errors import RepositoryError
from dogana.core.facts import Change, Commit, FileChange, Origin, Reading, SourceTag

_REVISION = re.compile(r"^[0-9A-Za-z][0-9A-Za-z._/+-]{0,199}$")
_TICKET = re.compile(r"(?<![0-9A-Za-z-])[A-Z][A-Z0-9]{1,9}-[0-9]{1,7}(?![0-9A-Za-z-])")
_SECONDS = 20.0
_MOST_COMMITS = 1000
_MOST_FILES = 5000
_REVIEWERS = "%(trailers:key=Reviewed-by,valueonly,separator=%x1d)"
_MAIL = re.compile(r"<([^<>\s]+@[^<>\s]+)>")
_SIGNER = re.compile(r'(?:GOODSIG [0-9A-F]+|Good "git" signature for) (\S+@\S+|[^\n]+)')
_TAG = "%(refname:lstrip=2)%(if)%(contents:signature)%(then) signed%(end)"
_MOST_REFS = 200
_FIELDS = 6
_BINARY = "-"


def ticket_keys(text: str) -> frozenset[str]:
    """The ticket keys a text names, such as `CW-1204`."""
    return frozenset(_TICKET.findall(text))


class GitRepositories:
    """Repositories named by their path below `root`."""

    def __init__(self, root: Path, clock: Clock) -> None:
        self._root = root
        self._clock = clock

    async def resolve(self, repository: str, revision: str) -> str:
        """The full commit id of a branch, tag or abbreviated id.

        Raises:
            RepositoryError: when the repository is not below the root, or has no such commit.
        """
        if not _REVISION.match(revision) or ".." in revision:
            raise RepositoryError(f"{revision!r} is not a revision")
        try:
            found = await self._git(repository, "rev-parse", "--verify", "--quiet", f"{revision}^{{commit}}")
        except RepositoryError as exc:
            raise RepositoryError(f"{repository} has no commit {revision}") from exc
        return found.strip()

    async def change(self, repository: str, base: str | None, revision: str) -> Reading[Change]:
        """Commits, files and ticket keys from `base` (excluded) to `revision`.

        Args:
            repository: path below the root.
            base: a full commit id, or None to read everything up to the revision.
            revision: a full commit id.
        """
        read_at = self._clock()
        span = f"{base}..{revision}" if base else revision
        try:
            log = await self._git(
                repository,
                "log",
                f"--max-count={_MOST_COMMITS}",
                f"--format=%H%x1f%an%x1f%ae%x1f%cI%x1f{_REVIEWERS}%x1f%B%x1e",
                span,
            )
            empty_tree = await self._git(repository, "hash-object", "-t", "tree", "/dev/null")
            files = await self._git(
                repository, "diff", "--numstat", "-z", "--no-renames", base or empty_tree.strip(), revision
            )
        except RepositoryError as exc:
            return Reading(source=f"git repository {repository}", read_at=read_at, unknown=exc.detail)
        commits, keys = _commits(log)
        value = Change(
            base=base,
            revision=revision,
            commits=commits,
            files=_files(files),
            ticket_keys=tuple(sorted(keys)),
        )
        return Reading(source=f"git repository {repository}", read_at=read_at, value=value)

    async def origin(self, repository: str, revision: str) -> Reading[Origin]:
        """The branches that hold a revision, and the tags on it with who signed them.

        A signature counts only where git itself finds it good, by the keys that it is set up to trust.
        """
        read_at, source = self._clock(), f"git repository {repository}"
        try:
            branches, tags = await asyncio.gather(
                self._refs(repository, "refs/heads", "%(refname:lstrip=2)", "--contains", revision),
                self._refs(repository, "refs/tags", _TAG, "--points-at", revision),
            )
            signed = [await self._tag(repository, tag) for tag in tags]
        except RepositoryError as exc:
            return Reading(source=source, read_at=read_at, unknown=exc.detail)
        return Reading(
            source=source, read_at=read_at, value=Origin(branches=tuple(branches), tags=tuple(signed))
        )

    async def _refs(self, repository: str, kind: str, form: str, which: str, revision: str) -> list[str]:
        """A line of a form for each reference of a kind."""
        ask = ("for-each-ref", f"--count={_MOST_REFS}", f"--format={form}", which, revision, kind)
        return (await self._git(repository, *ask)).splitlines()

    async def _tag(self, repository: str, line: str) -> SourceTag:
        """A tag, and whose good signature it carries."""
        name, _, signed = line.partition(" ")
        if not signed:
            return SourceTag(name=name)
        try:
            said = await self._git(repository, "verify-tag", "--raw", f"refs/tags/{name}", both=True)
        except RepositoryError:
            return SourceTag(name=name)
        found = _SIGNER.search(said)
        return SourceTag(name=name, signed_by=found[1].strip() if found else None)

    async def _git(self, repository: str, *arguments: str, both: bool = False) -> str:
        folder = (self._root / repository).resolve()
        if not folder.is_relative_to(self._root.resolve()) or not folder.is_dir():
            raise RepositoryError(f"there is no repository {repository}")
        process = await asyncio.create_subprocess_exec(
            "git",
            "-c",
            f"safe.directory={folder}",
            "-C",
            str(folder),
            *arguments,
            stdin=asyncio.subprocess.DEVNULL,
            stdout=asyncio.subprocess.PIPE,
            stderr=asyncio.subprocess.PIPE,
        )
        try:
            async with asyncio.timeout(_SECONDS):
                out, err = await process.communicate()
        except TimeoutError as exc:
            process.kill()
            await process.wait()
            raise RepositoryError(f"git took longer than {_SECONDS:.0f} s over {repository}") from exc
        if process.returncode != 0:
            said = err.decode(errors="replace").strip().splitlines()
            raise RepositoryError(said[-1] if said else f"git failed on {repository}")
        return (out + err if both else out).decode(errors="replace")


def _commits(log: str) -> tuple[tuple[Commit, ...], frozenset[str]]:
    commits: list[Commit] = []
    keys: frozenset[str] = frozenset()
    for record in log.split("\x1e"):
        fields = record.lstrip("\n").split("\x1f")
        if len(fields) != _FIELDS:
            continue
        revision, author, email, at, reviewers, message = fields
        subject = message.strip().splitlines()[0] if message.strip() else ""
        keys |= ticket_keys(message)
        commits.append(
            Commit(
                revision=revision,
                author=author,
                author_email=email,
                subject=subject,
                at=datetime.fromisoformat(at),
                reviewed_by=tuple(_MAIL.findall(reviewers)),
            )
        )
    return tuple(commits), keys


def _files(numstat: str) -> tuple[FileChange, ...]:
    out = []
    for record in numstat.split("\0")[:_MOST_FILES]:
        if not record:
            continue
        added, removed, path = record.split("\t", 2)
        out.append(
            FileChange(
                path=path,
                added=None if added == _BINARY else int(added),
                removed=None if removed == _BINARY else int(removed),
            )
        )
    return tuple(out)
