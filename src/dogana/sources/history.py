"""What git says of a stretch of history, told apart by NUL alone: a commit may hold every other character."""

import re
from collections.abc import Iterator
from datetime import UTC, datetime

from dogana.core.change import Author, Commit, FileChange
from dogana.core.document import in_our_time
from dogana.core.errors import RepositoryError

MOST_BYTES = 64 << 20
"""How much of it is read; a change that is larger is not known."""
MOST_FILES = 200_000
_SEPARATOR = "%x00"
_FIELDS = (
    "%H",
    "%an",
    "%ae",
    "%ct",
    "%(trailers:key=Reviewed-by,valueonly,unfold)",
    "%B",
)
_SIGNATURE = ("%G?", "%GS")
_CO_AUTHOR = re.compile(r"^[ \t]*co-authored-by[ \t]*:[ \t]*(\S.*)$", re.IGNORECASE | re.MULTILINE)
_NAMED = re.compile(r"^\s*(.*?)\s*<([^<>]*)>\s*$")
_TICKET = re.compile(
    r"(?<![0-9A-Za-z-])[A-Za-z][A-Za-z0-9]{1,9}-[0-9]{1,7}(?![0-9A-Za-z-])|(?<![0-9A-Za-z#&])#[0-9]{1,7}(?![0-9A-Za-z-])"
)
_BINARY = "-"


class TooMuchError(RepositoryError):
    """It is more than can be read, so it is not known."""

    def __init__(self) -> None:
        super().__init__("it is more than can be read")


def form(*, signatures: bool) -> str:
    """The format to ask `git log -z` for; each field ends with NUL, as does each commit."""
    return _SEPARATOR.join((*_FIELDS, *(_SIGNATURE if signatures else ())))


def named_tickets(text: str) -> frozenset[str]:
    """What in a text could be a ticket's key: `CW-1204`, `cw-1204`, `#12`; the trackers tell which are."""
    return frozenset(_TICKET.findall(text))


def commits_in(log: str, *, signatures: bool) -> tuple[tuple[Commit, ...], frozenset[str]]:
    """The commits, newest first, and what their messages name.

    Raises:
        TooMuchError: when it does not come apart into whole commits.
    """
    width = len(_FIELDS) + (len(_SIGNATURE) if signatures else 0)
    fields = log.split("\0")
    if fields[-1].strip() == "":
        fields.pop()
    if len(fields) % width:
        raise TooMuchError
    commits: list[Commit] = []
    keys: set[str] = set()
    for n in range(0, len(fields), width):
        revision, author, email, at, reviewers, message, *signature = fields[n : n + width]
        keys |= named_tickets(message)
        commits.append(
            Commit(
                revision=revision.strip(),
                author=author,
                author_email=email,
                subject=next((line.strip() for line in message.split("\n") if line.strip()), ""),
                at=_instant(at),
                reviewed_by=tuple(one.email for one in _people(reviewers.split("\n")) if one.email),
                co_authors=tuple(_people(_CO_AUTHOR.findall(message))),
                signed_by=signature[1] if signature and signature[0] == "G" else None,
            )
        )
    return tuple(commits), frozenset(keys)


def _people(values: list[str]) -> Iterator[Author]:
    """Those that trailers name; one without an address is somebody all the same."""
    for value in values:
        if found := _NAMED.match(value):
            yield Author(name=found[1], email=found[2].strip())
        elif value.strip():
            yield Author(name=value.strip(), email="")


def _instant(seconds: str) -> datetime | None:
    """The committer's time; None where the commit has none, or one that cannot be."""
    try:
        return in_our_time(datetime.fromtimestamp(int(seconds), UTC))
    except (ValueError, OverflowError, OSError):
        return None


def files_in(numstat: str) -> tuple[FileChange, ...]:
    """Every file of a change with its lines.

    Raises:
        TooMuchError: when there are more than are read.
    """
    records = [record for record in numstat.split("\0") if record]
    if len(records) > MOST_FILES:
        raise TooMuchError
    return tuple(_file(*record.split("\t", 2)) for record in records)


def _file(added: str, removed: str, path: str) -> FileChange:
    return FileChange(
        path=path,
        added=None if added == _BINARY else int(added),
        removed=None if removed == _BINARY else int(removed),
    )
