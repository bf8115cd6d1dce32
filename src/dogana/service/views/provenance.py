"""Since which version a rule asks for what it does, and who adopted that; and which policy comes next."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from itertools import takewhile

from dogana.core.policy.document import policy_of
from dogana.core.rules.base import Rule
from dogana.service.policies.in_force import eras
from dogana.service.promotions.grounds import Grounds
from dogana.service.shapes import named
from dogana.service.views.findings import ComingPolicy, RuleOrigin
from dogana.store import Session, policies
from dogana.store.tables.policies import PolicyRow

Versions = Mapping[str, Sequence[PolicyRow]]
"""Those of an environment's policy and of its baseline, newest first."""


async def versions_behind(session: Session, grounds: Grounds) -> Versions:
    """Every version of the policy that a promotion is inspected against, and of its baseline."""
    row = grounds.policy_row
    environments = {row.environment_id, policy_of(row.document).inherits or row.environment_id}
    return {environment: await policies.versions(session, environment) for environment in environments}


def rule_origins(
    versions: Versions, grounds: Grounds, at: datetime, names: dict[str, str]
) -> dict[str, RuleOrigin]:
    """Of each rule that was inspected against at an instant, the baseline's too, by the rule's id."""
    row, heir = grounds.policy_row, policy_of(grounds.policy_row.document)
    own = {rule.id for rule in heir.rules}
    until = dict.fromkeys(versions, at) | {row.environment_id: row.in_force_from or at}
    history = {environment: _up_to(versions[environment], until[environment]) for environment in versions}
    out = {}
    for rule in grounds.policy.rules:
        environment = row.environment_id if rule.id in own or heir.inherits is None else heir.inherits
        origin = _origin(rule, history[environment], names)
        if origin is not None:
            out[rule.id] = origin
    return out


def coming_policy(
    versions: Versions, grounds: Grounds, now: datetime, baseline: str | None
) -> ComingPolicy | None:
    """The next policy that holds by itself for what waits, and what it would make of it as things are.

    Args:
        versions: of its policy, and of what that inherits from.
        grounds: what it is inspected on.
        now: the instant.
        baseline: what that is called.
    """
    row = grounds.policy_row
    in_force = {name: begun[0][1] for name, found in versions.items() if (begun := _up_to(found, now))}
    coming = sorted(
        (one for found in versions.values() for one in found if _begins(one, now)),
        key=lambda one: (one.in_force_from or now, one.version),
    )
    _, *following = eras(in_force | {row.environment_id: row}, coming)[row.environment_id]
    if not following:
        return None
    era, sheet = following[0], grounds.under(following[0].policy).sheet(now)
    return ComingPolicy(
        version=era.begun_by.version,
        baseline=None if era.begun_by.environment_id == row.environment_id else baseline,
        at=era.start or now,
        verdict=sheet.verdict,
        because=sheet.sentence,
    )


def _begins(row: PolicyRow, now: datetime) -> bool:
    return not row.started and row.in_force_from is not None and row.in_force_from > now


def _up_to(versions: Sequence[PolicyRow], until: datetime) -> list[tuple[datetime, PolicyRow]]:
    """The versions that had come into force by an instant, the last first."""
    found = [(one.in_force_from, one) for one in versions]
    begun = [(at, one) for at, one in found if at is not None and at <= until]
    return sorted(begun, key=lambda one: (one[0], one[1].version), reverse=True)


def _origin(
    rule: Rule, versions: list[tuple[datetime, PolicyRow]], names: dict[str, str]
) -> RuleOrigin | None:
    asking = list(takewhile(lambda one: rule in policy_of(one[1].document).rules, versions))
    if not asking:
        return None
    at, first = asking[-1]
    return RuleOrigin(
        environment=first.environment_id,
        version=first.version,
        adopted_by=named(first.adopter_id or "", names),
        in_force_from=at,
    )
