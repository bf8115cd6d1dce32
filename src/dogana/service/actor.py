"""Who may do what: one table from roles and scopes to rights."""

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Literal

from dogana.core.errors import ForbiddenError
from dogana.core.words import listed
from dogana.store.tables.people import PersonRow

Channel = Literal["desk", "API", "mail", "chat", "engine", "timetable"]


class Right(StrEnum):
    """Something one may be allowed to do."""

    READ = "read"
    REQUEST = "request"
    DECIDE = "decide"
    DEPLOY = "deploy"
    WRITE_POLICY = "write policy"
    ADOPT_POLICY = "adopt policy"
    ADMINISTER = "administer"
    SUBSCRIBE = "subscribe"
    PROVISION = "provision"
    """What the directory does, and nobody else: no role has it."""
    COMMENT = "comment"
    OWN = "own"
    """What is one's own: stand-ins, filters, tokens, sessions. No token has it."""


class Role(StrEnum):
    """What somebody is here for."""

    APPROVER = "approver"
    POLICY_OWNER = "policy owner"
    REQUESTER = "requester"
    AUDITOR = "auditor"
    ADMINISTRATOR = "administrator"


_EVERYBODY = frozenset({Right.READ, Right.SUBSCRIBE, Right.OWN})

RIGHTS: dict[Role, frozenset[Right]] = {
    Role.APPROVER: _EVERYBODY | {Right.COMMENT, Right.REQUEST, Right.DECIDE, Right.DEPLOY},
    Role.POLICY_OWNER: _EVERYBODY | {Right.COMMENT, Right.WRITE_POLICY, Right.ADOPT_POLICY},
    Role.REQUESTER: _EVERYBODY | {Right.COMMENT, Right.REQUEST, Right.DEPLOY},
    Role.AUDITOR: _EVERYBODY,
    Role.ADMINISTRATOR: _EVERYBODY | {Right.COMMENT, Right.ADMINISTER},
}

SCOPES: dict[str, frozenset[Right]] = {
    "read": frozenset({Right.READ}),
    "request": frozenset({Right.READ, Right.COMMENT, Right.REQUEST}),
    "decide": frozenset({Right.READ, Right.COMMENT, Right.DECIDE}),
    "deploy": frozenset({Right.READ, Right.DEPLOY}),
    "feed": frozenset({Right.SUBSCRIBE}),
    "administer": frozenset({Right.READ, Right.ADMINISTER}),
}

TOKENS_MAY_NOT = "Only who has signed in may do this; no token may."

_REFUSALS = {
    Right.READ: "You may not read here.",
    Right.REQUEST: "You may not request promotions.",
    Right.DECIDE: "Only approvers decide on promotions.",
    Right.DEPLOY: "You may not report what is deployed.",
    Right.WRITE_POLICY: "Only policy owners write policies.",
    Right.ADOPT_POLICY: "Only policy owners adopt policies.",
    Right.ADMINISTER: "Only administrators may do this.",
    Right.COMMENT: "You read here, and write nothing.",
    Right.SUBSCRIBE: "This is no token for a calendar feed.",
    Right.PROVISION: "Only the directory may do this.",
    Right.OWN: TOKENS_MAY_NOT,
}


@dataclass(frozen=True, kw_only=True)
class SignIn:
    """How somebody showed who they are."""

    at: datetime | None
    """When; None where their directory did not say."""
    acr: str | None = None
    """The class of that, as the directory says (`acr`)."""
    directory: bool = False
    """Whether they did so at the directory."""


@dataclass(frozen=True, kw_only=True)
class Actor:
    """Who acts, and by which way."""

    id: str
    name: str
    rights: frozenset[Right]
    channel: Channel
    groups: frozenset[str] = frozenset()
    """For whom they sit."""
    token: int | None = None
    """Which of their tokens they came with; None at the desk."""
    services: frozenset[str] = frozenset()
    """The services that this token is for; every one where empty."""
    environments: frozenset[str] = frozenset()
    """The environments that this token is for; every one where empty."""
    sign_in: "SignIn | None" = None
    """How they showed who they are, where they came with a session."""

    def must(self, right: Right) -> None:
        """Let pass only who holds a right.

        Raises:
            ForbiddenError: in words fit for the person.
        """
        if right not in self.rights:
            raise ForbiddenError(_REFUSALS[right])

    @property
    def limited(self) -> bool:
        """Whether they came with a token for some services or environments alone."""
        return bool(self.services or self.environments)

    def must_reach(self, service: str | None = None, environment: str | None = None) -> None:
        """Let a token no further than it is for.

        Args:
            service: which service it is about; None where it is about none, or about all.
            environment: the same of an environment.

        Raises:
            ForbiddenError: naming what it is for.
        """
        for known, asked, what in (
            (self.services, service, "service"),
            (self.environments, environment, "environment"),
        ):
            if known and asked not in known:
                names = listed(sorted(known), "or")
                raise ForbiddenError(f"This token is for the {what} {names} alone.")


ENGINE = Actor(id="engine", name="Dogana", rights=frozenset(), channel="engine")

DIRECTORY = Actor(id="directory", name="The directory", rights=frozenset({Right.PROVISION}), channel="API")

TIMETABLE = Actor(id="engine", name="Dogana", rights=frozenset(), channel="timetable")


def actor_of(person: PersonRow, channel: Channel) -> Actor:
    """Somebody, with all that their roles allow and the groups they sit for."""
    groups = frozenset(group.id for group in person.groups)
    return Actor(
        id=person.id, name=person.name, rights=rights_of(person.roles), channel=channel, groups=groups
    )


def rights_of(roles: list[str]) -> frozenset[Right]:
    """What some roles come to together."""
    return frozenset(right for role in roles for right in RIGHTS[Role(role)])
