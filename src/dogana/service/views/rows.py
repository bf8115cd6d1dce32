"""Rows of the Desk and stations of its route lines, as readers are given them."""

import asyncio
from collections import Counter
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from functools import lru_cache
from typing import Literal, cast

from dogana.core.decisions import Shown
from dogana.core.document import Instant
from dogana.core.facts import PromotionKind
from dogana.core.inspect.sheet import Brief, Verdict
from dogana.core.policy.document import Policy
from dogana.core.rules.findings import Seat
from dogana.core.time.forecast import Closing, Forecast
from dogana.core.time.timetable import Timetable, departures
from dogana.core.time.windows import Calendar
from dogana.core.words import listed, when
from dogana.service.actor import Actor, Right
from dogana.service.landscape.closings import ClosingView
from dogana.service.landscape.stops import scheduled_departure
from dogana.service.shapes import Named, View, _named, named
from dogana.store.tables.landscape import LegRow
from dogana.store.tables.promotions import ON_ITS_WAY, PENDING, PromotionRow, State

WaitsFor = Literal["you", "others", "facts", "time", "nothing", "moving", "halted", "ended"]


class SeatView(View):
    """One seat as the viewer sees it."""

    rule: str
    label: str
    taken_by: Named | None
    taken_for: Named | None
    """Whom that person stands in for."""
    taken_at: Instant | None
    yours: bool
    """Whether the viewer could take it, or has."""
    later: bool
    """It opens only when the seats before it are filled."""


class Target(View):
    """Where a promotion goes."""

    id: str
    name: str
    zone: str


class Going(View):
    """How far what goes in step by step has come."""

    shares: list[int]
    """Of its steps, in percent."""
    at: int
    """Which of them it is on, from 0."""
    halted: bool


class Moving(View):
    """How what is on its way in fares, as far as anybody said."""

    heard_at: Instant
    """When it was last heard of."""
    heard_from: Named
    says: str
    silent: bool
    """Whether that is so long ago that an approver may end it in the place of its deployer."""


class Row(View):
    """One promotion on the desk."""

    number: int
    service: Named
    version: str
    kind: PromotionKind
    route: Named
    urgent: bool
    """Whether it takes an urgent route."""
    bundle: Named | None
    """What it crosses together with, or not at all."""
    source: str | None
    target: Target
    state: str
    verdict: Verdict
    sentence: str
    waits_for: WaitsFor
    seats: list[SeatView]
    closings: list[Closing]
    first_start: Instant | None
    next_departure_at: Instant | None
    """When its environment next takes in what is cleared, where that has set times."""
    prepared_at: Instant | None
    """When its deployer said that everything is ready for it."""
    requested_by: Named
    requested_at: Instant
    changed_at: Instant
    departed_at: Instant | None
    closed_at: Instant | None
    going: Going | None = None
    """How far it has come, where it moves step by step."""
    overdue: bool = False
    """Whether it takes longer to go in than its environment allows."""
    moving: Moving | None = None
    """How it fares, while it moves."""
    shown: Shown | None
    """What an approval of this very row is bound to, where it waits for the reader."""


class Station(View):
    """One environment on the route line."""

    id: str
    name: str
    leg: int
    waiting: int
    moving: int
    closed_by: str | None
    """The window that closes it now."""
    closed_until: Instant | None
    closed_at_once: ClosingView | None
    """The last of what closes it that the policy does not say."""
    may_close: bool
    """Whether the viewer may close it at once, and open it again with a second person."""
    takes_in: str | None
    """Its set times, in words."""
    next_at: Instant | None
    """The next of them."""
    address: str | None
    """Where a service can be opened there, with `{service}` and `{version}` in it."""


_AT_A_TIME = 10


@lru_cache(maxsize=4096)
def _target(id_: str, name: str, zone: str) -> Target:
    return Target(id=id_, name=name, zone=zone)


async def row_views(
    rows: Sequence[PromotionRow], actor: Actor, names: dict[str, str], now: datetime
) -> list[Row]:
    """Rows of the desk, in which whoever else asks something has their turn in between."""
    out = []
    for n, row in enumerate(rows, start=1):
        out.append(row_view(row, actor, names, now))
        if n % _AT_A_TIME == 0:
            await asyncio.sleep(0)
    return out


def row_view(
    row: PromotionRow, actor: Actor, names: dict[str, str], now: datetime, brief: Brief | None = None
) -> Row:
    """One row of the desk, as somebody sees it."""
    if brief is None and row.brief is not None:
        brief = Brief.model_validate(row.brief)
    service = row.release.service
    pending = row.state in PENDING
    waits_for = _waits_for(row, brief, actor)
    return Row(
        number=row.number,
        service=_named(service.id, service.title),
        version=row.release.version,
        kind=cast("PromotionKind", row.kind),
        route=_named(row.route_id, row.route.title),
        urgent=row.route.lets_in is not None,
        bundle=Named(id=str(row.bundle.id), name=row.bundle.title) if row.bundle else None,
        source=row.source,
        target=_target(row.environment_id, row.environment.title, row.environment.zone),
        state=row.state,
        verdict=brief.verdict if brief else Verdict.CLEARED if row.departed_at else Verdict.HELD,
        sentence=_sentence(row, brief, actor, now)
        if brief
        else row.ended or "Taken in; it is being inspected.",
        waits_for=waits_for,
        seats=[_seat(seat, actor, names) for seat in brief.seats] if brief else [],
        closings=list(brief.forecast.closings) if brief and pending else [],
        first_start=first_start_of(row, brief.forecast)
        if brief and pending and brief.verdict is not Verdict.BARRED
        else None,
        next_departure_at=scheduled_departure(row.environment, now) if pending else None,
        prepared_at=row.prepared_at,
        requested_by=_named(row.requester_id, row.requester.name),
        requested_at=row.requested_at,
        changed_at=row.changed_at,
        departed_at=row.departed_at,
        overdue=row.overdue_at is not None and row.state == State.MOVING,
        closed_at=row.closed_at,
        shown=brief.shown if brief and waits_for == "you" else None,
    )


def first_start_of(row: PromotionRow, forecast: Forecast) -> datetime | None:
    """When time first allows it, at a set time where its environment has some."""
    opens, environment = forecast.first_start, row.environment
    if opens is None or environment.timetable is None:
        return opens
    table = Timetable.model_validate(environment.timetable)
    slots = departures(table, environment.zone, opens - timedelta.resolution, forecast.end)
    return next((slot for slot in slots if not forecast.closed_by(slot)), None)


def _sentence(row: PromotionRow, brief: Brief, actor: Actor, now: datetime) -> str:
    if row.ended:
        return row.ended
    asked = [one.title for one in brief.asked if actor.id in one.may_grant and Right.DECIDE in actor.rights]
    if row.state in PENDING and asked:
        return f"You are asked to waive \u201c{listed(asked)}\u201d. {brief.sentence}"
    if row.state == State.MOVING and row.departed_at:
        return f"On its way in since {when(row.departed_at, row.environment.zone)}."
    if row.state == State.WAITING and brief.verdict is Verdict.CLEARED and row.bundle is not None:
        return f"Ready. It crosses with the rest of \u201c{row.bundle.title}\u201d, which is not."
    return _departs(row, brief, now) if row.state == State.CLEARED else brief.sentence


def _departs(row: PromotionRow, brief: Brief, now: datetime) -> str:
    """What the departure of something cleared waits for."""
    at = scheduled_departure(row.environment, now)
    if at is not None:
        return f"Cleared. {row.environment.title} takes it in {when(at, row.environment.zone)}."
    if row.environment.departs == "by deployer":
        return "Cleared. Departs when its deployer says so."
    return brief.sentence


_NO_LONGER_WAITS: dict[str, WaitsFor] = {State.HALTED: "halted", State.MOVING: "moving"}


def _waits_for(row: PromotionRow, brief: Brief | None, actor: Actor) -> WaitsFor:
    if row.state not in PENDING:
        return _NO_LONGER_WAITS.get(row.state, "ended")
    if brief is None or row.state == State.CLEARED:
        return "nothing" if brief else "facts"
    decides = Right.DECIDE in actor.rights
    vacant = [seat for seat in brief.seats if seat.taken_by is None]
    to_grant = any(actor.id in one.may_grant for one in brief.asked)
    to_sit = not brief.by_facts and any(seat.open_to(actor.id) for seat in vacant)
    if decides and (to_grant or to_sit):
        return "you"
    if brief.by_facts:
        return "facts"
    return "others" if vacant or brief.by_people else "time"


def _seat(seat: Seat, actor: Actor, names: dict[str, str]) -> SeatView:
    taken = seat.taken_by
    return SeatView(
        rule=seat.rule,
        label=seat.label,
        taken_by=named(taken, names) if taken else None,
        taken_for=named(seat.taken_for, names) if seat.taken_for else None,
        taken_at=seat.taken_at,
        later=seat.later,
        yours=taken == actor.id or (Right.DECIDE in actor.rights and seat.open_to(actor.id)),
    )


def station(
    leg: LegRow,
    under_way: Counter[str],
    policy: Policy | None,
    calendars: Mapping[str, Calendar],
    now: datetime,
    closing: ClosingView | None,
    actor: Actor,
) -> Station:
    """One environment of a route, with what waits and what closes it now."""
    environment = leg.environment
    closed_by, until = _closed_now(policy, calendars, now) if policy else (None, None)
    if closing is not None and (closed_by is None or (until is not None and until < closing.until)):
        closed_by, until = closing.reason, closing.until
    return Station(
        id=environment.id,
        name=environment.title,
        leg=leg.position,
        waiting=sum(under_way[state] for state in PENDING),
        moving=sum(under_way[state] for state in ON_ITS_WAY),
        closed_by=closed_by,
        closed_until=until,
        closed_at_once=closing,
        may_close=Right.DECIDE in actor.rights
        and policy is not None
        and policy.closes is not None
        and policy.closes in actor.groups,
        takes_in=Timetable.model_validate(environment.timetable).in_words()
        if environment.timetable
        else None,
        next_at=scheduled_departure(environment, now),
        address=environment.address,
    )


def _closed_now(
    policy: Policy, calendars: Mapping[str, Calendar], now: datetime
) -> tuple[str | None, datetime | None]:
    for rule in policy.rules:
        names, until = rule.frozen_at(now, calendars)
        if names:
            return listed(names), until
    return None, None
