"""Policies to begin with, so that nobody faces an empty page: open, two seats, guarded."""

import json
from collections.abc import Sequence
from typing import Literal

from dogana.core.errors import UnknownNameError
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.shapes import View
from dogana.store import landscape, people

StartName = Literal["open", "two-seats", "guarded"]

_SEATS = """\
rules:
  - id: two-seats
    kind: reviewers
    title: Two people agree
    seats:
      - group: {first}
      - group: {second}
  - id: same-bytes
    kind: sameness
    title: The bytes that were tested before
"""
_OPEN = """\
# Lets in what was built, and keeps a record of it. For where developers try things.
format: dogana.policy/1
title: {title}
zone: {zone}
rules:
  # A release is known by its bytes: the same version is never two things.
  - id: same-bytes
    kind: sameness
    title: The bytes that were tested before
"""
_TWO_SEATS = """\
# Two people who did not write it agree, one from each side. For where testers or customers are.
format: dogana.policy/1
title: {title}
zone: {zone}
"""
_GUARDED = """\
# Two people agree, within hours in which somebody is there to see it, after a day in the leg before.
# For live environments. Add freeze windows, tickets and monitors once their sources are set up.
format: dogana.policy/1
title: {title}
zone: {zone}
"""
_HOURS = """\
  - id: soak
    kind: soak
    title: A day in the leg before
    at_least: PT24H
  - id: hours
    kind: hours
    title: While somebody is there
    open:
      - days: [MO, TU, WE, TH]
        from: "09:00"
        until: "16:00"
"""
_DOCUMENTS: dict[StartName, str] = {
    "open": _OPEN,
    "two-seats": _TWO_SEATS + _SEATS,
    "guarded": _GUARDED + _SEATS + _HOURS,
}


class StartingPoint(View):
    """A policy to begin with."""

    name: StartName
    document: str
    """As YAML, for this environment."""


async def starting_points(
    backend: Backend, actor: Actor, environment: str, groups: Sequence[str]
) -> list[StartingPoint]:
    """Policies to begin with for an environment; those with seats once there is a group to take them.

    Args:
        backend: the database.
        actor: who asks.
        environment: for which one.
        groups: who takes the seats, in order; the first of all groups where none is named.

    Raises:
        UnknownNameError: for an unknown environment or group.
    """
    actor.must(Right.READ)
    async with backend.database.transaction() as session:
        target = await landscape.environment(session, environment)
        known = [one.id for one in await people.groups(session)]
    if target is None or target.removed_at is not None:
        raise UnknownNameError(f"There is no environment {environment}.")
    unknown = [name for name in groups if name not in known]
    if unknown:
        raise UnknownNameError(f"There is no group {unknown[0]}.", fields=[("/groups", "unknown")])
    seated = [*groups, *(one for one in known if one not in groups)]
    fits: tuple[StartName, ...] = tuple(_DOCUMENTS) if seated else ("open",)
    first, second = (seated * 2)[:2] if seated else ("", "")
    return [
        StartingPoint(
            name=name,
            document=_DOCUMENTS[name].format(
                # As JSON writes it, which YAML reads as it was meant whatever stands in it.
                title=json.dumps(f"{target.title}, {name.replace('-', ' ')}", ensure_ascii=False),
                zone=target.zone,
                first=first,
                second=first if len(groups) == 1 else second,
            ),
        )
        for name in fits
    ]
