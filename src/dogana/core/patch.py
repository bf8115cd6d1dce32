"""What one commit changed, line by line, as people read it before they decide."""

from pydantic import Field

from dogana.core.document import Count, Document

_MOST_FILES = 200
_MOST_LINES = 400
_BEGINS = "diff --git "
_HUNK = "@@"
_MODES = {"new file mode": "added", "deleted file mode": "removed"}


class FilePatch(Document):
    """One file of a commit."""

    path: str
    what: str
    """`added`, `removed` or `changed`."""
    added: Count
    """Lines."""
    removed: Count
    lines: tuple[str, ...]
    """The hunks of the unified diff, each line with its sign; empty for what is not text."""
    more: Count = 0
    """How many further lines there are."""


class CommitPatch(Document):
    """One commit: all it says, and what it changed."""

    revision: str
    message: str
    files: tuple[FilePatch, ...] = Field(max_length=_MOST_FILES)
    more: Count = 0
    """How many further files there are."""


def read_patch(revision: str, message: str, diff: str) -> CommitPatch:
    """A commit from a unified diff as git writes it, without renames and with plain paths.

    Args:
        revision: the full commit id.
        message: all that the commit says.
        diff: every file that it changed, against its first parent.
    """
    files = [_BEGINS + part for part in ("\n" + diff).split("\n" + _BEGINS)[1:]]
    return CommitPatch(
        revision=revision,
        message=message.strip(),
        files=tuple(_file(file) for file in files[:_MOST_FILES]),
        more=max(0, len(files) - _MOST_FILES),
    )


def _file(text: str) -> FilePatch:
    head, _, rest = text.partition("\n" + _HUNK)
    hunks = (_HUNK + rest).removesuffix("\n").split("\n") if rest else []
    inside = [line for line in hunks if not line.startswith(_HUNK)]
    return FilePatch(
        path=_path(head),
        what=next((what for mode, what in _MODES.items() if f"\n{mode}" in head), "changed"),
        added=sum(line.startswith("+") for line in inside),
        removed=sum(line.startswith("-") for line in inside),
        lines=tuple(hunks[:_MOST_LINES]),
        more=max(0, len(hunks) - _MOST_LINES),
    )


def _path(head: str) -> str:
    """`b/` and `a/` stand before the same path, as nothing is told as renamed."""
    first = head.partition("\n")[0].removeprefix(_BEGINS)
    return first[: len(first) // 2].removeprefix("a/")
