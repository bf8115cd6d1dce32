"""The policy in force: of one environment or of each, with what it inherits."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from dogana.core.errors import InvalidError
from dogana.core.facts import NextPolicy
from dogana.core.policy.document import Policy, policy_of
from dogana.core.policy.eras import Era, Version, eras, put_together, together
from dogana.core.policy.inheritance import HeirOfHeirError
from dogana.core.record.canonical import canonical
from dogana.store import Session, policies
from dogana.store.tables.landscape import EnvironmentRow
from dogana.store.tables.policies import PolicyRow


@dataclass(frozen=True, kw_only=True)
class InForce:
    """The policy in force in an environment."""

    row: PolicyRow
    policy: Policy
    """With what its baseline asks for."""
    baseline: PolicyRow | None = None
    """The version of that."""


async def in_force(session: Session, environment: EnvironmentRow, at: datetime) -> InForce:
    """The policy in force; that of its template in a preview.

    Raises:
        InvalidError: when the environment has none: nothing is let in where nothing is asked.
    """
    name = environment.made_from_id or environment.id
    holds = await found_in_force(session, name, at)
    if holds is None:
        raise none_in_force(name)
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
        raise none_in_force(heir.inherits)
    try:
        policy = put_together(baseline.document, row.document)
        return InForce(row=row, policy=policy, baseline=baseline)
    except HeirOfHeirError as exc:
        raise InvalidError(f"{exc}; nothing can enter {environment}.") from exc


async def heirs(session: Session, baseline: str, at: datetime) -> dict[str, Policy]:
    """The policies in force that inherit from that of an environment, as they are written."""
    rows = await policies.in_force_everywhere(session, at)
    return {row.environment_id: policy for row, policy in _inheriting(rows.values(), baseline)}


async def heirs_from(session: Session, baseline: str, at: datetime) -> list[tuple[PolicyRow, Policy]]:
    """The same from an instant on: with those that are yet to come into force."""
    return _inheriting(await policies.in_force_or_coming(session, at), baseline)


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


def version_of(row: PolicyRow) -> Version:
    """A version that was adopted.

    Raises:
        ValueError: for a draft.
    """
    if row.in_force_from is None:
        raise ValueError("a draft is not in force at any time")
    return Version(
        environment=row.environment_id, version=row.version, document=row.document, at=row.in_force_from
    )


async def next_policies(
    session: Session, holds: InForce, coming: Sequence[Version], now: datetime
) -> tuple[NextPolicy, ...] | None:
    """What holds after the policy in force, given every version that is yet to come; None for nothing."""
    environment = holds.row.environment_id
    rows = [holds.row] if holds.baseline is None else [holds.row, holds.baseline]
    in_force = {row.environment_id: version_of(row) for row in rows}
    coming = [one for one in coming if one.at > now]
    # One of its own may come to inherit from another class than this one does.
    for name in {one.inherits or environment for one in coming if one.environment == environment}:
        if name not in in_force and (row := await policies.in_force(session, name, now)) is not None:
            in_force[name] = version_of(row)
    concerned = [one for one in coming if one.environment in in_force]
    if not concerned:
        return None
    _, *following = eras(in_force, concerned)[environment]
    found = (
        NextPolicy(
            at=era.begun_by.at,
            environment=era.begun_by.environment,
            version=era.begun_by.version,
            document=canonical(era.policy).decode(),
        )
        for era in following
    )
    return tuple(found) or None


async def eras_of_each(session: Session, now: datetime) -> dict[str, list[Era]]:
    """What holds in each environment from now on."""
    rows = await policies.in_force_everywhere(session, now)
    coming = map(version_of, await policies.coming(session, now))
    return eras({name: version_of(row) for name, row in rows.items()}, coming)


def in_force_of_each(rows: Mapping[str, PolicyRow]) -> dict[str, Policy]:
    """The policies of these versions, each with what its baseline among them asks for."""
    return together({name: version_of(row) for name, row in rows.items()})


def none_in_force(environment: str) -> InvalidError:
    """What is said where nothing is asked."""
    return InvalidError(f"No policy is in force in {environment} yet; nothing can enter it.")
