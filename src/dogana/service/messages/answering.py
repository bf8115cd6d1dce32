"""Deciding by a link from a mail: good for one person, one promotion, exactly what was shown, and one use.

Whoever holds the link is taken for the person it was sent to, and may do with it what the policy lets them
do by mail, no more: not read the rest, not sign in, not decide on anything else.
"""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from datetime import datetime
from typing import Literal

from dogana.core.decisions import Shown, changed_parts
from dogana.core.errors import (
    AwayError,
    DoganaError,
    ForbiddenError,
    InvalidError,
    MovedOnError,
    NotFoundError,
)
from dogana.core.record.actions import Action
from dogana.core.words import listed, lower_first, when
from dogana.service.actor import ENGINE, Actor, Right, actor_of
from dogana.service.backend import Backend
from dogana.service.hashing import secret_digest
from dogana.service.ledger.entries import record
from dogana.service.preconditions import must_say
from dogana.service.promotions.decisions import refuse_from_seat, same_as_shown, take_seat
from dogana.service.promotions.inspection import Held
from dogana.service.promotions.lookup import found, what
from dogana.service.promotions.refreshing import pending
from dogana.service.shapes import View
from dogana.service.views.dossier import Dossier, dossier
from dogana.store import messages, people
from dogana.store.tables.messages import AnswerLinkRow


class AnsweredFinding(View):
    """One finding, in brief."""

    title: str
    outcome: str
    because: str


class AnswerPage(View):
    """What somebody is asked by a link, with the dossier in brief."""

    person: str
    promotion: int
    about: str
    open: bool
    """Whether it may be answered."""
    says: str
    """Why not, or what it waits for."""
    effect: str
    """What an approval would bring about."""
    comment_needed: bool
    note: str
    commits: int
    files: int
    change_unknown: str | None
    tickets: list[str]
    findings: list[AnsweredFinding]
    ends: str
    """Until when the link is good, in words."""


class Answered(View):
    """What came of an answer."""

    says: str


async def look(backend: Backend, token: str) -> AnswerPage:
    """What a link asks; looking at it uses nothing up.

    Raises:
        NotFoundError: for no link of ours.
    """
    row, actor = await _link(backend, token)
    file = await dossier(backend, actor, row.promotion)
    why_not = _ended(row, backend.clock(), file.row.target.zone) or _why_not(row, file)
    return AnswerPage(
        person=actor.name,
        promotion=row.promotion,
        about=f"{file.row.service.name} {file.row.version} into {file.row.target.name}",
        open=why_not is None,
        says=why_not or file.row.sentence,
        effect=file.mine.effect or "",
        comment_needed=file.mine.comment_needed,
        note=file.note,
        commits=file.counts.commits,
        files=file.counts.files,
        change_unknown=file.change.unknown,
        tickets=[one.key for one in file.tickets.value or ()],
        findings=[
            AnsweredFinding(title=one.title, outcome=one.outcome.value, because=one.because)
            for one in file.findings
        ],
        ends=when(row.expires_at, file.row.target.zone),
    )


async def answer(
    backend: Backend, token: str, *, says: Literal["approve", "turn back"], comment: str
) -> Answered:
    """Take the seat, or turn the promotion back, as the person the link was sent to; it is used up by that.

    Raises:
        NotFoundError: for no link of ours.
        MovedOnError: for one that was used or has ended, and where the promotion waits no longer.
        ChangedSinceShownError: when it is not any more what the mail showed; the link is of no use then.
        RefusedError: where the policy does not let the seat be taken by mail.
        ExcludedError, NoSeatError, AlreadyDecidedError: as for any approval.
    """
    row, actor = await _link(backend, token)
    try:
        return await _answered(backend, row, actor, says, comment)
    except (InvalidError, AwayError):
        # Something is to be said first, or it is tried once more; the link is as good as before.
        raise
    except DoganaError as exc:
        await _keep_refusal(backend, row, actor, exc)
        raise


async def _answered(
    backend: Backend, row: AnswerLinkRow, actor: Actor, says: Literal["approve", "turn back"], comment: str
) -> Answered:
    actor.must(Right.DECIDE)
    if says == "turn back":
        must_say(comment, "Say why it is turned back.", "/comment")
    async with _used(backend, row) as held:
        same_as_shown(held.sheet, Shown.model_validate(row.shown))
        about = what(held.row)
        if says == "approve":
            sheet = await take_seat(held, actor, comment)
            return Answered(says=f"You approved {about}. {sheet.sentence}")
        await refuse_from_seat(held, actor, comment)
        return Answered(says=f"You turned back {about}; who asked for it is told why.")


@asynccontextmanager
async def _used(backend: Backend, row: AnswerLinkRow) -> AsyncIterator[Held]:
    """The promotion of a link, held alone, in the transaction in which the link is used up."""
    # That it was used is said before that the promotion waits no longer, which may come of that very use.
    _must_be_good(row, backend.clock(), backend.zone)
    async with pending(backend, row.promotion) as held:
        locked = await messages.link(held.session, row.digest, lock=True)
        if locked is None:
            raise MovedOnError("This link is good no longer.")
        _must_be_good(locked, held.sheet.at, held.row.environment.zone)
        yield held
        locked.used_at = held.sheet.at


async def _link(backend: Backend, token: str) -> tuple[AnswerLinkRow, Actor]:
    """A link, and who it was sent to, with the rights that they have now.

    Raises:
        NotFoundError: for no link of ours.
        ForbiddenError: once that person may not come in any more.
    """
    async with backend.database.transaction() as session:
        row = await messages.link(session, secret_digest(token))
        if row is None:
            raise NotFoundError("This link is none of ours, or too old to be known.")
        person = await people.person(session, row.person_id)
    if person is None or person.disabled_at is not None:
        raise ForbiddenError("This link was sent to somebody who may not come in any more.")
    return row, actor_of(person, "mail")


def _ended(row: AnswerLinkRow, now: datetime, zone: str) -> str | None:
    """Why a link is good no longer; None while it is."""
    if row.used_at is not None:
        return f"This link was used {when(row.used_at, zone)}; each is good once."
    if row.expires_at <= now:
        return f"This link was good until {when(row.expires_at, zone)}. Open the Desk to decide."
    return None


def _must_be_good(row: AnswerLinkRow, now: datetime, zone: str) -> None:
    ended = _ended(row, now, zone)
    if ended:
        raise MovedOnError(ended)


def _why_not(row: AnswerLinkRow, file: Dossier) -> str | None:
    """Why a promotion cannot be answered by a link as it is now; None when it can."""
    if file.mine.why_not is not None:
        return file.mine.why_not
    changed = changed_parts(Shown.model_validate(row.shown), file.mine.shown)
    if changed:
        verb = "has" if len(changed) == 1 else "have"
        return (
            f"Since the mail was sent, {lower_first(listed(changed))} {verb} changed. Open the Desk to look."
        )
    if not file.mine.by_mail:
        return "The policy does not let this seat be taken by mail; open the Desk."
    return None


async def _keep_refusal(backend: Backend, row: AnswerLinkRow, actor: Actor, exc: DoganaError) -> None:
    """Put on record, once a link, that an answer in somebody's name was refused; they are told of it."""
    async with backend.database.transaction() as session:
        locked = await messages.link(session, row.digest, lock=True)
        if locked is None or locked.refused_at is not None:
            return
        promotion = await found(session, row.promotion)
        locked.refused_at = now = backend.clock()
        says = f"An answer by mail in the name of {actor.name}, to {what(promotion)}, was refused."
        details = {"person": actor.id}
        record(
            session,
            ENGINE,
            Action.REFUSE_ANSWER,
            says,
            now,
            promotion=promotion,
            reason=exc.detail,
            details=details,
        )
