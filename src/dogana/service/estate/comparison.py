"""Two releases of a service beside each other: commits, files, tickets, findings, components, policy."""

import asyncio

from dogana.core.change import Commit, FileChange
from dogana.core.errors import InvalidError, NotFoundError
from dogana.core.facts import Report, Ticket
from dogana.core.going_back import Reappearing, ScanFinding, reappearing
from dogana.core.parts_list import PartChange, part_changes
from dogana.core.policy.difference import differences
from dogana.core.policy.document import policy_of
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.landed.going_back import reports_of
from dogana.service.landscape.environments import must_know
from dogana.service.promotions.outside_facts import FactsRequest, Outside, gather
from dogana.service.shapes import View
from dogana.service.sources.registry import load
from dogana.store import Session, history, landscape, policies
from dogana.store.tables.landscape import ReleaseRow

_MOST = 200


class PolicyThenAndNow(View):
    """What an environment asked for when a release landed there, and what it asks for now."""

    then: int
    """The version."""
    now: int
    differences: list[str]
    """Sentences."""


class Comparison(View):
    """What lies between two releases."""

    before: str
    after: str
    commits: list[Commit]
    """What the second has and the first has not, the first two hundred."""
    lost: list[Commit]
    """What the first has and the second has not, likewise: where they do not follow one another."""
    more: int
    """How many further commits there are of either."""
    files: list[FileChange]
    """Likewise."""
    more_files: int
    tickets: list[Ticket]
    new: list[ScanFinding]
    """What scans of the second found and those of the first did not."""
    gone: list[ScanFinding]
    parts: list[PartChange]
    policy: PolicyThenAndNow | None
    """Absent where no environment is asked about, or the first never landed there."""
    unknown: list[str]
    """What could not be read, so that there may be more; sentences."""


async def compare(
    backend: Backend, actor: Actor, *, service: str, before: str, after: str, environment: str | None
) -> Comparison:
    """Compare two releases of a service; outside systems are asked.

    Raises:
        NotFoundError: for an unknown service, release or environment.
        InvalidError: for a release and itself.
    """
    actor.must(Right.READ)
    if before == after:
        raise InvalidError("Choose two releases.", fields=[("/after", "the same")])
    async with backend.database.transaction() as session:
        await must_know(session, environment=environment, service=service)
        first, second = [await _release(session, service, version) for version in (before, after)]
        sources = await load(backend, session)
        was, now = await reports_of(session, first), await reports_of(session, second)
        policy = await _policy(backend, session, first, environment) if environment else None
        owner = first.service
    repository = sources.repository(owner.repository, tuple(owner.paths))
    forth, back = await asyncio.gather(
        *(
            gather(backend, FactsRequest.between(sources, repository, one.revision, other.revision))
            for one, other in ((first, second), (second, first))
        )
    )
    return _compared(first, second, forth, back, was, now, policy)


def _compared(
    first: ReleaseRow,
    second: ReleaseRow,
    forth: Outside,
    back: Outside,
    was: list[Report],
    now: list[Report],
    policy: PolicyThenAndNow | None,
) -> Comparison:
    new: Reappearing = reappearing(now, was)
    gone, parts = reappearing(was, now), part_changes(was, now)
    change, lost = forth.change.value, back.change.value
    unread = [
        f"{what} could not be read: {why}."
        for what, why in (
            ("The change", forth.change.unknown),
            (f"What {first.version} has and {second.version} has not", back.change.unknown),
            ("The tickets", forth.tickets.unknown),
        )
        if why
    ]
    commits, others = list(change.commits if change else ()), list(lost.commits if lost else ())
    return Comparison(
        before=first.version,
        after=second.version,
        commits=commits[:_MOST],
        lost=others[:_MOST],
        more=max(len(commits) - _MOST, 0) + max(len(others) - _MOST, 0),
        files=list(change.files[:_MOST]) if change else [],
        more_files=max(len(change.files) - _MOST, 0) if change else 0,
        tickets=list(forth.tickets.value or ()),
        new=list(new.findings),
        gone=list(gone.findings),
        parts=list(parts.changes),
        policy=policy,
        unknown=list(dict.fromkeys([*unread, *new.unknown, *gone.unknown, *parts.unknown])),
    )


async def _release(session: Session, service: str, version: str) -> ReleaseRow:
    row = await landscape.release(session, service, version)
    if row is None:
        raise NotFoundError(f"There is no release {version} of {service}.")
    return row


async def _policy(
    backend: Backend, session: Session, release: ReleaseRow, environment: str
) -> PolicyThenAndNow | None:
    then = await history.policy_at_landing(session, release.id, environment)
    now = await policies.in_force(session, environment, backend.clock())
    if then is None or now is None:
        return None
    said = differences(policy_of(then.document), policy_of(now.document))
    return PolicyThenAndNow(then=then.version, now=now.version, differences=said)
