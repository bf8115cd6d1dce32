"""Asking outside checks about what comes in.

A check is asked by way of an entry, which the subscriber of its name is told of like of any other; it answers
with an event, which the sender of its name signs.
"""

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from dogana.core.facts import Facts
from dogana.core.inspect.sheet import Sheet
from dogana.core.record.actions import Action
from dogana.core.rules.findings import Outcome
from dogana.core.words import spoken
from dogana.service.actor import ENGINE, Actor
from dogana.service.ledger.entries import record
from dogana.service.promotions.grounds import Grounds
from dogana.service.promotions.lookup import what
from dogana.store import Session, exchange
from dogana.store.tables.checks import CheckRow
from dogana.store.tables.exchange import SenderRow
from dogana.store.tables.promotions import PromotionRow


async def ask_due(session: Session, row: PromotionRow, grounds: Grounds, sheet: Sheet) -> bool:
    """Ask the outside checks that have to be asked, or asked again; whether any was."""
    due = checks_due(grounds, sheet)
    await ask(session, ENGINE, row, grounds.facts, due, sheet.at)
    return bool(due)


def checks_due(grounds: Grounds, sheet: Sheet) -> list[str]:
    """The outside checks that have to be asked, or asked again, each once."""
    concerned = {one.rule for one in sheet.findings if one.outcome is not Outcome.NOT_APPLICABLE}
    due = [
        name
        for rule in grounds.policy.rules
        if (name := rule.outside_check()) is not None
        and rule.id in concerned
        and rule.asks_anew(grounds.facts, sheet.at)
    ]
    return list(dict.fromkeys(due))


async def ask(
    session: Session, actor: Actor, row: PromotionRow, facts: Facts, names: Iterable[str], at: datetime
) -> None:
    """Ask outside checks about a promotion; an entry each, which their subscribers are told."""
    for name in names:
        sender = await exchange.sender(session, name)
        says = f"{actor.name} asked {called(sender, name)} about {what(row)}."
        details = {"check": name} | _question(row, facts)
        entry = record(session, actor, Action.ASK_CHECK, says, at, promotion=row, details=details)
        await session.flush()
        session.add(
            CheckRow(entry_id=entry.id, promotion=row.number, name=name, about=facts.asked_about, asked_at=at)
        )
    await session.flush()


def _question(row: PromotionRow, facts: Facts) -> dict[str, Any]:
    """What a check has to know of a promotion, as an entry carries it."""
    plan = facts.plan.plain() if facts.plan is not None else None
    told = {
        "revision": row.release.revision,
        "route": facts.route,
        "kind": facts.kind,
        "artifacts": [one.identity() for one in facts.artifacts],
        "plan": plan,
        "replaces": facts.runs.get(facts.service),
    }
    return {key: value for key, value in told.items() if value is not None}


def called(sender: SenderRow | None, name: str) -> str:
    """What a check is called."""
    return sender.title if sender is not None else f"the {spoken(name)} check"
