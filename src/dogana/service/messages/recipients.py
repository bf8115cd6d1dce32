"""Who can be told something, and when each of them is."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from dogana.core.messages.choices import Choices, GroupChoices, Insisted, due, timing
from dogana.core.messages.kinds import Kind
from dogana.service.actor import Right, rights_of
from dogana.service.backend import Backend
from dogana.service.promotions.lookup import what
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
class Chosen:
    """What some people, their groups and the house have chosen."""

    own: dict[str, Choices]
    """By person, of those who have."""
    groups: dict[str, GroupChoices]
    """By group, of those for which something was chosen."""
    insisted: Insisted

    def of(self, person: str, groups: Iterable[str]) -> tuple[Choices, list[GroupChoices]]:
        """What holds for somebody of some groups: their own choices, and those of their groups."""
        theirs = [self.groups[group] for group in groups if group in self.groups]
        return self.own.get(person, Choices()), theirs


async def chosen(session: Session, persons: Iterable[str], groups: Iterable[str]) -> Chosen:
    """What some people, some groups and the house have chosen."""
    people_named = {of_person(one): one for one in persons}
    groups_named = {of_group(one): one for one in groups}
    kept = await messages.choices(session, [HOUSE, *people_named, *groups_named])
    return Chosen(
        own={one: Choices.model_validate(kept[name]) for name, one in people_named.items() if name in kept},
        groups={
            one: GroupChoices.model_validate(kept[name]) for name, one in groups_named.items() if name in kept
        },
        insisted=Insisted.model_validate(kept.get(HOUSE, {})),
    )


@dataclass(frozen=True, kw_only=True)
class Recipients:
    """Everybody who can be told something, with what they, their groups and the house have chosen."""

    people: dict[str, PersonRow]
    chosen: Chosen
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
        own, groups = self.chosen.of(person, [group.id for group in row.groups])
        how = timing(kind, own, groups, self.chosen.insisted)
        when = at if kind.always else due(how, own, self.zone, at)
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
    return Recipients(
        people={row.id: row for row in rows},
        chosen=await chosen(session, [row.id for row in rows], groups),
        zone=backend.zone,
        mailed=backend.mailer is not None,
    )


def all_but(names: Iterable[str | None], *others: str | None) -> list[str]:
    """Some people once each, without others, by id."""
    return sorted({name for name in names if name is not None} - set(others))
