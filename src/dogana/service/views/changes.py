"""What a promotion brings: its commits and files, page by page, read where they lie."""

from dogana.core.change import Change, Commit, FileChange
from dogana.core.errors import NotFoundError
from dogana.core.facts import Reading, Report
from dogana.core.patch import CommitPatch
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.promotions.grounds import change_inspected
from dogana.service.promotions.lookup import found
from dogana.service.shapes import View
from dogana.service.sources.registry import load


class Counts(View):
    """How much a change is in all."""

    commits: int
    files: int


class ChangePage(View):
    """Some more of a change."""

    commits: list[Commit]
    files: list[FileChange]


async def patch(backend: Backend, actor: Actor, number: int, revision: str) -> Reading[CommitPatch]:
    """What one of its commits says and changed; unknown, with the reason, when it cannot be read.

    Raises:
        NotFoundError: for an unknown promotion, and for a commit that it does not bring.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        row = await found(session, number)
        change = await change_inspected(session, row)
        if change is None or revision not in {one.revision for one in change.commits}:
            raise NotFoundError(f"Promotion {number} brings no commit {revision[:10]}.")
        at = (await load(backend, session)).repository(row.release.service.repository)
    return await backend.repositories.patch(at, revision)


_COMMITS, _FILES = 100, 300
"""How much of a change is shown at once."""


def first_of(change: Reading[Change]) -> Reading[Change]:
    """A change as far as it is shown at once."""
    value = change.value
    if value is None or (len(value.commits) <= _COMMITS and len(value.files) <= _FILES):
        return change
    first = {"commits": value.commits[:_COMMITS], "files": value.files[:_FILES]}
    return change.model_copy(update={"value": value.model_copy(update=first)})


_LINES = 100


def first_lines_of(report: Report) -> Report:
    """A report as far as it is shown at once; what was counted tells how much more there is."""
    content = {key: one[:_LINES] if isinstance(one, list) else one for key, one in report.content.items()}
    return report.model_copy(update={"content": content})


async def change_page(
    backend: Backend, actor: Actor, number: int, *, commits_from: int, files_from: int
) -> ChangePage:
    """Some more of a promotion's commits and files, from these places on.

    Raises:
        NotFoundError: when there is no such promotion.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        row = await found(session, number)
        change = await change_inspected(session, row)
    return ChangePage(
        commits=list(change.commits[commits_from : commits_from + _COMMITS]) if change else [],
        files=list(change.files[files_from : files_from + _FILES]) if change else [],
    )
