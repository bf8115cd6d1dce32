"""The policy in force: of one environment or of each, with what it inherits."""

from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from itertools import groupby
from typing import NamedTuple

from dogana.core.errors import InvalidError
from dogana.core.policy.document import Policy, policy_of
from dogana.core.policy.inheritance import HeirOfHeirError, inherited
from dogana.store import Session, policies
from dogana.store.tables.landscape import EnvironmentRow
from dogana.store.tables.policies import PolicyRow


@dataclass(frozen=True, kw_only=True)
class InForce:
    """The policy in force in an environment."""

    row: PolicyRow
    policy: Policy
    """With what its baseline asks for."""


async def in_force(session: Session, environment: EnvironmentRow, at: datetime) -> InForce:
    """The policy in force; that of its template in a preview.

    Raises:
        InvalidError: when the environment has none: nothing is let in where nothing is asked.
    """
    name = environment.made_from_id or environment.id
    holds = await found_in_force(session, name, at)
    if holds is None:
        raise _none_in_force(name)
    return holds


async def found_in_force(session: Session, environment: str, at: datetime) -> InForce | None:
    """The policy in force in an environment; None where there is none.

    Raises:
        InvalidError: when its baseline has none, or inherits itself.
    """
    rows = await policies.in_force_and_inherited(session, environment, at)
    if rows is None:
        return None
    row, baseline = rows
    heir = policy_of(row.document)
    if heir.inherits is None:
        return InForce(row=row, policy=heir)
    if baseline is None:
        raise _none_in_force(heir.inherits)
    try:
        return InForce(row=row, policy=_inherited(baseline.document, row.document))
    except HeirOfHeirError as exc:
        raise InvalidError(f"{exc}; nothing can enter {environment}.") from exc


async def heirs(session: Session, baseline: str, at: datetime) -> dict[str, Policy]:
    """The policies in force that inherit from that of an environment, as they are written."""
    rows = await policies.in_force_everywhere(session, at)
    return {row.environment_id: policy for row, policy in _inheriting(rows.values(), baseline)}


async def heirs_from(session: Session, baseline: str, at: datetime) -> list[tuple[PolicyRow, Policy]]:
    """The same from an instant on: with those that are yet to come into force."""
    in_force = await policies.in_force_everywhere(session, at)
    return _inheriting((*in_force.values(), *await policies.coming(session, at)), baseline)


def _inheriting(rows: Iterable[PolicyRow], baseline: str) -> list[tuple[PolicyRow, Policy]]:
    found = [(row, policy_of(row.document)) for row in rows]
    return [(row, policy) for row, policy in found if policy.inherits == baseline]


def next_of(coming: Iterable[PolicyRow]) -> dict[str, PolicyRow]:
    """Of the versions that are yet to come into force, in that order, the next of each environment."""
    out: dict[str, PolicyRow] = {}
    for row in coming:
        first = out.setdefault(row.environment_id, row)
        if row.in_force_from == first.in_force_from:
            # Of two that come at one instant the later one holds.
            out[row.environment_id] = row
    return out


class Era(NamedTuple):
    """How long a policy holds in an environment as things are: until the next era begins."""

    start: datetime | None
    """None for what holds already."""
    policy: Policy
    """With what its baseline asks for then."""
    begun_by: PolicyRow
    """The version that comes into force with it: its own, or that of its baseline."""


def eras(in_force: Mapping[str, PolicyRow], coming: Iterable[PolicyRow]) -> dict[str, list[Era]]:
    """What holds in each environment from now on, given the versions that are yet to come into force."""
    held = dict(in_force)
    out = {name: [Era(None, policy, held[name])] for name, policy in in_force_of_each(held).items()}
    for at, begun in groupby(coming, lambda row: row.in_force_from):
        began = {row.environment_id: row for row in begun}
        held |= began
        for name, policy in in_force_of_each(held).items():
            so_far = out.setdefault(name, [])
            if not so_far or so_far[-1].policy != policy:
                by = began.get(name) or began[policy_of(held[name].document).inherits or name]
                so_far.append(Era(at, policy, by))
    return out


def in_force_of_each(rows: Mapping[str, PolicyRow]) -> dict[str, Policy]:
    """The policies of these versions, each with what its baseline among them asks for.

    One whose baseline has none, or inherits itself, is left out: nothing can enter there.
    """
    out = {}
    for name, row in rows.items():
        heir = policy_of(row.document)
        if heir.inherits is None:
            out[name] = heir
        elif heir.inherits in rows:
            with suppress(HeirOfHeirError):
                out[name] = _inherited(rows[heir.inherits].document, row.document)
    return out


@lru_cache(maxsize=256)
def _inherited(baseline: str, heir: str) -> Policy:
    """Versions never change, so each pair is put together once."""
    return inherited(policy_of(baseline), policy_of(heir))


def _none_in_force(environment: str) -> InvalidError:
    return InvalidError(f"No policy is in force in {environment} yet; nothing can enter it.")
