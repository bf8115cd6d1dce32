"""What every use case is given: a database, the sources, a clock."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

import httpx

from dogana.clock import Clock
from dogana.core.document import Document, Slug
from dogana.core.errors import SealingError
from dogana.service.actor import Role
from dogana.service.coalescing import Batcher
from dogana.service.hashing import Hashing
from dogana.service.process_pool import BoundedPool
from dogana.service.sealing import Keyring
from dogana.sources import Chat, Directory, Mailer, Metrics, Repositories, Tracker
from dogana.store import Database
from dogana.store.tables.people import PersonRow


class Granted(Document):
    """What being in one of the directory's groups comes to here."""

    roles: tuple[Role, ...] = ()
    groups: tuple[Slug, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Passwords:
    """Who may sign in by a password."""

    closed: bool = False
    break_glass: str = ""
    """Who may all the same, by id; nobody where empty."""


@dataclass(frozen=True, kw_only=True)
class StepUp:
    """How fresh and how strong a sign-in has to be for what weighs most."""

    within: timedelta
    acr: str = ""
    """The class that it has to have at the directory (`acr`); any where empty."""


@dataclass(frozen=True, kw_only=True)
class Backend:
    """The outside of the use cases."""

    database: Database
    repositories: Repositories
    tracker: Tracker
    metrics: Metrics
    client: httpx.AsyncClient
    """For every other system that is asked or told over HTTP."""
    clock: Clock
    keyring: Keyring | None = None
    intake: Batcher[Any, Any] = field(default_factory=Batcher)
    """Promotions asked for at the same time are taken in together."""
    tokens: Batcher[Any, Any] = field(default_factory=Batcher)
    """Tokens shown at the same time are looked up together."""
    due: Batcher[Any, Any] = field(default_factory=Batcher)
    """What is to be asked about promotions that are due at the same time is read together."""
    answered: Batcher[Any, Any] = field(default_factory=Batcher)
    """That nothing is new about them is written together."""
    hashing: Hashing = field(default_factory=Hashing)
    pool: BoundedPool = field(default_factory=BoundedPool)
    """Where what others sent is read."""
    mailer: Mailer | None = None
    """What takes mail; None where mail is not set up."""
    chat: Chat | None = None
    """Rooms in which people talk; None where none is set up."""
    directory: Directory | None = None
    """Where people sign in; None where by passwords alone."""
    mapping: Mapping[str, Granted] = field(default_factory=dict)
    """What the directory's groups come to here; where there is none, roles and groups are set up here."""
    provisioning: str | None = None
    """The digest of the token with which the directory keeps people here; None where it does not."""
    passwords: Passwords = field(default_factory=Passwords)
    step_up: StepUp | None = None
    """What a sign-in has to be for waivers, adoption, roles and tokens; any will do where None."""
    zone: str = "UTC"
    """The IANA zone in which times are told that concern no one environment."""
    source: str = "/dogana"
    """What events that are sent name as where they come from."""
    refresh: float = 60.0
    """Seconds after which the facts of what waits are read again."""

    def lets_in(self, person: PersonRow) -> bool:
        """Whether somebody could sign in: by a password that was set, or at the directory."""
        return self.knows(person) and person.disabled_at is None

    def knows(self, person: PersonRow) -> bool:
        """Whether somebody could sign in if they are not disabled."""
        return not person.machine and (bool(person.password_hash) or self.directory is not None)

    @property
    def sealer(self) -> Keyring:
        """What seals and opens secrets.

        Raises:
            SealingError: when no key is set up.
        """
        if self.keyring is None:
            raise SealingError
        return self.keyring
