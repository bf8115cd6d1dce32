"""Real git repositories with the scenario's releases, made by one fast-import each."""

import gzip
import hashlib
import io
import os
import random
import subprocess
import tarfile
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from pathlib import Path

from dogana.core.facts import Artifact
from dogana.demo.cast import CAST, ENGINEERS
from dogana.demo.landscape import Service
from dogana.demo.reports import reports
from dogana.service.landscape.evidence import SentReport

_NAMES = {member.id: member for member in CAST}


@dataclass(frozen=True, kw_only=True)
class Build:
    """One release of the scenario before it asks for anything."""

    service: Service
    version: str
    built_at: datetime
    tickets: tuple[str, ...]

    high: int = 0
    """What its scan found."""

    def reports(self) -> list[SentReport]:
        """What its build brought along."""
        return reports(self.service, self.version, self.built_at, high=self.high)

    @property
    def tag(self) -> str:
        """Its tag in the repository."""
        return f"v{self.version}"

    @cached_property
    def built(self) -> dict[str, bytes]:
        """What was built, by file name: an archive of made-up bytes and its parts, the same every time."""
        name = f"{self.service.id}-{self.version}"
        made = random.Random(name)
        parts = next(report.file.body for report in self.reports() if report.form == "cyclonedx")
        return {
            f"{name}.parts.json": parts,
            f"{name}.tar.gz": _archive(self.service.id, made.randbytes(made.randrange(30_000, 160_000))),
        }

    def artifacts(self, store: str | None = None) -> tuple[Artifact, ...]:
        """What was built, as a pipeline tells it.

        Args:
            store: the address below which it can be fetched.
        """
        return tuple(
            Artifact(
                name=name,
                digest="sha256:" + hashlib.sha256(body).hexdigest(),
                size=len(body),
                link=f"{store}/{name}" if store else None,
            )
            for name, body in self.built.items()
        )


def make_repository(root: Path, service: Service, builds: Sequence[Build]) -> None:
    """Make a bare repository with the commits and tags of some builds, oldest first."""
    folder = root / service.id
    folder.mkdir(parents=True)
    subprocess.run(["git", "init", "-q", "--bare", "-b", "main", str(folder)], check=True)
    stream: list[str] = []
    made = random.Random(service.id)
    for build in builds:
        count = made.randrange(2, 5)
        for n, subject in enumerate(made.sample(service.work, count)):
            at = build.built_at - timedelta(hours=3 * (count - n))
            ticket = build.tickets[n % len(build.tickets)] if build.tickets else None
            stream += _commit(service, made, at, subject, ticket)
        stream += [f"reset refs/tags/{build.tag}", "from refs/heads/main", ""]
    done = subprocess.run(
        ["git", "-C", str(folder), "fast-import", "--quiet"],
        input="\n".join(stream).encode(),
        capture_output=True,
        check=False,
    )
    if done.returncode != 0:
        raise RuntimeError(f"fast-import: {done.stderr.decode(errors='replace')}")


def commit_on_top(root: Path, service: str, author: str, ticket: str, subject: str) -> str:
    """Add one commit to a service's main branch, as an engineer's push would; gives its id."""
    folder = root / service
    who = _NAMES[author]
    environment = {
        **os.environ,
        "GIT_AUTHOR_NAME": who.name,
        "GIT_AUTHOR_EMAIL": who.email,
        "GIT_COMMITTER_NAME": who.name,
        "GIT_COMMITTER_EMAIL": who.email,
        "GIT_INDEX_FILE": str(folder / "tour.index"),
    }

    def git(*arguments: str, text: str = "") -> str:
        command = ["git", "-c", f"safe.directory={folder}", "-C", str(folder), *arguments]
        done = subprocess.run(
            command, env=environment, input=text, capture_output=True, text=True, check=True
        )
        return done.stdout.strip()

    before = git("rev-parse", "main")
    git("read-tree", "main")
    blob = git("hash-object", "-w", "--stdin", text=f"{subject}\nafter {before}\n")
    git("update-index", "--add", "--cacheinfo", f"100644,{blob},docs/changes.md")
    message = f"{subject}\n\nRefs {ticket}\n"
    made = git("commit-tree", git("write-tree"), "-p", before, text=message)
    git("update-ref", "refs/heads/main", made, before)
    return made


def _commit(
    service: Service, made: random.Random, at: datetime, subject: str, ticket: str | None
) -> list[str]:
    author = _NAMES[made.choice(ENGINEERS)]
    reader = _NAMES[made.choice([name for name in ENGINEERS if name != author.id])]
    what = f"Refs {ticket}" if ticket else "Housekeeping"
    message = f"{subject}\n\n{what}\n\nReviewed-by: {reader.name} <{reader.email}>\n"
    who = f"{author.name} <{author.email}> {int(at.timestamp())} +0000"
    lines = ["commit refs/heads/main", f"author {who}", f"committer {who}", *_data(message)]
    for path in made.sample(service.areas, made.randrange(1, 4)):
        body = "".join(f"{path} {made.randrange(10**6)}\n" for _ in range(made.randrange(4, 60)))
        lines += [f"M 100644 inline {path}", *_data(body)]
    return lines


def _data(text: str) -> list[str]:
    return [f"data {len(text.encode())}", text]


def _archive(program: str, body: bytes) -> bytes:
    """A compressed archive of one program; the same bytes for the same program."""
    out = io.BytesIO()
    with (
        gzip.GzipFile(fileobj=out, mode="wb", mtime=0, compresslevel=1) as packed,
        tarfile.open(fileobj=packed, mode="w") as archive,
    ):
        member = tarfile.TarInfo(f"bin/{program}")
        member.size, member.mode = len(body), 0o755
        archive.addfile(member, io.BytesIO(body))
    return out.getvalue()
