"""Sign-off: whom the policy asks confirms what has landed, or closes it with issues; silence says nothing."""

from collections.abc import Mapping, Sequence
from datetime import datetime

from dogana.core.document import Instant
from dogana.core.errors import MovedOnError, NotFoundError, RefusedError
from dogana.core.record.actions import Action
from dogana.core.words import lasting, sentence, when
from dogana.service.actor import ENGINE, Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.preconditions import must_say
from dogana.service.promotions.authorship import part_in, parts_in
from dogana.service.promotions.lookup import found, found_locked, what
from dogana.service.shapes import Named, View
from dogana.store import Session, people, schedule, sign_offs
from dogana.store.database import announce
from dogana.store.tables.promotions import PromotionRow, State
from dogana.store.tables.sign_offs import SignOffRow

_MOST = 200


class SignOffView(View):
    """What a group is asked about a promotion, or said."""

    promotion: int
    service: Named
    version: str
    environment: Named
    group: Named
    state: str
    """One of `to come` before it has landed, `asked`, `confirmed`, `issues`, and `lapsed` once replaced."""
    says: str
    """How it stands, as a sentence."""
    landed_at: Instant | None
    due_at: Instant | None
    """Until when they were to say something."""
    overdue: bool
    yours: bool
    """Whether it is the viewer's to confirm: of the group, and had no hand in it."""
    may_close: bool
    """Whether the viewer may close it with issues: all of the group may."""
    comment: str
    issues: str | None
    ticket: str | None


async def sign_off(backend: Backend, actor: Actor, number: int) -> SignOffView | None:
    """What a group is asked about a promotion, or said; None where nobody is.

    Raises:
        NotFoundError: when there is no such promotion.
    """
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row, asked = await found(session, number), await sign_offs.get(session, number)
        if asked is None or (asked.landed_at is None and row.state not in (State.MOVING, State.HALTED)):
            return None
        return (await _views(session, actor, [(asked, row)], await people.names(session), now))[0]


async def on_desk(
    session: Session, actor: Actor, names: Mapping[str, str], now: datetime
) -> tuple[list[SignOffView], bool]:
    """What has landed and is not confirmed yet, what landed first first, and whether that is all."""
    asked = await sign_offs.unsaid(session, _MOST + 1)
    return await _views(session, actor, asked[:_MOST], names, now), len(asked) <= _MOST


async def confirm(backend: Backend, actor: Actor, number: int, *, comment: str) -> SignOffView:
    """Say that it is well there.

    Raises:
        NotFoundError: when nobody is asked.
        MovedOnError: when it has not landed, or somebody said something already.
        RefusedError: for whoever is not of the group, and for who asked for the promotion.
    """
    return await _say(backend, actor, number, comment=comment, issues=None, ticket=None)


async def close_with_issues(
    backend: Backend, actor: Actor, number: int, *, issues: str, ticket: str | None
) -> SignOffView:
    """Say what is wrong there; its soak ends, and it counts as good no more.

    Raises:
        InvalidError: without saying what.
        NotFoundError: when nobody is asked.
        MovedOnError: when it has not landed, or somebody said something already.
        RefusedError: for whoever is not of the group.
    """
    must_say(issues, "Say what is wrong.", "/comment")
    return await _say(backend, actor, number, comment="", issues=issues.strip(), ticket=ticket)


async def _say(
    backend: Backend, actor: Actor, number: int, *, comment: str, issues: str | None, ticket: str | None
) -> SignOffView:
    actor.must(Right.DECIDE)
    now = backend.clock()
    async with backend.database.transaction() as session:
        row = (await found_locked(session, number)).row
        asked = await sign_offs.get(session, number, lock=True)
        if asked is None:
            raise NotFoundError(f"Nobody is asked to confirm promotion {number}.")
        if asked.landed_at is None or row.state != State.LANDED:
            raise MovedOnError(f"Promotion {number} has not landed: it is {row.state}.")
        if asked.said_at is not None:
            raise MovedOnError("Somebody has said how it is already.")
        if asked.lapsed_at is not None:
            raise MovedOnError("Another release has landed in its place.")
        await _must_be_asked(session, actor, row, asked, well=issues is None)
        asked.said_at, asked.said_by_id, asked.remind_at = now, actor.id, None
        asked.comment, asked.issues, asked.ticket = comment.strip(), issues, ticket
        row.changed_at = now
        if issues is None:
            action, says = Action.CONFIRM_LANDING, f"{actor.name} confirmed that {what(row)} is well."
        else:
            action, says = Action.CLOSE_WITH_ISSUES, f"{actor.name} closed {what(row)} with issues."
        details = {"group": asked.group_id} | ({"ticket": ticket} if ticket else {})
        record(session, actor, action, says, now, promotion=row, reason=issues or comment, details=details)
        schedule.inspection(session, now, service=row.service_id)
        announce(session, "promotion", [number])
        return (await _views(session, actor, [(asked, row)], await people.names(session), now))[0]


async def _must_be_asked(
    session: Session, actor: Actor, row: PromotionRow, asked: SignOffRow, *, well: bool
) -> None:
    """See that they are of the group, and for the good word that they had no hand in it."""
    if asked.group_id not in actor.groups:
        groups = await people.group_titles(session)
        raise RefusedError(sentence(f"{groups.get(asked.group_id, asked.group_id)} say how it is"))
    part = await part_in(session, actor.id, row) if well else False
    if part is None:
        unknown = "It is not known who wrote it, so nobody counts as somebody else"
        raise RefusedError(f"{unknown}; promote it anew once its repository can be read.")
    if part:
        raise RefusedError("You asked for it or wrote part of it; somebody else confirms that it is well.")


async def remind_due(backend: Backend) -> None:
    """Remind the groups that have not said anything in time, again and again: silence is no yes."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        due = await sign_offs.to_remind(session, now, _MOST)
        groups = await people.group_titles(session) if due else {}
        for asked, row in due:
            if asked.landed_at is None:
                continue
            asked.remind_at = now + asked.within
            who, waited = groups.get(asked.group_id, asked.group_id), lasting(now - asked.landed_at)
            says = sentence(f"{who} have not said how {what(row)} is, which landed {waited} ago")
            details = {"group": asked.group_id}
            record(session, ENGINE, Action.REMIND, says, now, promotion=row, details=details)
            announce(session, "promotion", [row.number])


async def _views(
    session: Session,
    actor: Actor,
    asked: Sequence[tuple[SignOffRow, PromotionRow]],
    names: Mapping[str, str],
    now: datetime,
) -> list[SignOffView]:
    groups = await people.group_titles(session) if asked else {}
    may = Right.DECIDE in actor.rights
    theirs = [row for one, row in asked if may and one.said_at is None and one.group_id in actor.groups]
    parts = await parts_in(session, actor.id, theirs)
    return [_view(one, row, parts, names, groups, now) for one, row in asked]


def _view(
    asked: SignOffRow,
    row: PromotionRow,
    parts: Mapping[int, bool | None],
    names: Mapping[str, str],
    groups: Mapping[str, str],
    now: datetime,
) -> SignOffView:
    group = groups.get(asked.group_id, asked.group_id)
    due = asked.landed_at + asked.within if asked.landed_at else None
    state, says = _says(asked, row, names, group, now)
    may = state == "asked" and row.number in parts
    return SignOffView(
        promotion=row.number,
        service=Named(id=row.service_id, name=row.release.service.title),
        version=row.release.version,
        environment=Named(id=row.environment_id, name=row.environment.title),
        group=Named(id=asked.group_id, name=group),
        state=state,
        says=says,
        landed_at=asked.landed_at,
        due_at=due,
        overdue=state == "asked" and due is not None and due <= now,
        yours=may and parts[row.number] is False,
        may_close=may,
        comment=asked.comment,
        issues=asked.issues,
        ticket=asked.ticket,
    )


def _says(
    asked: SignOffRow, row: PromotionRow, names: Mapping[str, str], group: str, now: datetime
) -> tuple[str, str]:
    zone, who = row.environment.zone, names.get(asked.said_by_id or "", asked.said_by_id or "")
    if asked.landed_at is None:
        return "to come", f"Once it has landed, {group} confirm it within {lasting(asked.within)}."
    if asked.lapsed_at is not None:
        replaced = when(asked.lapsed_at, zone)
        return "lapsed", f"Another release took its place {replaced}, before anybody had said how it is."
    if asked.said_at is None:
        due = asked.landed_at + asked.within
        if due > now:
            return "asked", f"Waits for {group} to say how it is, until {when(due, zone)}."
        return "asked", sentence(f"{group} were to say how it is by {when(due, zone)}; nobody has")
    said = when(asked.said_at, zone)
    if asked.issues is None:
        return "confirmed", f"{who} confirmed it {said}{f': {asked.comment}' if asked.comment else ''}."
    ticket = f" ({asked.ticket})" if asked.ticket else ""
    return "issues", f"{who} closed it with issues {said}: {sentence(asked.issues)}{ticket}"
