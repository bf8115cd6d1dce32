"""What deployers report: departure, landing, rollback."""

from datetime import datetime
from typing import NamedTuple

from dogana.core.errors import ConflictError, MovedOnError, NotClearedError, NotYetError, OccupiedError
from dogana.core.facts import Artifact
from dogana.core.inspect.sheet import Verdict
from dogana.core.record.actions import Action
from dogana.core.words import listed, sentence, when
from dogana.service.actor import ENGINE, Actor, Right
from dogana.service.backend import Backend
from dogana.service.landscape.deployers import must_deploy, must_hold
from dogana.service.landscape.releases import artifacts_of
from dogana.service.landscape.stops import scheduled_departure
from dogana.service.ledger.entries import record
from dogana.service.preconditions import must_say
from dogana.service.promotions.going_in import begin
from dogana.service.promotions.grounds import facts_text, last_said
from dogana.service.promotions.inspection import Held, hold, record_on, settle
from dogana.service.promotions.lookup import found_locked, what
from dogana.service.promotions.refreshing import see_inspected
from dogana.service.secrets import clearances
from dogana.store import Session, courses, promotions, schedule, secrets, sign_offs
from dogana.store.database import announce
from dogana.store.tables.promotions import ON_ITS_WAY, PENDING, PromotionRow, State


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
    if actor.channel == "desk":
        await let_go(backend, actor, number)
        return None
    clearances.must_seal(backend)
    await let_go(backend, actor, number)
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        if row.state != State.MOVING:
            raise MovedOnError(f"Promotion {number} is not moving: it is {row.state}.")
        return await clearances.issue(backend, session, actor, row)


async def let_go(backend: Backend, actor: Actor, number: int) -> None:
    """Let a cleared promotion go, and all of its bundle.

    Issue no clearance yet. One that moves already, moves.
    """
    barred: str | None = None
    await see_inspected(backend, number)
    async with backend.database.transaction() as session:
        locked = await found_locked(session, number)
        row = locked.row
        if actor.channel not in ("engine", "timetable"):
            must_deploy(actor, row.environment)
        if row.state == State.MOVING:
            return
        if row.state not in PENDING:
            raise MovedOnError(f"Promotion {number} cannot depart: it is {row.state}.")
        together = await promotions.bundled(session, row.bundle_id) if row.bundle_id else [row]
        texts = {one: locked.facts if one is row else await facts_text(session, one) for one in together}
        for environment in sorted({one.environment_id for one in together}):
            await promotions.lock_environment(session, environment)
        inspected = [await hold(backend, session, one, last_said(one, texts[one])) for one in together]
        sheets = [await settle(one) for one in inspected]
        barred = next((sheet.sentence for sheet in sheets if sheet.verdict is not Verdict.CLEARED), None)
        if barred is None:
            _must_be_time(backend, actor, row)
            for one in inspected:
                await go(one, actor)
    if barred is not None:
        raise NotClearedError(barred)


def _must_be_time(backend: Backend, actor: Actor, row: PromotionRow) -> None:
    environment, at = row.environment, scheduled_departure(row.environment, backend.clock())
    if at is not None and actor.channel == "API":
        raise NotYetError(f"Cleared. {environment.title} takes it in {when(at, environment.zone)}.")


async def go(held: Held, actor: Actor) -> None:
    """Let one depart that its inspection has cleared.

    Raises:
        OccupiedError: when another release of the service is moving there.
    """
    session, row, sheet = held.session, held.row, held.sheet
    if row.state == State.MOVING:
        return
    other = await promotions.moving(session, row.service_id, row.environment_id)
    if other is not None:
        raise OccupiedError(
            f"Promotion {other} of {row.service_id} is moving into {row.environment.title} now."
        )
    row.state, row.departed_at, row.changed_at = State.MOVING, sheet.at, sheet.at
    await record_on(held, actor, Action.DEPART, f"{what(row)} departed.")
    await begin(session, row, held.grounds)
    announce(session, "promotion", [row.number])


async def prepared(backend: Backend, actor: Actor, number: int, *, note: str) -> PromotionRow:
    """Report that everything is built, backed up and staged while it waits, so that departure is quick.

    Raises:
        MovedOnError: when it waits no longer.
    """
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        must_deploy(actor, row.environment)
        if row.state not in PENDING:
            raise MovedOnError(f"Promotion {number} waits no longer: it is {row.state}.")
        row.prepared_at = row.changed_at = row.inspect_at = now
        row.prepared_by_id = actor.id
        says = f"{actor.name} has prepared {what(row)}."
        record(session, actor, Action.PREPARE, says, now, promotion=row, reason=note)
        announce(session, "promotion", [number])
    return row


async def land(
    backend: Backend, actor: Actor, number: int, *, artifacts: tuple[Artifact, ...], note: str
) -> PromotionRow:
    """Report what has landed: what was cleared, or, where that is not so, what halts the course.

    Args:
        backend: the outside.
        actor: who reports; the holder of its clearance.
        number: the promotion.
        artifacts: what runs there now; empty where the deployer vouches for what was cleared.
        note: in words, if anything is to be said.

    Raises:
        ForbiddenError: for anybody but the holder of its clearance.
        ConflictError: while steps of its plan are left.
        MovedOnError: when it is not moving, or was ordered back.
    """
    actor.must(Right.DEPLOY)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        again = row.state == State.HALTED and row.landed_artifacts is not None
        if row.state != State.MOVING and not again:
            why = "ordered back" if row.state == State.HALTED else row.state
            raise MovedOnError(f"Promotion {number} is not moving: it is {why}.")
        await must_hold(session, actor, row)
        held = await courses.get(session, number)
        if held is not None and held.ended_at is None:
            raise ConflictError("It has not landed before all steps of its plan are over.")
        await write_what_landed(session, actor, row, now, artifacts or artifacts_of(row.release), note)
        schedule_inspection(session, row, now)
    return row


async def write_what_landed(
    session: Session,
    actor: Actor,
    row: PromotionRow,
    now: datetime,
    landed: tuple[Artifact, ...],
    note: str,
) -> None:
    """Let a locked promotion have landed, or be halted where other bytes did than were cleared."""
    row.landed_artifacts, row.changed_at = [artifact.plain() for artifact in landed], now
    details = {f"artifact {artifact.name}": artifact.digest for artifact in landed}
    other = not_as_cleared(artifacts_of(row.release), landed)
    if other:
        await _halt(session, actor, row, now, other, details, note)
    else:
        await courses.close(session, row.number, now)
        await secrets.use_clearances(session, row.number, now)
        await write_landing(session, actor, row, now, details, note)


def not_as_cleared(cleared: tuple[Artifact, ...], landed: tuple[Artifact, ...]) -> str | None:
    """In what the bytes that landed differ from those that were cleared, in words.

    None where they are the same.
    """
    others = other_bytes(cleared, landed)
    faults = [f"{one.name} is missing" for one in others if one.landed is None]
    faults += [f"{one.name} was not cleared" for one in others if one.cleared is None]
    both = [one.name for one in others if one.cleared is not None and one.landed is not None]
    faults += [f"{name} has other bytes than were cleared" for name in both]
    if len({one.name for one in landed}) != len(landed):
        faults.append("one name stands for several artifacts")
    return listed(list(dict.fromkeys(faults))) or None


class OtherBytes(NamedTuple):
    """One artifact that landed otherwise than it was cleared."""

    name: str
    cleared: str | None
    """Its digest; None where there was no such artifact."""
    landed: str | None
    """Its digest; None where it did not land."""


def other_bytes(cleared: tuple[Artifact, ...], landed: tuple[Artifact, ...]) -> list[OtherBytes]:
    """Each artifact that landed otherwise, by name; of several of one name, each that was not cleared."""
    wanted = {one.name: one.digest for one in cleared}
    others = [OtherBytes(name, wanted[name], None) for name in wanted.keys() - {one.name for one in landed}]
    others += [
        OtherBytes(one.name, wanted.get(one.name), one.digest)
        for one in landed
        if wanted.get(one.name) != one.digest
    ]
    return sorted(others, key=lambda one: one.name)


async def _halt(
    session: Session,
    actor: Actor,
    row: PromotionRow,
    now: datetime,
    other: str,
    details: dict[str, str],
    note: str,
) -> None:
    row.state = State.HALTED
    row.ended = sentence(f"not landed as it was cleared: {other}")
    says = f"{what(row)} did not land as it was cleared: {other}. It is halted."
    details = {"state": str(row.state), **details}
    record(session, actor, Action.LAND_OTHERWISE, says, now, promotion=row, reason=note, details=details)
    announce(session, "promotion", [row.number])


async def write_landing(
    session: Session,
    actor: Actor,
    row: PromotionRow,
    now: datetime,
    details: dict[str, str],
    note: str,
    says: str | None = None,
) -> None:
    """Let a locked promotion have landed, and record it."""
    row.state, row.closed_at, row.changed_at, row.landed_at = State.LANDED, now, now, now
    row.sheet = row.brief = None
    row.ended = sentence(f"landed {when(now, row.environment.zone)}{': ' if note else ''}{note}")
    details = {"state": str(row.state), **details}
    await sign_offs.landed(session, row, now)
    says = says or f"{what(row)} landed."
    record(session, actor, Action.LAND, says, now, promotion=row, reason=note, details=details)
    announce(session, "promotion", [row.number])


async def roll_back(backend: Backend, actor: Actor, number: int, *, note: str) -> PromotionRow:
    """Report that a promotion failed, or was halted, and what ran before runs again.

    Raises:
        ForbiddenError: for anybody but the holder of its clearance, or a deployer once it is halted.
        MovedOnError: when it is not on its way.
    """
    actor.must(Right.DEPLOY)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        if row.state not in ON_ITS_WAY:
            raise MovedOnError(f"Promotion {number} is not moving: it is {row.state}.")
        if row.state == State.HALTED:
            must_deploy(actor, row.environment)
        else:
            await must_hold(session, actor, row)
        await write_roll_back(session, actor, row, now, note)
        schedule_inspection(session, row, now)
    return row


async def write_roll_back(
    session: Session, actor: Actor, row: PromotionRow, now: datetime, note: str
) -> None:
    """Let a locked promotion have been rolled back, and record it."""
    row.state, row.closed_at, row.changed_at = State.ROLLED_BACK, now, now
    row.sheet = row.brief = None
    await courses.close(session, row.number, now)
    await secrets.revoke_clearances(session, row.number, now)
    row.ended = sentence(f"rolled back {when(now, row.environment.zone)}{': ' if note else ''}{note}")
    says, details = f"{what(row)} was rolled back.", {"state": str(row.state)}
    record(session, actor, Action.ROLL_BACK, says, now, promotion=row, reason=note, details=details)
    announce(session, "promotion", [row.number])


async def cancel(backend: Backend, actor: Actor, number: int, *, reason: str) -> PromotionRow:
    """Order what moves back, by an approver: it is halted, and its clearance is worthless for good.

    Raises:
        InvalidError: without a reason.
        MovedOnError: when it does not move.
    """
    actor.must(Right.DECIDE)
    must_say(reason, "Say why it is to be taken back.", "/comment")
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        if row.state != State.MOVING:
            raise MovedOnError(f"Promotion {number} is not moving: it is {row.state}.")
        await order_back(session, actor, row, now, reason)
    return row


async def order_back(
    session: Session,
    actor: Actor,
    row: PromotionRow,
    now: datetime,
    reason: str,
    on: dict[str, str] | None = None,
) -> None:
    """Order a locked promotion that moves back: no share of it is left, and its clearance is worthless."""
    await courses.take_back(session, row.number, now, reason, actor.id if actor is not ENGINE else None)
    await secrets.revoke_clearances(session, row.number, now)
    row.state, row.changed_at = State.HALTED, now
    row.ended = sentence(f"ordered back by {actor.name}: {reason}")
    says = f"{actor.name} ordered {what(row)} back; its clearance is revoked for good."
    details = {"state": str(row.state), "share": "0"}
    record(session, actor, Action.CANCEL, says, now, promotion=row, reason=reason, on=on, details=details)
    announce(session, "promotion", [row.number])


def schedule_inspection(session: Session, row: PromotionRow, now: datetime) -> None:
    """Have what this concerns looked at anew."""
    schedule.inspection(session, now, service=row.service_id, environment=row.environment_id, either=True)
