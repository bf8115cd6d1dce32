"""What somebody was told, and what became of each of it."""

from typing import Literal

from dogana.core.document import Instant
from dogana.core.messages.kinds import Kind
from dogana.core.words import sentence, when
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.shapes import View
from dogana.store import messages
from dogana.store.tables.messages import MessageRow

Fate = Literal["sent", "waits", "tried", "failed", "not mailed"]


class ToldView(View):
    """One thing that somebody was told."""

    id: int
    kind: Kind
    about: str
    says: str
    path: str
    at: Instant
    over: str
    """Why it holds no longer; empty while it does."""
    fate: Fate
    fate_says: str


class ToldPage(View):
    """What somebody was told, the latest first."""

    told: list[ToldView]
    more: bool
    """Whether there is more before the last of these."""


async def told(backend: Backend, actor: Actor, *, before: int | None, limit: int) -> ToldPage:
    """What the actor was told, from before a message on."""
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        rows = await messages.told(session, actor.id, before, limit + 1)
    views = [_view(row, backend.zone, mailed=backend.mailer is not None) for row in rows[:limit]]
    return ToldPage(told=views, more=len(rows) > limit)


def _view(row: MessageRow, zone: str, *, mailed: bool) -> ToldView:
    fate, says = _fate(row, zone, mailed=mailed)
    return ToldView(
        id=row.id,
        kind=Kind(row.kind),
        about=row.about,
        says=row.says,
        path=row.path,
        at=row.at,
        over=row.over,
        fate=fate,
        fate_says=says,
    )


def _fate(row: MessageRow, zone: str, *, mailed: bool) -> tuple[Fate, str]:
    mail = row.mail
    if mail is None:
        return _unmailed(row, zone, mailed=mailed)
    if mail.sent_at is not None:
        return "sent", f"Mailed {when(mail.sent_at, zone)}."
    if mail.failed_at is not None:
        return "failed", sentence(mail.reason or "it could not be mailed")
    if mail.reason is not None:
        return "tried", f"{sentence(mail.reason)} Tried again {when(mail.next_attempt_at, zone)}."
    return "waits", "About to be mailed."


def _unmailed(row: MessageRow, zone: str, *, mailed: bool) -> tuple[Fate, str]:
    if row.due_at is None:
        return "not mailed", "Not mailed, as you chose or as is usual." if mailed else "No mail is set up."
    if row.over_at is not None:
        return "not mailed", "Not mailed: it was over before."
    return "waits", f"To be mailed {when(row.due_at, zone)}."
