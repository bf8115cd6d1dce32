"""When somebody is told of what: their own choices, their groups', and what the house insists on."""

import base64
import binascii

from dogana.core.document import Document
from dogana.core.errors import InvalidError, NotFoundError, SealingError
from dogana.core.messages.choices import Choices, GroupChoices, Insisted, timing
from dogana.core.messages.kinds import Kind, Timing
from dogana.core.record.actions import Action
from dogana.core.words import listed
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.ledger.entries import record
from dogana.service.messages.recipients import HOUSE, chosen, of_group, of_person
from dogana.service.shapes import Named, View
from dogana.store import Session, messages, people
from dogana.store.tables.people import GroupRow

UNSUBSCRIBE = "unsubscribe"
"""What the secret of an unsubscribe address is sealed about."""


class KindView(View):
    """One kind of message as somebody is told of it."""

    kind: Kind
    chosen: Timing | None
    """What they chose; None where they did not."""
    otherwise: Timing
    """What holds where they choose nothing."""
    insisted: bool
    """Whether the house lets nobody choose never."""


class OwnChoices(View):
    """What somebody has chosen, and what would hold otherwise."""

    choices: Choices
    kinds: list[KindView]
    zone: str
    """What holds where they chose no zone."""
    mailed: bool
    """Whether mail is set up at all."""
    address: str
    """Where their mail goes."""


class HouseChoices(View):
    """What groups and the house have chosen."""

    insisted: Insisted
    groups: dict[str, GroupChoices]


class Unsubscribed(Document):
    """Who wants which kinds mailed no more."""

    person: str
    kinds: tuple[Kind, ...]


async def own(backend: Backend, actor: Actor) -> OwnChoices:
    """What the actor has chosen."""
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        found = await chosen(session, [actor.id], actor.groups)
        person = await people.person(session, actor.id)
    choices, groups = found.of(actor.id, actor.groups)
    return OwnChoices(
        choices=choices,
        kinds=[
            KindView(
                kind=kind,
                chosen=choices.mail.get(kind),
                otherwise=timing(kind, Choices(), groups, found.insisted),
                insisted=kind in found.insisted.kinds,
            )
            for kind in Kind
            if not kind.always
        ],
        zone=backend.zone,
        mailed=backend.mailer is not None,
        address=person.email if person else "",
    )


async def choose(backend: Backend, actor: Actor, wanted: Choices) -> None:
    """Keep what the actor chose.

    Raises:
        InvalidError: for never where the house insists.
    """
    actor.must(Right.OWN)
    async with backend.database.transaction() as session:
        await _must_not_insist(session, wanted)
        await messages.choose(session, of_person(actor.id), wanted.plain())


async def of_house(backend: Backend, actor: Actor) -> HouseChoices:
    """What groups and the house have chosen."""
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        found = await chosen(session, [], [group.id for group in await people.groups(session)])
    return HouseChoices(insisted=found.insisted, groups=found.groups)


async def insist(backend: Backend, actor: Actor, wanted: Insisted) -> None:
    """Have nobody choose never to be told of some kinds."""
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        await messages.choose(session, HOUSE, wanted.plain())
        kinds = listed([kind.value for kind in wanted.kinds]) or "nothing"
        says = f"{actor.name} had everybody told of {kinds}, whatever they choose."
        record(session, actor, Action.SET_MESSAGES, says, backend.clock(), details={"new": wanted.plain()})


async def choose_for_group(backend: Backend, actor: Actor, name: str, wanted: GroupChoices) -> Named:
    """Say what holds for members of a group who have not chosen themselves.

    Raises:
        NotFoundError: for no group.
    """
    actor.must(Right.ADMINISTER)
    async with backend.database.transaction() as session:
        group = await session.get(GroupRow, name)
        if group is None:
            raise NotFoundError(f"There is no group {name}.")
        await messages.choose(session, of_group(name), wanted.plain())
        says = f"{actor.name} set when {group.title} are told of what, where they have not chosen."
        details = {"group": name, "new": wanted.plain()}
        record(session, actor, Action.SET_MESSAGES, says, backend.clock(), details=details)
        return Named(id=group.id, name=group.title)


async def unsubscribe(backend: Backend, token: str) -> None:
    """Have somebody mailed no more of the kinds that one of their mails was of.

    What the house insists on is mailed all the same, as if they had not chosen.

    Raises:
        NotFoundError: for what is no such address of ours.
    """
    try:
        sealed = base64.urlsafe_b64decode(token.encode())
        said = Unsubscribed.model_validate_json(backend.sealer.open(sealed, UNSUBSCRIBE))
    except (SealingError, ValueError, binascii.Error) as exc:
        raise NotFoundError("This is no address to unsubscribe at.") from exc
    async with backend.database.transaction() as session:
        kept, _ = (await chosen(session, [said.person], [])).of(said.person, [])
        mail = {**kept.mail, **dict.fromkeys(said.kinds, "never")}
        await messages.choose(session, of_person(said.person), kept.model_copy(update={"mail": mail}).plain())


async def _must_not_insist(session: Session, wanted: Choices) -> None:
    insisted = (await chosen(session, [], [])).insisted
    faults = [
        (f"/mail/{kind}", "everybody is told of this here")
        for kind in insisted.kinds
        if wanted.mail.get(kind) == "never"
    ]
    if faults:
        raise InvalidError("Some of this is told to everybody here.", fields=faults)
