"""Who is asked for the seats of what waits: told once, told when it is over, and reminded."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import structlog

from dogana.core.errors import AwayError
from dogana.core.inspect.sheet import Brief
from dogana.core.messages.kinds import Kind
from dogana.core.rules.base import Reminders
from dogana.core.rules.findings import Seat
from dogana.core.words import lasting, listed, sentence, when
from dogana.service.actor import Right
from dogana.service.backend import Backend
from dogana.service.messages.recipients import Recipients, all_but, recipients
from dogana.service.policies.in_force import in_force
from dogana.service.promotions.lookup import what
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


_AGAIN = timedelta(minutes=1)
_log = structlog.get_logger("dogana.worker")

Tell = Callable[[str, Kind, str, str], None]
"""Has somebody told something of one kind about the promotion, once for each key."""


async def tell_of_seats(backend: Backend) -> bool:
    """Tell the people of one promotion what it waits for now; whether there was one.

    One that cannot be told of is put off, and keeps nobody else from being told.
    """
    now = backend.clock()
    async with backend.database.transaction() as session:
        number = await messages.next_to_tell(session, now)
    if number is None:
        return False
    try:
        await _tell_of_one(backend, number, now)
    except AwayError:
        raise
    except Exception:  # noqa: BLE001 - one that fails stops no other
        _log.exception("not told", promotion=number)
        async with backend.database.transaction() as session:
            await messages.tell_later(session, number, now + _AGAIN)
    return True


async def _tell_of_one(backend: Backend, number: int, now: datetime) -> None:
    found: list[dict[str, Any] | None] = []
    async with backend.database.transaction() as session:
        row = await messages.lock_to_tell(session, number, now)
        if row is None:
            return
        to = await recipients(backend, session)

        def tell(person: str, kind: Kind, key: str, says: str) -> None:
            found.append(to.of_promotion(row, person, kind, key, says, now))

        brief = Brief.model_validate(row.brief) if row.brief and row.state in PENDING else None
        asked = _asked(brief, to) if brief else {}
        standing = await messages.standing(session, row.number, [Kind.SEAT, Kind.WAIVER])
        told = {one.person_id: one for one in standing if one.kind == Kind.SEAT}
        _end_waivers(row, brief, [one for one in standing if one.kind == Kind.WAIVER], now)
        await _end(session, row, told, asked, to, now, tell)
        row.tell_at = None
        if brief is not None:
            if not brief.by_facts:
                _ask(row, brief, {who: one for who, one in asked.items() if who not in told}, to, now, tell)
            if asked:
                row.tell_at = await _remind(session, row, asked, told, to, now, tell)
            _tell_who_asked(row, brief, now, tell)
            for change in await messages.lapsed(session, row.number):
                says = f"Your approval of {what(row)} counts no longer. {sentence(change.because)}"
                tell(change.person_id or "", Kind.LAPSED, f"lapsed/{change.id}", says)
        await messages.keep(session, found)


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


def _ask(
    row: PromotionRow, brief: Brief, asked: Mapping[str, _Asked], to: Recipients, now: datetime, tell: Tell
) -> None:
    """Ask those who have not been asked yet."""
    names = {name: one.name for name, one in to.people.items()}
    start = first_start_of(row, brief.forecast)
    could = f" It could go {'now' if start <= now else when(start, row.environment.zone)}." if start else ""
    for person, one in asked.items():
        says = f"{what(row)} waits for {one.words(names)}.{could}"
        tell(person, Kind.SEAT, f"seat/{row.number}", says)


async def _end(
    session: Session,
    row: PromotionRow,
    told: Mapping[str, MessageRow],
    asked: Mapping[str, _Asked],
    to: Recipients,
    now: datetime,
    tell: Tell,
) -> None:
    """End what nobody is asked for any more; who was told of it in vain hears who took the seat."""
    sitting = set(await messages.approvers(session, row.number)) if told else set[str]()
    names = listed([to.people[one].name for one in sorted(sitting) if one in to.people])
    over = row.ended if row.closed_at and not row.departed_at else f"Taken by {names}." if names else ""
    for person, message in told.items():
        if person in asked:
            continue
        message.over_at = now
        message.over = "You took it." if person in sitting else over or "It needs nobody's word any more."
        if message.mail_id is not None and names and person not in sitting and not row.ended:
            says = f"{what(row)} waits for you no longer: {names} took the seat."
            tell(person, Kind.SEAT_TAKEN, f"taken/{message.id}", says)
    await session.flush()


def _end_waivers(row: PromotionRow, brief: Brief | None, told: Iterable[MessageRow], now: datetime) -> None:
    """End what somebody was told of waivers that wait for them no longer."""
    may_grant = {who for one in (brief.asked if brief else ()) for who in one.may_grant}
    for message in told:
        if message.person_id not in may_grant:
            message.over_at = now
            message.over = row.ended or "It was granted, or nobody asks for it any more."


async def _remind(
    session: Session,
    row: PromotionRow,
    asked: Mapping[str, _Asked],
    told: Mapping[str, MessageRow],
    to: Recipients,
    now: datetime,
    tell: Tell,
) -> datetime | None:
    """Remind people as the policy has them reminded by now; gives when it next does."""
    policy = (await in_force(session, row.environment, now)).policy
    rules = {rule.id: rule.reminds() for rule in policy.rules}
    times: list[datetime] = []
    for person, one in asked.items():
        since = told[person].at if person in told else now
        for rule, label in {seat.rule: seat.label for seat in one.seats}.items():
            reminds = rules.get(rule, Reminders())
            open_for = f"The seat of {label} for {what(row)} has been open for {lasting(now - since)}."
            if reminds.every is not None:
                passed = (now - since) // reminds.every
                times.append(since + (passed + 1) * reminds.every)
                key = f"reminder/{row.number}/{rule}/{since.timestamp():.0f}/{passed}"
                if passed:
                    tell(person, Kind.REMINDER, key, f"{open_for} It is yours to take.")
            if reminds.after is not None and since + reminds.after > now:
                times.append(since + reminds.after)
            elif reminds.after is not None and reminds.group is not None:
                for other in all_but(to.of(reminds.group), *asked):
                    key = f"escalated/{row.number}/{rule}"
                    tell(other, Kind.REMINDER, key, f"{open_for} Nobody has taken it.")
    return min(times, default=None)


def _tell_who_asked(row: PromotionRow, brief: Brief, now: datetime, tell: Tell) -> None:
    """Tell who asked, once each, why it waits and until when, and when a freeze has begun that holds it."""
    zone = row.environment.zone
    if row.state == State.WAITING:
        start = first_start_of(row, brief.forecast)
        until = f" The earliest it could go is {when(start, zone)}." if start else ""
        says = f"{what(row)} waits. {brief.sentence}{until}"
        tell(row.requester_id, Kind.HELD, f"held/{row.number}", says)
    for closing in brief.forecast.closings:
        if closing.texture == "freeze" and closing.start <= now < closing.end:
            key = f"closed/{row.number}/{closing.rule}/{closing.start.timestamp():.0f}"
            says = f"{closing.name} has begun, and holds {what(row)} until {when(closing.end, zone)}"
            tell(row.requester_id, Kind.CLOSED, key, sentence(says))
