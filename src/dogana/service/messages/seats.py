"""Who is asked for the seats of what waits: told once, told when it is over, and reminded."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from dogana.core.inspect.sheet import Brief
from dogana.core.messages.kinds import Kind
from dogana.core.rules.findings import Seat
from dogana.core.words import lasting, listed, sentence, when
from dogana.service.actor import Right
from dogana.service.backend import Backend
from dogana.service.messages.recipients import Recipients, all_but, recipients
from dogana.service.policies.in_force import in_force
from dogana.service.promotions.inspection import what
from dogana.service.views.rows import first_start_of
from dogana.store import Session, messages
from dogana.store.tables.messages import MessageRow
from dogana.store.tables.promotions import PENDING, PromotionRow, State


@dataclass(frozen=True, kw_only=True)
class _Asked:
    """Somebody who is asked, for which seats, and perhaps for whom they would sit."""

    seats: tuple[Seat, ...]
    sits_for: str | None

    def words(self, names: Mapping[str, str]) -> str:
        """`your seat (release desk), for Ilse Brandt`."""
        labels = listed(list(dict.fromkeys(seat.label for seat in self.seats)), "or")
        return f"your seat ({labels})" + (
            f", as the stand-in of {names.get(self.sits_for, self.sits_for)}" if self.sits_for else ""
        )


async def tell_of_seats(backend: Backend) -> bool:
    """Tell the people of one promotion what it waits for now; whether there was one."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = await messages.lock_to_tell(session, now)
        if row is None:
            return False
        to = await recipients(backend, session)
        brief = Brief.model_validate(row.brief) if row.brief and row.state in PENDING else None
        asked = _asked(brief, to) if brief else {}
        told = {one.person_id: one for one in await messages.standing(session, row.number, [Kind.SEAT])}
        taken = await _end(session, row, told, asked, to, now)
        new = [] if brief is None or brief.by_facts else _new(row, brief, asked, told, to, now)
        reminders, again_at = await _reminders(session, row, asked, told, to, now) if brief else ([], None)
        held = _held(row, brief, to, now) if brief else []
        lapsed = await _lapsed(session, row, to, now) if brief else []
        frozen = _frozen(row, brief, to, now) if brief else []
        found = (*taken, *new, *reminders, *held, *lapsed, *frozen)
        await messages.keep(session, [one for one in found if one is not None])
        row.tell_at = again_at
    return True


def _asked(brief: Brief, to: Recipients) -> dict[str, _Asked]:
    """Who could take an open seat now, in their own right before as a stand-in."""
    out: dict[str, _Asked] = {}
    seats = [seat for seat in brief.seats if seat.taken_by is None and not seat.later]
    deciding = frozenset(to.holding(Right.DECIDE))
    for who in sorted(deciding):
        own = tuple(seat for seat in seats if who in seat.may_take)
        through = tuple(seat for seat in seats if who in seat.through)
        if own:
            out[who] = _Asked(seats=own, sits_for=None)
        elif through:
            out[who] = _Asked(seats=through, sits_for=through[0].through[who][0])
    return out


def _new(
    row: PromotionRow,
    brief: Brief,
    asked: Mapping[str, _Asked],
    told: Mapping[str, MessageRow],
    to: Recipients,
    now: datetime,
) -> list[dict[str, Any] | None]:
    """What those are told who have not been told yet."""
    names = {name: one.name for name, one in to.people.items()}
    start = first_start_of(row, brief.forecast)
    could = f" It could go {'now' if start <= now else when(start, row.environment.zone)}." if start else ""
    return [
        to.message(
            person,
            Kind.SEAT,
            f"seat/{row.number}",
            about=what(row),
            says=f"{what(row)} waits for {one.words(names)}.{could}",
            at=now,
            path=f"/promotion/{row.number}",
            promotion=row,
        )
        for person, one in asked.items()
        if person not in told
    ]


async def _end(
    session: Session,
    row: PromotionRow,
    told: Mapping[str, MessageRow],
    asked: Mapping[str, _Asked],
    to: Recipients,
    now: datetime,
) -> list[dict[str, Any] | None]:
    """End what nobody is asked for any more; who was told of it in vain hears who took the seat."""
    sitting = set(await messages.approvers(session, row.number)) if told else set[str]()
    names = listed([to.people[one].name for one in sorted(sitting) if one in to.people])
    over = row.ended if row.closed_at and not row.departed_at else f"Taken by {names}." if names else ""
    out = []
    for person, message in told.items():
        if person in asked:
            continue
        message.over_at = now
        message.over = "You took it." if person in sitting else over or "It needs nobody's word any more."
        if message.mail_id is not None and names and over and person not in sitting and not row.ended:
            out.append(
                to.message(
                    person,
                    Kind.SEAT_TAKEN,
                    f"taken/{message.id}",
                    about=what(row),
                    says=f"{what(row)} waits for you no longer: {names} took the seat.",
                    at=now,
                    path=f"/promotion/{row.number}",
                    promotion=row,
                )
            )
    await session.flush()
    return out


async def _reminders(
    session: Session,
    row: PromotionRow,
    asked: Mapping[str, _Asked],
    told: Mapping[str, MessageRow],
    to: Recipients,
    now: datetime,
) -> tuple[list[dict[str, Any] | None], datetime | None]:
    """What the policy has people reminded of by now, and when it next does."""
    policy = (await in_force(session, row.environment, now)).policy
    rules = {rule.id: rule.reminds() for rule in policy.rules}
    out: list[dict[str, Any] | None] = []
    times: list[datetime] = []
    for person, one in asked.items():
        since = told[person].at if person in told else now
        for rule in dict.fromkeys(seat.rule for seat in one.seats):
            reminds = rules.get(rule)
            if reminds is None:
                continue
            label = next(seat.label for seat in one.seats if seat.rule == rule)
            open_for = f"The seat of {label} for {what(row)} has been open for {lasting(now - since)}."
            if reminds.every is not None:
                passed = (now - since) // reminds.every
                times.append(since + (passed + 1) * reminds.every)
                if passed:
                    key = f"reminder/{row.number}/{rule}/{since.timestamp():.0f}/{passed}"
                    out.append(_reminder(row, person, key, f"{open_for} It is yours to take.", to, now))
            if reminds.after is not None and reminds.group is not None:
                if since + reminds.after > now:
                    times.append(since + reminds.after)
                    continue
                key = f"escalated/{row.number}/{rule}"
                out += [
                    _reminder(row, other, key, f"{open_for} Nobody has taken it.", to, now)
                    for other in all_but(to.of(reminds.group), *asked)
                ]
    return out, min(times, default=None)


def _reminder(
    row: PromotionRow, person: str, key: str, says: str, to: Recipients, now: datetime
) -> dict[str, Any] | None:
    return to.message(
        person,
        Kind.REMINDER,
        key,
        about=what(row),
        says=says,
        at=now,
        path=f"/promotion/{row.number}",
        promotion=row,
    )


def _held(row: PromotionRow, brief: Brief, to: Recipients, now: datetime) -> list[dict[str, Any] | None]:
    """What who asked is told, once: why it waits, and until when."""
    if row.state != State.WAITING:
        return []
    start = first_start_of(row, brief.forecast)
    until = f" The earliest it could go is {when(start, row.environment.zone)}." if start else ""
    return [
        to.message(
            row.requester_id,
            Kind.HELD,
            f"held/{row.number}",
            about=what(row),
            says=f"{what(row)} waits. {brief.sentence}{until}",
            at=now,
            path=f"/promotion/{row.number}",
            promotion=row,
        )
    ]


def _frozen(row: PromotionRow, brief: Brief, to: Recipients, now: datetime) -> list[dict[str, Any] | None]:
    """What who asked is told, once each, when a freeze has begun that holds it."""
    return [
        to.message(
            row.requester_id,
            Kind.CLOSED,
            f"closed/{row.number}/{closing.rule}/{closing.start.timestamp():.0f}",
            about=what(row),
            says=sentence(
                f"{closing.name} has begun, and holds {what(row)} until "
                f"{when(closing.end, row.environment.zone)}"
            ),
            at=now,
            path=f"/promotion/{row.number}",
            promotion=row,
        )
        for closing in brief.forecast.closings
        if closing.texture == "freeze" and closing.start <= now < closing.end
    ]


async def _lapsed(
    session: Session, row: PromotionRow, to: Recipients, now: datetime
) -> list[dict[str, Any] | None]:
    return [
        to.message(
            change.person_id or "",
            Kind.LAPSED,
            f"lapsed/{change.id}",
            about=what(row),
            says=f"Your approval of {what(row)} counts no longer. {sentence(change.because)}",
            at=now,
            path=f"/promotion/{row.number}",
            promotion=row,
        )
        for change in await messages.lapsed(session, row.number)
    ]
