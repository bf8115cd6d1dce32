"""Git repositories, below one folder or at an address, read with the git command; nothing in them is run.

A repository at an address is mirrored below a folder of our own and brought up to date before it is read.
"""

import asyncio
import hashlib
import re
import time
from collections import defaultdict
from collections.abc import Collection
from pathlib import Path
from typing import TypeVar
from urllib.parse import urlsplit

import httpcore

from dogana.clock import Clock
from dogana.core.change import Change, Origin, SourceTag
from dogana.core.errors import RepositoryError
from dogana.core.facts import Reading
from dogana.core.patch import CommitPatch, read_patch
from dogana.core.record.canonical import digest_bytes
from dogana.sources import history
from dogana.sources.git_command import SaidNothingError, git
from dogana.sources.history import TooMuchError
from dogana.sources.reachable import NotReachableError, Reachable
from dogana.sources.settings import RepositoryAt

_REVISION = re.compile(r"^[0-9A-Za-z][0-9A-Za-z._/+-]{0,199}$")
_SHOWN = 200
_SIGNER = re.compile(r'(?:GOODSIG [0-9A-F]+|Good "git" signature for) (\S+@\S+|[^\n]+)')
_TAG = "%(refname:lstrip=2)%(if)%(contents:signature)%(then) signed%(end)"
_PATCH = (
    *("-c", "core.quotePath=false", "show", "--format=", "--patch", "--diff-merges=first-parent"),
    *("--no-renames", "--no-ext-diff", "--no-textconv", "--no-color", "--src-prefix=a/", "--dst-prefix=b/"),
)
_MOST_REFS = 5000
_FRESH_SECONDS = 10.0
_MOST_KEPT, _MOST_HELD = 200, 10_000
_REMOTE = re.compile(r"^https?://")


K = TypeVar("K")
V = TypeVar("V")


class GitRepositories:
    """Repositories named by their path below `root`, or by an address that may be reached."""

    def __init__(
        self, root: Path, clock: Clock, mirrors: Path, reachable: Reachable, *, fresh: float = 0.0
    ) -> None:
        """Name the places.

        Args:
            root: below which repositories lie that are no address.
            clock: when something was read.
            mirrors: where those at an address are mirrored.
            reachable: where addresses may lead.
            fresh: for how many seconds it may be taken that no branch or tag has moved.
        """
        self._root = root
        self._clock = clock
        self._mirrors = mirrors
        self._reachable = reachable
        self._fetched: dict[str, float] = {}
        self._seen: dict[tuple[str, str], None] = {}
        self._read: dict[tuple[str, tuple[str, ...], str | None, str, bool], Change] = {}
        self._counted: dict[tuple[str, tuple[str, ...], str, str], int] = {}
        self._fresh = fresh
        self._pointed: dict[Path, tuple[float, str]] = {}
        self._held: dict[tuple[Path, str], str] = {}
        self._fetching: defaultdict[str, asyncio.Lock] = defaultdict(asyncio.Lock)

    async def resolve(self, at: RepositoryAt, revision: str) -> str:
        """The full commit id of a branch, tag or abbreviated id.

        Raises:
            RepositoryError: when the repository is not below the root, or has no such commit.
        """
        if not _REVISION.match(revision) or ".." in revision:
            raise RepositoryError(f"{revision!r} is not a revision")
        try:
            folder = await self._folder(at)
            found = await git(folder, "rev-parse", "--verify", "--quiet", f"{revision}^{{commit}}")
        except SaidNothingError as exc:
            raise RepositoryError(f"{at.address} has no commit {revision}") from exc
        _keep(self._seen, (at.address, found.strip()), None)
        return found.strip()

    async def head(self, at: RepositoryAt) -> str:
        """The full commit id that the repository itself points at; of one elsewhere, its own HEAD.

        Raises:
            RepositoryError: when it is no repository, or points at nothing.
        """
        folder = await self._folder(at)
        if not _REMOTE.match(at.address):
            return (await git(folder, "rev-parse", "--verify", "HEAD^{commit}")).strip()
        said = await git(folder, "ls-remote", at.address, "HEAD", config=await self._only_there(at))
        if not said.strip():
            raise RepositoryError(f"{at.address} points at no branch")
        return said.split()[0]

    def known(self, address: str, revision: str) -> str | None:
        """A full commit id that a repository is known to have had; None where it has to be asked."""
        return revision if (address, revision) in self._seen else None

    async def check(self, at: RepositoryAt, revision: str) -> Reading[bool]:
        """Whether a branch or tag still holds a revision; unknown when the repository cannot be read."""
        read_at, source = self._clock(), _source(at)
        try:
            folder = await self._folder(at)
            # Where no branch and no tag has moved, those that held it still do.
            refs = await self._all_refs(folder) if self._fresh else None
            if refs is not None and self._held.get((folder, revision)) == refs:
                return Reading(source=source, read_at=read_at, value=True)
            lost = await self._lost(folder, revision)
        except RepositoryError as exc:
            return Reading(source=source, read_at=read_at, unknown=exc.detail)
        if lost is None and refs is not None:
            _keep(self._held, (folder, revision), refs, most=_MOST_HELD)
        return Reading(source=source, read_at=read_at, value=lost is None)

    async def _all_refs(self, folder: Path) -> str | None:
        """What stands for where every branch and tag pointed a moment ago; None where it cannot be told."""
        now = time.monotonic()
        found = self._pointed.get(folder)
        if found is not None and now - found[0] < self._fresh:
            return found[1]
        try:
            listed = await git(folder, "for-each-ref", "--format=%(objectname)", "refs/heads", "refs/tags")
        except RepositoryError:
            return None
        refs = digest_bytes(listed.encode())
        _keep(self._pointed, folder, (now, refs))
        return refs

    async def _lost(self, folder: Path, revision: str) -> str | None:
        """Why a revision does not count as part of its repository; None where it does."""
        ask = ("for-each-ref", "--count=1", "--format=x", "--contains", revision, "refs/heads", "refs/tags")
        try:
            held = await git(folder, *ask)
        except RepositoryError:
            if await self._has(folder, revision):
                raise
            return f"{revision[:10]} is not in the repository any more"
        return None if held else f"no branch or tag holds {revision[:10]} any more: history was rewritten"

    async def _has(self, folder: Path, revision: str) -> bool:
        """Whether there is a commit of an id.

        Raises:
            RepositoryError: when that cannot be told: of several, or in time.
        """
        try:
            await git(folder, "rev-parse", "--verify", "--quiet", f"{revision}^{{commit}}")
        except SaidNothingError:
            return False
        return True

    async def holding(
        self, at: RepositoryAt, commit: str, revisions: Collection[str]
    ) -> Reading[tuple[str, ...]]:
        """Which of some revisions hold a commit; none where the repository has no such commit.

        Args:
            at: the repository.
            commit: a full commit id, or how one begins.
            revisions: full commit ids.
        """
        read_at, source = self._clock(), _source(at)
        try:
            folder = await self._folder(at)
            if not await self._has(folder, commit):
                return Reading(source=source, read_at=read_at, value=())
            held = [one for one in revisions if await self._is_in(folder, commit, one)]
        except RepositoryError as exc:
            return Reading(source=source, read_at=read_at, unknown=exc.detail)
        return Reading(source=source, read_at=read_at, value=tuple(held))

    async def ahead(self, at: RepositoryAt, base: str, revision: str) -> Reading[int]:
        """How many commits a revision has that another one has not; commit ids never mean anything else."""
        read_at, source = self._clock(), _source(at)
        key = (at.address, at.paths, base, revision)
        if (count := self._counted.get(key)) is None:
            try:
                folder = await self._folder(at)
                paths = ("--", *at.paths) if at.paths else ()
                said = await git(folder, "rev-list", "--count", f"{base}..{revision}", *paths)
                count = int(said)
            except RepositoryError as exc:
                return Reading(source=source, read_at=read_at, unknown=exc.detail)
            _keep(self._counted, key, count, most=_MOST_HELD)
        return Reading(source=source, read_at=read_at, value=count)

    async def _is_in(self, folder: Path, commit: str, revision: str) -> bool:
        """Whether one commit is another one's ancestor, or that one itself.

        Raises:
            RepositoryError: when that cannot be told.
        """
        try:
            await git(folder, "merge-base", "--is-ancestor", commit, revision)
        except SaidNothingError:
            return False
        return True

    async def change(
        self, at: RepositoryAt, base: str | None, revision: str, *, signatures: bool = False
    ) -> Reading[Change]:
        """Commits, files and ticket keys from `base` (excluded) to `revision`, all of them or a reason.

        Args:
            at: the repository, and the paths in it that count.
            base: a full commit id, or None to read everything up to the revision.
            revision: a full commit id.
            signatures: whether to look at the commits' signatures, which takes its time.
        """
        read_at, source = self._clock(), _source(at)
        try:
            folder = await self._folder(at)
            lost = await self._lost(folder, revision)
            if lost is None and base is not None and not await self._has(folder, base):
                lost = f"{base[:10]}, which runs in the target, is not in the repository any more"
            if lost is not None:
                return Reading(source=source, read_at=read_at, unknown=lost)
            key = (at.address, at.paths, base, revision, signatures)
            if (value := self._read.get(key)) is None:
                value = await self._between(folder, at, base, revision, signatures=signatures)
                _keep(self._read, key, value)
        except RepositoryError as exc:
            return Reading(source=source, read_at=read_at, unknown=exc.detail)
        return Reading(source=source, read_at=read_at, value=value)

    async def _between(
        self, folder: Path, at: RepositoryAt, base: str | None, revision: str, *, signatures: bool
    ) -> Change:
        span, below = (
            f"{base}..{revision}" if base else revision,
            ("--", *(f":(literal){path}" for path in at.paths)),
        )
        form = history.form(signatures=signatures)
        whole = ("--full-history",) if at.paths else ()
        log = await git(
            folder, "log", "-z", *whole, f"--format={form}", span, *below, most=history.MOST_BYTES
        )
        empty_tree = (await git(folder, "hash-object", "-t", "tree", "/dev/null")).strip()
        names = ("diff", "--numstat", "-z", "--no-renames", "--no-ext-diff", "--no-textconv")
        files = await git(folder, *names, base or empty_tree, revision, *below, most=history.MOST_BYTES)
        commits, keys = await asyncio.to_thread(history.commits_in, log, signatures=signatures)
        return Change(
            base=base,
            revision=revision,
            commits=commits,
            files=history.files_in(files),
            ticket_keys=tuple(sorted(keys)),
            signatures_read=signatures,
        )

    async def patch(self, at: RepositoryAt, revision: str) -> Reading[CommitPatch]:
        """What one commit says, and what it changed against its first parent.

        Args:
            at: the repository.
            revision: a full commit id.
        """
        read_at, source = self._clock(), _source(at)
        try:
            folder = await self._folder(at)
            message = await git(folder, "log", "--max-count=1", "--format=%B", revision)
            diff = await git(folder, *_PATCH, revision, most=history.MOST_BYTES)
        except RepositoryError as exc:
            return Reading(source=source, read_at=read_at, unknown=exc.detail)
        # Tens of megabytes may stand in one commit.
        patch = await asyncio.to_thread(read_patch, revision, message, diff)
        return Reading(source=source, read_at=read_at, value=patch)

    async def origin(self, at: RepositoryAt, revision: str) -> Reading[Origin]:
        """The branches that hold a revision, and the tags on it with who signed them.

        A signature counts only where git itself finds it good, by the keys that it is set up to trust.
        """
        read_at, source = self._clock(), _source(at)
        try:
            folder = await self._folder(at)
            branches, tags = await asyncio.gather(
                self._refs(folder, "refs/heads", "%(refname:lstrip=2)", "--contains", revision),
                self._refs(folder, "refs/tags", _TAG, "--points-at", revision),
            )
            signed = [await self._tag(folder, tag) for tag in tags]
        except RepositoryError as exc:
            return Reading(source=source, read_at=read_at, unknown=exc.detail)
        return Reading(
            source=source, read_at=read_at, value=Origin(branches=tuple(branches), tags=tuple(signed))
        )

    async def _refs(self, folder: Path, kind: str, form: str, which: str, revision: str) -> list[str]:
        """A line of a form for each reference of a kind."""
        ask = ("for-each-ref", f"--count={_MOST_REFS + 1}", f"--format={form}", which, revision, kind)
        lines = (await git(folder, *ask)).splitlines()
        if len(lines) > _MOST_REFS:
            raise TooMuchError
        return lines

    async def _tag(self, folder: Path, line: str) -> SourceTag:
        """A tag, and whose good signature it carries."""
        name, _, signed = line.partition(" ")
        if not signed:
            return SourceTag(name=name)
        try:
            said = await git(folder, "verify-tag", "--raw", f"refs/tags/{name}", both=True)
        except RepositoryError:
            return SourceTag(name=name)
        found = _SIGNER.search(said)
        return SourceTag(name=name, signed_by=found[1].strip() if found else None)

    async def _folder(self, at: RepositoryAt) -> Path:
        """Where the repository lies here, brought up to date if it is somebody else's."""
        if _REMOTE.match(at.address):
            return await self._mirror(at)
        try:
            root, folder = self._root.resolve(), (self._root / at.address).resolve()
            there = folder != root and folder.is_relative_to(root) and _is_repository(folder)
        except (OSError, ValueError):
            there = False
        if not there:
            raise RepositoryError(f"there is no repository {at.address[:_SHOWN]}")
        return folder

    async def _mirror(self, at: RepositoryAt) -> Path:
        name = hashlib.sha256(at.address.encode()).hexdigest()[:32]
        folder = self._mirrors / name
        async with self._fetching[name]:
            if time.monotonic() - self._fetched.get(name, -_FRESH_SECONDS) < _FRESH_SECONDS:
                return folder
            if not (folder / "HEAD").exists():
                folder.mkdir(parents=True, exist_ok=True)
                await git(folder, "init", "--quiet", "--bare")
            refs = ("+refs/heads/*:refs/heads/*", "+refs/tags/*:refs/tags/*")
            ask = ("fetch", "--quiet", "--prune", "--no-tags", "--no-write-fetch-head", at.address, *refs)
            await git(folder, *ask, config=await self._only_there(at))
            if not await git(folder, "for-each-ref", "--count=1", "refs/heads"):
                raise RepositoryError(f"{at.address} shows no branch; this is no git repository")
            self._fetched[name] = time.monotonic()
        return folder

    async def _only_there(self, at: RepositoryAt) -> list[tuple[str, str]]:
        """Settings that let git talk to this host alone, at the address that was looked at."""
        parts = urlsplit(at.address)
        port = parts.port or {"http": 80, "https": 443}[parts.scheme]
        try:
            address = await self._reachable.address_of(parts.hostname or "", port)
        except NotReachableError as exc:
            raise RepositoryError(f"{at.address} is not one that may be reached from here") from exc
        except httpcore.ConnectError as exc:
            raise RepositoryError(f"{at.address} cannot be reached") from exc
        return [
            ("protocol.allow", "never"),
            (f"protocol.{parts.scheme}.allow", "always"),
            ("http.followRedirects", "false"),
            ("http.proxy", ""),
            ("http.curloptResolve", f"{parts.hostname}:{port}:{address}"),
            *(("http.extraHeader", f"{name}: {value}") for name, value in at.headers),
        ]


def _keep(kept: dict[K, V], key: K, value: V, most: int = _MOST_KEPT) -> None:
    """Keep what was found out; the oldest goes when there is too much."""
    kept[key] = value
    if len(kept) > most:
        del kept[next(iter(kept))]


def _is_repository(folder: Path) -> bool:
    """Whether a folder is one itself: neither inside another's work tree nor a pointer to one elsewhere."""
    inside = (folder / ".git").resolve().is_relative_to(folder)
    return (inside and (folder / ".git" / "HEAD").is_file()) or (
        (folder / "HEAD").is_file() and (folder / "objects").is_dir() and not (folder / ".git").exists()
    )


def _source(at: RepositoryAt) -> str:
    return f"git repository {at.address}"
