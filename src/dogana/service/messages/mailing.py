"""Mail: what is due to somebody gathered into one, handed over until it is taken or given up.

A process that dies between handing a mail over and writing that down hands it over once more, under the same
`Message-ID`: losing it would be worse.
"""

import asyncio
import base64
import secrets
from collections.abc import Sequence
from datetime import timedelta
from email.message import EmailMessage

import structlog

from dogana.core.errors import DoganaError, SealingError
from dogana.core.messages.kinds import Kind
from dogana.service.actor import actor_of
from dogana.service.backend import Backend
from dogana.service.counting import MAILS
from dogana.service.hashing import secret_digest
from dogana.service.messages.choosing import UNSUBSCRIBE, Unsubscribed
from dogana.service.messages.writing import ASKS, Links, about_one, gathered, mail_of
from dogana.service.people import passwords
from dogana.service.retrying import again_after
from dogana.service.views.dossier import Dossier, dossier
from dogana.sources import Mailer, NotSentError
from dogana.store import messages, people
from dogana.store.database import announce
from dogana.store.tables.messages import AnswerLinkRow, MailRow, MessageRow

_LEASE = timedelta(seconds=60)
_AT_ONCE = 8
_MOST_IN_ONE = 100
_MOST_ANSWERED = 10
"""Of how many promotions one mail holds a link to decide by."""
_TOGETHER = timedelta(seconds=15)
"""For how long what is due waits for what comes with it: ten promotions at once are one mail."""
_ANSWERED_WITHIN = timedelta(days=3)
_KEPT = timedelta(days=400)
_log = structlog.get_logger("dogana.worker")


async def mail_due(backend: Backend) -> bool:
    """Gather what is due into mails, and hand over those that are due; whether there may be more."""
    if backend.mailer is None:
        return False
    while await _gather_one(backend):
        continue
    async with backend.database.transaction() as session:
        claimed = await messages.claim(session, backend.clock(), _LEASE, _AT_ONCE)
    await asyncio.gather(*(_send(backend, backend.mailer, row) for row in claimed))
    return len(claimed) == _AT_ONCE


async def forget_old(backend: Backend) -> None:
    """Let go of what people were told more than a year ago."""
    async with backend.database.transaction() as session:
        await messages.forget(session, backend.clock() - _KEPT)


async def _gather_one(backend: Backend) -> bool:
    """Make one mail of what is due to whoever waits longest; whether there was anybody."""
    now = backend.clock()
    async with backend.database.transaction() as session:
        person = await messages.next_to_mail(session, now - _TOGETHER)
        rows = await messages.to_mail(session, person, now, _MOST_IN_ONE) if person is not None else []
        if person is None or not rows:
            return False
        mail = MailRow(person_id=person, made_at=now, next_attempt_at=now)
        session.add(mail)
        await session.flush()
        for row in rows:
            row.mail_id = mail.id
    return True


async def _send(backend: Backend, mailer: Mailer, claimed: MailRow) -> None:
    """Hand one mail over, and write down what became of it, which is no matter of the others."""
    reason, for_good = None, False
    try:
        mail = await _written(backend, mailer, claimed)
        if mail is None:
            reason, for_good = "What it was to say holds no longer.", True
        else:
            await mailer.send(mail)
    except NotSentError as exc:
        reason, for_good = f"The mail server {exc}.", exc.for_good
    except DoganaError as exc:
        reason = exc.detail
    except Exception as exc:  # noqa: BLE001 - one mail that fails stops no other
        _log.exception("not mailed", mail=claimed.id)
        reason = f"A fault of the program, {type(exc).__name__}."
    async with backend.database.transaction() as session:
        row = await messages.mail(session, claimed.id)
        if row is None:
            return
        now, row.reason = backend.clock(), reason
        wait = None if for_good else again_after(row.attempts)
        if reason is None:
            row.sent_at = now
        elif wait is None:
            row.failed_at = now
        else:
            row.next_attempt_at = now + wait
        outcome = "sent" if reason is None else "given up" if row.failed_at else "failed"
        announce(session, "message")
    MAILS.labels(outcome).inc()


async def _written(backend: Backend, mailer: Mailer, mail: MailRow) -> EmailMessage | None:
    """A mail as it is handed over; None once nothing that it was to say holds any more."""
    async with backend.database.transaction() as session:
        rows = [row for row in await messages.of_mail(session, mail.id) if row.over_at is None]
        person = await people.person(session, mail.person_id)
    if not rows or person is None or person.disabled_at is not None:
        return None
    about = {row.promotion for row in rows}
    alone = len(about) == 1 and (None not in about or len(rows) == 1)
    asks = sorted({row.promotion for row in rows if row.promotion and Kind(row.kind) in ASKS})
    wanted = [one for one in about if one is not None] if alone else asks[:_MOST_ANSWERED]
    files = {one: await dossier(backend, actor_of(person, "mail"), one) for one in wanted}
    links = Links(
        address=backend.source,
        unsubscribe=_unsubscribe(backend, mail, rows),
        answers={
            one: await _answer_link(backend, mail, files[one])
            for one in asks
            if one in files and files[one].mine.by_mail
        },
        welcome=await _welcome(backend, mail) if any(_invites(row) for row in rows) else None,
    )
    thread = about.pop() if alone else None
    subject, lines = about_one(rows, files.get(thread or 0), links) if alone else gathered(rows, links)
    return mail_of(mail, person, subject, lines, links, mailer.sender, thread=thread)


async def _answer_link(backend: Backend, mail: MailRow, file: Dossier) -> str:
    """A new address at which one person may decide on one promotion as it is shown now, once."""
    token = secrets.token_urlsafe(32)
    row = AnswerLinkRow(
        digest=secret_digest(token),
        person_id=mail.person_id,
        promotion=file.row.number,
        shown=file.mine.shown.plain(),
        expires_at=backend.clock() + _ANSWERED_WITHIN,
    )
    async with backend.database.transaction() as session:
        session.add(row)
    return f"{backend.source}/answer#{token}"


def _invites(row: MessageRow) -> bool:
    return Kind(row.kind) is Kind.INVITATION


async def _welcome(backend: Backend, mail: MailRow) -> str:
    """A new address at which whoever gets the mail chooses a password; the one before is good no longer."""
    async with backend.database.transaction() as session:
        secret = await passwords.make_invitation(backend, session, mail.person_id)
    return f"{backend.source}/welcome#{secret}"


def _unsubscribe(backend: Backend, mail: MailRow, rows: Sequence[MessageRow]) -> str | None:
    """Where a mail program has these kinds mailed no more, with one click (RFC 8058)."""
    kinds = tuple(sorted({Kind(row.kind) for row in rows if not Kind(row.kind).always}))
    if not kinds:
        return None
    said = Unsubscribed(person=mail.person_id, kinds=kinds)
    try:
        sealed = backend.sealer.seal(said.model_dump_json(), UNSUBSCRIBE)
    except SealingError:
        return None
    return f"{backend.source}/api/unsubscribe/{base64.urlsafe_b64encode(sealed).decode()}"
