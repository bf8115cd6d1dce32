"""What somebody of ours is answered in a room: decisions as they were shown there, and what they ask."""

from datetime import datetime

from dogana.core.decisions import Shown
from dogana.core.errors import AwayError, ChangedSinceShownError, DoganaError, InvalidError, MovedOnError
from dogana.core.messages.commands import Command
from dogana.core.record.actions import Action
from dogana.core.words import when
from dogana.service.actor import ENGINE, Actor, actor_of
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.promotions import decisions
from dogana.service.promotions.lookup import found, what
from dogana.service.views import desk, dossier
from dogana.sources import Said
from dogana.store import chat, people
from dogana.store.tables.chat import ChatPostRow, ChatRoomRow
from dogana.store.tables.people import PersonRow

_MOST = 10


async def person_of(backend: Backend, sender: str) -> PersonRow | None:
    """Who somebody in the chat is here; None for nobody, and for who may not come in any more."""
    async with backend.database.transaction() as session:
        link = await chat.link(session, sender)
        person = await people.person(session, link.person_id) if link is not None else None
    return person if person is not None and person.disabled_at is None else None


async def answered(
    backend: Backend,
    person: PersonRow,
    said: Said,
    room: ChatRoomRow,
    post: ChatPostRow | None,
    command: Command,
) -> str:
    """Do what somebody asks, as them; gives what they are told.

    Raises:
        DoganaError: where it cannot be done; a decision that was refused is on record then.
    """
    actor = actor_of(person, "chat")
    if command.saying == "mine":
        return await _mine(backend, actor)
    number = command.number or (post.promotion if post is not None else None)
    if number is None:
        raise InvalidError("Answer to what stands here of a promotion, or name its number.")
    if not command.decides:
        return await _asked(backend, actor, number, command)
    async with backend.database.transaction() as session:
        shown = (await chat.posts(session, room.id, [number])).get(number)
    try:
        return await _decided(backend, actor, number, shown, said.at, command)
    except (InvalidError, AwayError):
        # Something is to be said first, or it is said once more.
        raise
    except DoganaError as exc:
        await _keep_refusal(backend, actor, number, exc)
        raise


async def _decided(
    backend: Backend, actor: Actor, number: int, post: ChatPostRow | None, at: datetime, command: Command
) -> str:
    """Decide on exactly what stood in the room when it was said."""
    if post is None:
        raise InvalidError(f"Promotion {number} does not stand in this room.")
    if post.shown is None:
        raise MovedOnError(f"Promotion {number} waits no longer.")
    if at <= post.posted_at:
        raise ChangedSinceShownError(
            "It has changed here since you read it. Look again, and say it once more."
        )
    shown = Shown.model_validate(post.shown)
    if command.saying == "approve":
        sheet = await decisions.approve(backend, actor, number, shown=shown, comment=command.words)
        return f"{actor.name} approved promotion {number}. {sheet.sentence}"
    await decisions.turn_back(backend, actor, number, shown=shown, comment=command.words)
    return f"{actor.name} turned back promotion {number}; who asked for it is told why."


async def _mine(backend: Backend, actor: Actor) -> str:
    rows = (await desk.desk(backend, actor)).rows
    mine = [row for row in rows if any(seat.yours and seat.taken_by is None for seat in row.seats)]
    if not mine:
        return "Nothing waits for you."
    lines = [
        f"{row.number}: {row.service.name} {row.version} into {row.target.name}. {row.sentence}"
        for row in mine
    ]
    return "\n".join(_first_of(lines))


def _first_of(lines: list[str]) -> list[str]:
    """As many as are read in a room, and how many more there are."""
    return lines[:_MOST] + ([f"And {len(lines) - _MOST} more."] if len(lines) > _MOST else [])


async def _asked(backend: Backend, actor: Actor, number: int, command: Command) -> str:
    file = await dossier.dossier(backend, actor, number)
    if command.saying == "why":
        stands = [
            f"{one.title}: {one.because}"
            for one in file.findings
            if one.outcome.stands_in_the_way and not one.advisory
        ]
        return "\n".join([file.row.sentence, *_first_of(stands)])
    start = file.row.first_start
    if start is None:
        return f"No start is in sight. {file.row.sentence}"
    first = "now" if start <= file.at else when(start, file.row.target.zone)
    return f"Time allows it {first}, once nothing else stands in its way. {file.row.sentence}"


async def _keep_refusal(backend: Backend, actor: Actor, number: int, exc: DoganaError) -> None:
    """Put on record that a word in somebody's name was refused; they are told of it."""
    async with backend.database.transaction() as session:
        promotion = await found(session, number)
        says = f"An answer by chat in the name of {actor.name}, to {what(promotion)}, was refused."
        record(
            session,
            ENGINE,
            Action.REFUSE_ANSWER,
            says,
            backend.clock(),
            promotion=promotion,
            reason=exc.detail,
            details={"person": actor.id},
        )
