"""Since which version a rule asks for what it does, and who adopted that; and which policy comes next."""

from collections.abc import Sequence
from datetime import datetime
from itertools import takewhile

from dogana.core.policy.document import policy_of
from dogana.core.rules.base import Rule
from dogana.service.promotions.grounds import Grounds
from dogana.service.shapes import named
from dogana.service.views.findings import ComingPolicy, RuleOrigin
from dogana.store import Session, policies
from dogana.store.tables.policies import PolicyRow


async def rule_origins(
    session: Session, grounds: Grounds, at: datetime, names: dict[str, str]
) -> dict[str, RuleOrigin]:
    """Of each rule that was inspected against at an instant, the baseline's too, by the rule's id."""
    row, heir = grounds.policy_row, policy_of(grounds.policy_row.document)
    own = {rule.id for rule in heir.rules}
    since = {heir.inherits or row.environment_id: at} | {row.environment_id: row.in_force_from or at}
    history = {
        environment: _up_to(await policies.versions(session, environment), until)
        for environment, until in since.items()
    }
    out = {}
    for rule in grounds.policy.rules:
        environment = row.environment_id if rule.id in own or heir.inherits is None else heir.inherits
        origin = _origin(rule, history[environment], names)
        if origin is not None:
            out[rule.id] = origin
    return out


def coming_policy(grounds: Grounds, now: datetime, baseline: str | None) -> ComingPolicy | None:
    """The next policy that holds by itself for what waits, and what it would make of it as things are.

    Args:
        grounds: what it is inspected on.
        now: the instant.
        baseline: what the class of environments is called that its policy inherits from.
    """
    if not grounds.facts.next_policies:
        return None
    following = grounds.facts.next_policies[0]
    sheet = grounds.under(policy_of(following.document)).sheet(now)
    return ComingPolicy(
        version=following.version,
        baseline=None if following.environment == grounds.policy_row.environment_id else baseline,
        at=following.at,
        verdict=sheet.verdict,
        because=sheet.sentence,
    )


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
