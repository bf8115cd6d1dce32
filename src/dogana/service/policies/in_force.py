"""The policy in force: of one environment or of each, with what it inherits."""

from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache

from dogana.core.errors import InvalidError
from dogana.core.policy.document import Policy, policy_of
from dogana.core.policy.inheritance import inherited
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
        InvalidError: when its baseline has none.
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
    return InForce(row=row, policy=_inherited(baseline.document, row.document))


async def heirs(session: Session, baseline: str, at: datetime) -> dict[str, Policy]:
    """The policies in force that inherit from that of an environment, as they are written."""
    rows = await policies.in_force_everywhere(session, at)
    found = {name: policy_of(row.document) for name, row in rows.items()}
    return {name: policy for name, policy in found.items() if policy.inherits == baseline}


def in_force_of_each(rows: dict[str, PolicyRow]) -> dict[str, Policy]:
    """The policies of these versions, each with what its baseline among them asks for.

    Raises:
        InvalidError: when the baseline of one has none.
    """
    out = {}
    for name, row in rows.items():
        heir = policy_of(row.document)
        if heir.inherits is not None and heir.inherits not in rows:
            raise _none_in_force(heir.inherits)
        out[name] = heir if heir.inherits is None else _inherited(rows[heir.inherits].document, row.document)
    return out


@lru_cache(maxsize=256)
def _inherited(baseline: str, heir: str) -> Policy:
    """Versions never change, so each pair is put together once."""
    return inherited(policy_of(baseline), policy_of(heir))


def _none_in_force(environment: str) -> InvalidError:
    return InvalidError(f"No policy is in force in {environment} yet; nothing can enter it.")
