"""Where a rule comes from: since which version it asks for what it does, and who adopted that."""

from datetime import datetime
from itertools import takewhile

from dogana.core.policy.document import policy_of
from dogana.core.rules.base import Rule
from dogana.service.promotions.grounds import Grounds
from dogana.service.shapes import named
from dogana.service.views.findings import RuleOrigin
from dogana.store import Session, policies
from dogana.store.tables.policies import PolicyRow


async def rule_origins(session: Session, grounds: Grounds, names: dict[str, str]) -> dict[str, RuleOrigin]:
    """Of each rule that was inspected against, the baseline's too, by the rule's id."""
    row, heir = grounds.policy_row, policy_of(grounds.policy_row.document)
    own = {rule.id for rule in heir.rules}
    environments = {row.environment_id, heir.inherits or row.environment_id}
    history = {environment: await _up_to(session, environment, row) for environment in environments}
    out = {}
    for rule in grounds.policy.rules:
        environment = row.environment_id if rule.id in own or heir.inherits is None else heir.inherits
        origin = _origin(rule, history[environment], names)
        if origin is not None:
            out[rule.id] = origin
    return out


async def _up_to(session: Session, environment: str, row: PolicyRow) -> list[tuple[datetime, PolicyRow]]:
    """The versions that came into force up to one of them, newest first; of a baseline, all of them."""
    found = [(one.in_force_from, one) for one in await policies.versions(session, environment)]
    until = row.in_force_from if environment == row.environment_id else None
    return [(at, one) for at, one in found if at is not None and (until is None or at <= until)]


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
