"""Who is concerned by what stands on record, and what each of them is told of it."""

import json
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

import structlog

from dogana.core.errors import AwayError
from dogana.core.inspect.sheet import Brief
from dogana.core.messages.kinds import ENDED_BY, OF_ENTRIES, Kind
from dogana.core.record.actions import Action
from dogana.core.words import lasting, sentence
from dogana.service.actor import Right
from dogana.service.backend import Backend
from dogana.service.dual_control import CONFIRM, ProposedChange
from dogana.service.messages.recipients import Recipients, all_but, recipients
from dogana.service.promotions.lookup import what
from dogana.store import Session, house, landscape, messages, people, promotions, sign_offs
from dogana.store.tables.ledger import EntryRow
from dogana.store.tables.messages import MailRow
from dogana.store.tables.promotions import PromotionRow
from dogana.store.tables.sources import SourceRow

_AT_ONCE = 50
_log = structlog.get_logger("dogana.worker")
_PASSES = timedelta(minutes=5)
"""A source that fails for less is back before anybody could look."""

_OF_BOTH = {Kind.DEPARTED, Kind.MOVED_ON, Kind.HALTED, Kind.LANDED, Kind.ROLLED_BACK}
"""What concerns who let it in, beside who asked."""


async def tell_of_entries(backend: Backend) -> bool:
    """Tell people of what was written on record; whether there may be more.

    Who is told is written with what is taken from the queue, so a process that dies here tells once. One
    entry that cannot be told of stays there, and keeps nobody from being told of the others.
    """
    told: list[int] = []
    async with backend.database.transaction() as session:
        entries = await messages.untold(session, _AT_ONCE)
        if not entries:
            return False
        to = await recipients(backend, session)
        for entry in entries:
            try:
                async with session.begin_nested():
                    await _tell_of(session, entry, to)
            except AwayError:
                raise
            except Exception:  # noqa: BLE001 - one that fails stops no other
                _log.exception("not told", entry=entry.id)
            else:
                told.append(entry.id)
        if told:
            await messages.told_of(session, told)
    return len(told) == _AT_ONCE


async def _tell_of(session: Session, entry: EntryRow, to: Recipients) -> None:
    action, body = Action(entry.action), json.loads(entry.body)
    key = _waits_as(entry, action, body)
    if key is not None and action in ENDED_BY:
        await messages.end(session, list(to.people), key, entry.at, body["says"])
    if action in OF_ENTRIES:
        await messages.keep(session, await _messages(session, entry, body, key, to))
    if action == Action.CHANGE_ADDRESS:
        await _tell_old_address(session, entry, body, to)


def _waits_as(entry: EntryRow, action: Action, body: dict[str, Any]) -> str | None:
    """What people are told under as long as it waits for one of them; None for what waits for nobody."""
    details = body.get("details", {})
    match ENDED_BY.get(action, OF_ENTRIES.get(action)):
        case Kind.DRAFT:
            return f"draft/{entry.environment_id}"
        case Kind.CHANGE:
            return f"change/{details['kind']}/{details['of']}"
        case _:
            return None


async def _messages(
    session: Session, entry: EntryRow, body: dict[str, Any], key: str | None, to: Recipients
) -> list[dict[str, Any] | None]:
    row = await session.get(PromotionRow, entry.promotion) if entry.promotion is not None else None
    kind = OF_ENTRIES[Action(entry.action)]
    concerned = {kind: await _concerned(session, entry, body, row, to)}
    if entry.action == Action.LAND and row is not None:
        concerned[Kind.SIGN_OFF] = await _to_sign_off(session, row, to)
    about, path = await _subject(session, entry, row)
    said = body["says"] + (f" {sentence(body['reason'])}" if body.get("reason") else "")
    return [
        to.message(
            person,
            one,
            key or f"entry/{entry.id}/{one}",
            about=about,
            says=said,
            at=entry.at,
            path=path,
            promotion=row,
        )
        for one, names in concerned.items()
        for person in all_but(names, entry.actor_id)
    ]


async def _tell_old_address(session: Session, entry: EntryRow, body: dict[str, Any], to: Recipients) -> None:
    """Tell the address that somebody had: they may not know of the other one."""
    details = body["details"]
    says = (
        f"{body['says']} It is not this one any more. If that was not meant to be, tell an administrator now."
    )
    key = f"entry/{entry.id}/old"
    row = to.message(details["person"], Kind.ADDRESS, key, about="", says=says, at=entry.at, path="/desk")
    if row is None or not to.mailed:
        return
    mail = MailRow(
        person_id=details["person"], address=details["old"], made_at=entry.at, next_attempt_at=entry.at
    )
    session.add(mail)
    await session.flush()
    await messages.keep(session, [row | {"mail_id": mail.id}])


async def _concerned(
    session: Session, entry: EntryRow, body: dict[str, Any], row: PromotionRow | None, to: Recipients
) -> Sequence[str]:
    """Who is told of an entry, its own author aside."""
    action, details = Action(entry.action), body.get("details", {})
    match action:
        case Action.COMMENT:
            named = list(details.get("mentions", ()))
        case Action.BREAK_GLASS:
            named = to.holding(Right.ADMINISTER)
        case Action.DRAFT:
            named = to.holding(Right.ADOPT_POLICY)
        case Action.ASK_CHANGE:
            named = await _to_confirm(session, details, to)
        case Action.REFUSE_ANSWER | Action.INVITE | Action.CHANGE_ADDRESS:
            named = [details["person"]]
        case Action.REMIND:
            named = to.of(details["group"])
        case Action.ASK_WAIVER:
            brief = Brief.model_validate(row.brief) if row is not None and row.brief else None
            may = {who for one in (brief.asked if brief else ()) for who in one.may_grant}
            named = [who for who in to.holding(Right.DECIDE) if who in may]
        case _:
            return await _affected(session, entry, details, row)
    return named


async def _to_confirm(session: Session, details: dict[str, Any], to: Recipients) -> list[str]:
    """Who may confirm a change, as long as it waits."""
    row = await people.proposal_about(session, details["kind"], details["of"])
    if row is None:
        return []
    change = ProposedChange.of(row)
    able = {who for right in CONFIRM[change.kind] for who in to.holding(right)}
    return sorted(able - {change.person})


async def _affected(
    session: Session, entry: EntryRow, details: dict[str, Any], row: PromotionRow | None
) -> list[str]:
    """Who asked for or approved what an entry is about, or what waits for where it happened."""
    action = Action(entry.action)
    if row is not None:
        return await _of_promotion(session, row, both=OF_ENTRIES[action] in _OF_BOTH)
    names = [one.requester_id for one in await promotions.pending_into(session, entry.environment_id or "")]
    runs = await promotions.get(session, int(details.get("landed", details.get("landing", 0))))
    return names + (await _of_promotion(session, runs, both=True) if runs else [])


async def _of_promotion(session: Session, row: PromotionRow, *, both: bool) -> list[str]:
    approved = await messages.approvers(session, row.number) if both else []
    return [row.requester_id, *approved]


async def _to_sign_off(session: Session, row: PromotionRow, to: Recipients) -> list[str]:
    asked = await sign_offs.get(session, row.number)
    return to.of(asked.group_id) if asked is not None and asked.said_at is None else []


async def _subject(session: Session, entry: EntryRow, row: PromotionRow | None) -> tuple[str, str]:
    """What an entry is about, in words, and where that is looked at."""
    if row is not None:
        return what(row), f"/promotion/{row.number}"
    environment = await landscape.environment(session, entry.environment_id) if entry.environment_id else None
    title = environment.title if environment else ""
    if entry.action == Action.DRAFT:
        return f"The policy of {title}", f"/policies?environment={entry.environment_id}"
    return title, "/desk"


async def tell_of_sources(backend: Backend) -> None:
    """Tell administrators, once each time, of a source that cannot be read for a while."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        failing = [one for one in await house.failing(session) if _failing_for(one, now) >= _PASSES]
        if not failing:
            return
        to = await recipients(backend, session)
        rows = [
            to.message(
                person,
                Kind.SOURCE,
                f"source/{one.id}/{one.failing_since}",
                about=one.title,
                says=f"{one.title} cannot be read for {lasting(_failing_for(one, now))}: "
                f"{sentence(one.reason or 'it does not answer')} What rests on it counts as unknown.",
                at=now,
                path="/set-up/sources",
            )
            for one in failing
            for person in to.holding(Right.ADMINISTER)
        ]
        await messages.keep(session, rows)


def _failing_for(source: SourceRow, now: datetime) -> timedelta:
    return now - (source.failing_since or now)
