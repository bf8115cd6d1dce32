"""What deployers report: departure, landing, rollback."""

from dogana.core.errors import MovedOnError, NotClearedError, NotFoundError, OccupiedError
from dogana.core.facts import Artifact
from dogana.core.inspect.sheet import Verdict
from dogana.core.words import sentence, when
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.gathering import artifacts_of
from dogana.service.inspection import advance, grounds_of, record_on, what
from dogana.service.record import record
from dogana.store import Session, promotions
from dogana.store.database import announce
from dogana.store.tables import PENDING, PromotionRow, State


async def depart(backend: Backend, actor: Actor, number: int) -> PromotionRow:
    """Let a cleared promotion go, after inspecting it once more in the same transaction.

    Raises:
        MovedOnError: when it is past that.
        NotClearedError: when the inspection at this instant does not clear it; that it was held is kept.
        OccupiedError: when another release of the service is moving into the environment.
    """
    actor.must(Right.DEPLOY)
    held: str | None = None
    async with backend.database.transaction() as session:
        row = await _locked(session, number)
        if row.state not in PENDING:
            raise MovedOnError(f"Promotion {number} cannot depart: it is {row.state}.")
        sheet = await advance(backend, session, row)
        if sheet.verdict is not Verdict.CLEARED:
            held = sheet.sentence
        elif row.state != State.MOVING:
            other = await promotions.moving(session, row.service_id, row.environment_id)
            if other is not None:
                raise OccupiedError(
                    f"Promotion {other} of {row.service_id} is moving into {row.environment.title} now."
                )
            row.state, row.departed_at, row.changed_at = State.MOVING, sheet.at, sheet.at
            grounds = await grounds_of(session, row, sheet.at)
            await record_on(session, actor, "depart", f"{what(row)} departed.", row, grounds, sheet)
            await announce(session, kind="promotion", promotion=number)
    if held is not None:
        raise NotClearedError(held)
    return row


async def land(
    backend: Backend, actor: Actor, number: int, *, artifacts: tuple[Artifact, ...], note: str
) -> PromotionRow:
    """Report that a promotion has landed.

    Args:
        backend: the outside.
        actor: who reports.
        number: the promotion.
        artifacts: what runs there now; empty where the deployer vouches for what was cleared.
        note: in words, if anything is to be said.

    Raises:
        MovedOnError: when it is not moving.
    """
    return await _report(backend, actor, number, State.LANDED, artifacts, note)


async def roll_back(backend: Backend, actor: Actor, number: int, *, note: str) -> PromotionRow:
    """Report that a promotion failed and what ran before runs again.

    Raises:
        MovedOnError: when it is not moving.
    """
    return await _report(backend, actor, number, State.ROLLED_BACK, (), note)


async def _report(
    backend: Backend, actor: Actor, number: int, state: State, artifacts: tuple[Artifact, ...], note: str
) -> PromotionRow:
    actor.must(Right.DEPLOY)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _locked(session, number)
        if row.state != State.MOVING:
            raise MovedOnError(f"Promotion {number} is not moving: it is {row.state}.")
        row.state, row.closed_at, row.changed_at = state, now, now
        details = {"state": str(state)}
        if state is State.LANDED:
            row.landed_at = now
            landed = artifacts or artifacts_of(row.release)
            row.landed_artifacts = [artifact.plain() for artifact in landed]
            details |= {f"artifact {artifact.name}": artifact.digest for artifact in landed}
            says, action, ended = f"{what(row)} landed.", "land", "landed"
        else:
            says, action, ended = f"{what(row)} was rolled back.", "roll back", "rolled back"
        row.ended = sentence(f"{ended} {when(now, row.environment.zone)}{': ' if note else ''}{note}")
        await record(session, actor, action, says, now, promotion=row, reason=note, details=details)
        await promotions.make_due(session, now, service=row.service_id)
        await promotions.make_due(session, now, environment=row.environment_id)
        await announce(session, kind="promotion", promotion=number)
    return row


async def _locked(session: Session, number: int) -> PromotionRow:
    row = await promotions.get(session, number, lock=True)
    if row is None:
        raise NotFoundError(f"There is no promotion {number}.")
    return row
