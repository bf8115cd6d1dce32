"""The people and groups of the scenario. All of them are made up."""

from dataclasses import dataclass

from dogana.service.actor import Actor, Role, rights_of

PASSWORD = "corvale-demo"  # noqa: S105 - printed by the demo for everybody
DOMAIN = "corvale.example"

GROUPS = {
    "release-desk": "release desk",
    "control-room": "control room",
    "security": "security",
    "data-protection": "data protection",
    "test-leads": "test leads",
    "field-operations": "field operations",
}


@dataclass(frozen=True, kw_only=True)
class Member:
    """Somebody of the cast."""

    id: str
    name: str
    roles: tuple[Role, ...]
    groups: tuple[str, ...] = ()
    machine: bool = False

    @property
    def email(self) -> str:
        """Their address."""
        return f"{self.id}@{DOMAIN}"


CAST = (
    Member(id="ilse", name="Ilse Brandt", roles=(Role.APPROVER,), groups=("release-desk",)),
    Member(id="tomas", name="Tomás Quiroga", roles=(Role.APPROVER,), groups=("release-desk", "control-room")),
    Member(id="adaeze", name="Adaeze Nwosu", roles=(Role.APPROVER,), groups=("control-room",)),
    Member(id="priya", name="Priya Raman", roles=(Role.APPROVER,), groups=("security", "data-protection")),
    Member(id="henrik", name="Henrik Solberg", roles=(Role.APPROVER,), groups=("test-leads",)),
    Member(id="yuki", name="Yuki Tanabe", roles=(Role.APPROVER,), groups=("test-leads", "field-operations")),
    Member(id="farida", name="Farida Aziz", roles=(Role.APPROVER,), groups=("data-protection",)),
    Member(id="joel", name="Joel Fraser", roles=(Role.APPROVER,), groups=("field-operations",)),
    Member(id="marco", name="Marco Bellandi", roles=(Role.POLICY_OWNER,)),
    Member(id="chiara", name="Chiara Fontana", roles=(Role.POLICY_OWNER,)),
    Member(id="noor", name="Noor Haddad", roles=(Role.REQUESTER,)),
    Member(id="sam", name="Sam Okafor", roles=(Role.REQUESTER,)),
    Member(id="lena", name="Lena Vasquez", roles=(Role.REQUESTER,)),
    Member(id="mikkel", name="Mikkel Aho", roles=(Role.REQUESTER,)),
    Member(id="wanjiru", name="Wanjiru Kamau", roles=(Role.AUDITOR,)),
    Member(id="dario", name="Dario Conti", roles=(Role.ADMINISTRATOR,)),
    Member(id="pipeline", name="Delivery pipeline", roles=(Role.REQUESTER,), machine=True),
    Member(id="capacity", name="Capacity check", roles=(Role.REQUESTER,), machine=True),
)
ENGINEERS = ("noor", "sam", "lena", "mikkel")
ACTORS = {
    member.id: Actor(
        id=member.id,
        name=member.name,
        rights=rights_of(list(member.roles)),
        channel="API" if member.machine else "desk",
        groups=frozenset(member.groups),
    )
    for member in CAST
}
