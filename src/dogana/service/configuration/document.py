"""The set-up document: everything that administrators keep, with its secrets by reference."""

from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints

from dogana.core.document import Document, EnvironmentId, Slug
from dogana.core.messages.choices import GroupChoices, Insisted
from dogana.core.routes import Route
from dogana.service.chat.rooms import RoomAddress
from dogana.service.landscape.documents import Environment, Service
from dogana.service.people.members import Group, Member
from dogana.sources.settings import SourceKind

FORMAT: Literal["dogana.setup/1"] = "dogana.setup/1"
KEPT: Literal["kept"] = "kept"
SECRETS_IN = ("sources", "senders", "subscribers", "rooms")
"""The parts of which each may hold a secret, as `secret`."""
_Name = Annotated[str, Field(min_length=1, max_length=80)]


class FromEnvironment(Document):
    """A secret that stands in a variable where the document is applied from."""

    from_env: Annotated[str, StringConstraints(pattern=r"^[A-Za-z_][A-Za-z0-9_]*$", max_length=200)]


class FromFile(Document):
    """A secret that stands in a file where the document is applied from, without the newline at its end."""

    from_file: Annotated[str, StringConstraints(min_length=1, max_length=500)]


Literally = Annotated[str, StringConstraints(max_length=65536, pattern=r"^[^\x00]*$")]
Kept = Literal["kept"]
"""The secret that is there stays, `KEPT`."""
_Sent = Annotated[dict[Literal["is"], Literally], Field(min_length=1)]
Secret = Kept | FromEnvironment | FromFile | _Sent
"""As written: kept, or where it stands. As sent: `{is: ...}`, once the sender has looked there."""


class Source(Document):
    """An outside system that facts are read from."""

    kind: SourceKind
    title: _Name
    settings: dict[str, Any]
    secret: Secret | None = None
    """What authenticates us; none when left out."""


class Sender(Document):
    """A system that sends events, and as which machine."""

    title: _Name
    person: Slug
    binary: bool = False
    secret: Secret = KEPT
    """What signs its events; made and told once where there is none yet."""


class Subscriber(Document):
    """A system that is told of what happens."""

    title: _Name
    address: Annotated[str, StringConstraints(pattern=r"^https?://[^\s]+$", max_length=500)]
    actions: tuple[Annotated[str, Field(max_length=80)], ...] = Field(default=(), max_length=100)
    """The kinds of entry that it is told of; all where empty."""
    secret: Secret = KEPT
    """What signs the events sent to it; made and told once where there is none yet."""


class Room(Document):
    """A room that is told of promotions: of the chat, or an address of the web that is posted to."""

    title: _Name
    address: RoomAddress
    service: Slug | None = None
    environment: EnvironmentId | None = None
    secret: Secret = KEPT
    """What signs what is posted to an address; made and told once where there is none yet."""


class Value(Document):
    """A sealed value of a service, for one environment or for all that have none of their own."""

    service: Slug
    environment: Slug | None = None
    name: Annotated[str, StringConstraints(pattern=r"^[A-Za-z_][A-Za-z0-9_]{0,99}$")]
    value: Secret


class Setup(Document):
    """What an installation is made of. What a document does not name is left as it is."""

    format: Literal["dogana.setup/1"] = FORMAT
    groups: dict[Slug, Group] = Field(default={}, max_length=200)
    people: dict[Slug, Member] = Field(default={}, max_length=5000)
    environments: dict[Slug, Environment] = Field(default={}, max_length=500)
    routes: dict[Slug, Route] = Field(default={}, max_length=200)
    services: dict[Slug, Service] = Field(default={}, max_length=5000)
    sources: dict[Slug, Source] = Field(default={}, max_length=200)
    senders: dict[Slug, Sender] = Field(default={}, max_length=200)
    subscribers: dict[Slug, Subscriber] = Field(default={}, max_length=200)
    rooms: dict[Slug, Room] = Field(default={}, max_length=200)
    group_messages: dict[Slug, GroupChoices] = Field(default={}, max_length=200)
    """When members of a group are told of what, where they have not chosen themselves."""
    everybody: Insisted | None = None
    """What nobody may choose never to be told of; as it is when left out."""
    values: tuple[Value, ...] = Field(default=(), max_length=5000)


def without_secrets(document: Setup) -> dict[str, Any]:
    """A document in which every secret that was sent is kept: for its digest, and for whoever reads it."""
    plain: dict[str, Any] = document.plain()
    held = [
        *(plain.get(part, {}).values() for part in SECRETS_IN),
        plain.get("values", ()),
    ]
    for one in (one for part in held for one in part):
        for name in ("secret", "value"):
            if isinstance(one.get(name), dict):
                one[name] = KEPT
    return plain
