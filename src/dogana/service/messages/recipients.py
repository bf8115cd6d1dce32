"""Who can be told something, and when each of them is."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from dogana.core.messages.choices import Choices, GroupChoices, Insisted, due, timing
from dogana.core.messages.kinds import Kind
from dogana.service.actor import Right, rights_of
from dogana.service.backend import Backend
from dogana.service.promotions.inspection import what
from dogana.store import Session, messages, people
from dogana.store.tables.people import PersonRow
from dogana.store.tables.promotions import PromotionRow

HOUSE = "house"


def of_person(name: str) -> str:
    """Under which name a person's choices are kept."""
    return f"person/{name}"


def of_group(name: str) -> str:
    """Under which name a group's choices are kept."""
    return f"group/{name}"


@dataclass(frozen=True, kw_only=True)
class Recipients:
    """Everybody who can be told something, with what they, their groups and the house have chosen."""

    people: dict[str, PersonRow]
    choices: dict[str, dict[str, Any]]
    zone: str
    mailed: bool
    """Whether there is any mail; what was not mailed then is not mailed once there is."""

    def holding(self, right: Right) -> list[str]:
        """Who may do something, by id."""
        return [name for name, row in self.people.items() if right in rights_of(row.roles)]

    def of(self, group: str) -> list[str]:
        """Who belongs to a group."""
        return [name for name, row in self.people.items() if group in {one.id for one in row.groups}]

    def of_promotion(
        self, row: PromotionRow, person: str, kind: Kind, key: str, says: str, at: datetime
    ) -> dict[str, Any] | None:
        """The values of a message to somebody about a promotion; None for whoever cannot be told."""
        path = f"/promotion/{row.number}"
        return self.message(person, kind, key, about=what(row), says=says, at=at, path=path, promotion=row)

    def message(
        self,
        person: str,
        kind: Kind,
        key: str,
        *,
        about: str,
        says: str,
        at: datetime,
        path: str,
        promotion: PromotionRow | None = None,
    ) -> dict[str, Any] | None:
        """The values of a message to somebody; None for whoever cannot be told, a machine for example."""
        row = self.people.get(person)
        if row is None:
            return None
        own = Choices.model_validate(self.choices.get(of_person(person), {}))
        groups = [
            GroupChoices.model_validate(self.choices[of_group(group.id)])
            for group in row.groups
            if of_group(group.id) in self.choices
        ]
        insisted = Insisted.model_validate(self.choices.get(HOUSE, {}))
        when = at if kind.always else due(timing(kind, own, groups, insisted), own, self.zone, at)
        return {
            "person_id": person,
            "kind": kind.value,
            "key": key,
            "promotion": promotion.number if promotion else None,
            "path": path,
            "about": about,
            "says": says,
            "at": at,
            "due_at": when if self.mailed else None,
            "over": "",
        }


async def recipients(backend: Backend, session: Session) -> Recipients:
    """Everybody who can be told something now."""
    rows = [row for row in await people.people(session) if not row.machine and row.disabled_at is None]
    groups = {group.id for row in rows for group in row.groups}
    names = [HOUSE, *(of_person(row.id) for row in rows), *map(of_group, groups)]
    return Recipients(
        people={row.id: row for row in rows},
        choices=await messages.choices(session, names),
        zone=backend.zone,
        mailed=backend.mailer is not None,
    )


def all_but(names: Iterable[str | None], *others: str | None) -> list[str]:
    """Some people once each, without others, by id."""
    return sorted({name for name in names if name is not None} - set(others))
