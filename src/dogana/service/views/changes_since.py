"""What changed since somebody approved, from the documents that their entry names."""

import json
from collections.abc import Sequence

from dogana.core.changes_since import what_changed
from dogana.core.facts import Facts
from dogana.core.policy.difference import differences
from dogana.core.policy.document import policy_of
from dogana.service.actor import Actor
from dogana.service.promotions.grounds import Grounds
from dogana.store import Session, documents
from dogana.store.tables.ledger import EntryRow


async def since_approval(
    session: Session, course: Sequence[tuple[EntryRow, int | None]], actor: Actor, grounds: Grounds
) -> list[str]:
    """Each thing that differs from what an actor's last approval was given on; none without one."""
    approvals = [row for row, _ in course if row.action == "approve" and row.actor_id == actor.id]
    on: dict[str, str] = json.loads(approvals[-1].body).get("on", {}) if approvals else {}
    facts, policy = on.get("facts", ""), on.get("policy", "")
    known, made = await documents.facts(session, {facts}), await documents.texts(session, {policy})
    out = []
    if facts in known:
        out += what_changed(Facts.model_validate_json(known[facts]), grounds.facts, grounds.policy.zone)
    if policy in made:
        out += [f"The policy: {said}" for said in differences(policy_of(made[policy]), grounds.policy)]
    return out
