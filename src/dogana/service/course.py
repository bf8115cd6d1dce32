"""What deployers report: departure, landing, rollback."""

from dogana.core.errors import MovedOnError, NotClearedError, NotFoundError, NotYetError, OccupiedError
from dogana.core.facts import Artifact
from dogana.core.inspect.sheet import Sheet, Verdict
from dogana.core.words import sentence, when
from dogana.service import clearances
from dogana.service.access import Actor, Right
from dogana.service.backend import Backend
from dogana.service.inspection import advance, grounds_of, record_on, see_inspected, what
from dogana.service.on_record import artifacts_of
from dogana.service.places import taken_in_at
from dogana.service.record import record
from dogana.store import Session, promotions, safekeeping
from dogana.store.database import announce
from dogana.store.tables import PENDING, PromotionRow, State


async def depart(backend: Backend, actor: Actor, number: int) -> str | None:
    """Let a cleared promotion go, with its bundle, and give its clearance; or give that of one that went.

    A person at the desk lets it go and is given none: whoever deploys it asks for that. Everything is
    inspected once more in the same transaction. Where an environment has set times, a person may let
    something depart by hand; a pipeline waits for the time.

    Raises:
        MovedOnError: when it is past that.
        NotClearedError: when the inspection at this instant does not clear it; that it was held is kept.
        NotYetError: when it has to wait for the timetable.
        OccupiedError: when another release of the service is moving into the environment.
        ConflictError: when its clearance has been issued.
    """
    actor.must(Right.DEPLOY)
    if actor.way == "desk":
        await let_go(backend, actor, number)
        return None
    clearances.must_seal(backend)
    async with backend.database.transaction() as session:
        row = await _locked(session, number)
        if row.state == State.MOVING:
            return await clearances.issue(backend, session, actor, row)
    await let_go(backend, actor, number)
    async with backend.database.transaction() as session:
        return await clearances.issue(backend, session, actor, await _locked(session, number))


async def let_go(backend: Backend, actor: Actor, number: int) -> None:
    """Let a cleared promotion go, and all of its bundle; issue no clearance yet."""
    held: str | None = None
    await see_inspected(backend, number)
    async with backend.database.transaction() as session:
        row = await _locked(session, number)
        if row.state not in PENDING:
            raise MovedOnError(f"Promotion {number} cannot depart: it is {row.state}.")
        together = await promotions.bundled(session, row.bundle_id) if row.bundle_id else [row]
        sheets = [await advance(backend, session, one) for one in together]
        held = next((sheet.sentence for sheet in sheets if sheet.verdict is not Verdict.CLEARED), None)
        if held is None:
            _must_be_time(backend, actor, row)
            for one, sheet in zip(together, sheets, strict=True):
                await _go(session, actor, one, sheet)
    if held is not None:
        raise NotClearedError(held)


def _must_be_time(backend: Backend, actor: Actor, row: PromotionRow) -> None:
    place, at = row.environment, taken_in_at(row.environment, backend.clock())
    if at is not None and actor.way == "API":
        raise NotYetError(f"Cleared. {place.title} takes it in {when(at, place.zone)}.")


async def _go(session: Session, actor: Actor, row: PromotionRow, sheet: Sheet) -> None:
    if row.state == State.MOVING:
        return
    other = await promotions.moving(session, row.service_id, row.environment_id)
    if other is not None:
        raise OccupiedError(
            f"Promotion {other} of {row.service_id} is moving into {row.environment.title} now."
        )
    row.state, row.departed_at, row.changed_at = State.MOVING, sheet.at, sheet.at
    grounds = await grounds_of(session, row, sheet.at)
    await record_on(session, actor, "depart", f"{what(row)} departed.", row, grounds, sheet)
    await announce(session, "promotion", [row.number])


async def prepared(backend: Backend, actor: Actor, number: int, *, note: str) -> PromotionRow:
    """Report that everything is built, backed up and staged while it waits, so that departure is quick.

    Raises:
        MovedOnError: when it waits no longer.
    """
    actor.must(Right.DEPLOY)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await _locked(session, number)
        if row.state not in PENDING:
            raise MovedOnError(f"Promotion {number} waits no longer: it is {row.state}.")
        row.prepared_at = row.changed_at = now
        says = f"{actor.name} has prepared {what(row)}."
        await record(session, actor, "prepare", says, now, promotion=row, reason=note)
        await announce(session, "promotion", [number])
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
            await safekeeping.use_clearances(session, number, now)
            landed = artifacts or artifacts_of(row.release)
            row.landed_artifacts = [artifact.plain() for artifact in landed]
            details |= {f"artifact {artifact.name}": artifact.digest for artifact in landed}
            says, action, ended = f"{what(row)} landed.", "land", "landed"
        else:
            await safekeeping.revoke_clearances(session, number, now)
            says, action, ended = f"{what(row)} was rolled back.", "roll back", "rolled back"
        row.ended = sentence(f"{ended} {when(now, row.environment.zone)}{': ' if note else ''}{note}")
        await record(session, actor, action, says, now, promotion=row, reason=note, details=details)
        await promotions.make_due(session, now, service=row.service_id)
        await promotions.make_due(session, now, environment=row.environment_id)
        await announce(session, "promotion", [number])
    return row


async def _locked(session: Session, number: int) -> PromotionRow:
    row = await promotions.get(session, number, lock=True)
    if row is None:
        raise NotFoundError(f"There is no promotion {number}.")
    return row
