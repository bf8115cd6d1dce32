"""What begins with a departure: a course, and that somebody is asked how it is once it has landed."""

from typing import Any

from dogana.core.change import Change
from dogana.core.health import course
from dogana.core.health.course import CourseState
from dogana.core.health.watches import without_doubles
from dogana.core.record.actions import Action
from dogana.core.rollout import Plan
from dogana.core.rules.findings import Outcome
from dogana.service.actor import ENGINE
from dogana.service.ledger.entries import record
from dogana.service.promotions.grounds import Grounds
from dogana.store import Session, courses, sign_offs
from dogana.store.tables.courses import CourseRow
from dogana.store.tables.promotions import PromotionRow


def how_much(change: Change | None) -> dict[str, int] | None:
    """How much a change brings, to be shown wherever it landed; None where the change is not known."""
    if change is None:
        return None
    return {
        "commits": len(change.commits),
        "files": len(change.files),
        "tickets": len(change.ticket_keys),
    }


async def begin(session: Session, row: PromotionRow, grounds: Grounds) -> None:
    """Begin the course of a locked promotion that departs, watched as the policy says that lets it go.

    Whom that policy asks to confirm what has landed is asked, whatever a later one says.
    """
    row.brought = how_much(grounds.facts.change.value)
    asked = grounds.policy.sign_off
    if asked is not None:
        await sign_offs.ask(session, row.number, asked.group, asked.within)
    plan = Plan.model_validate(row.plan) if row.plan else None
    if plan is None or not plan.in_steps or row.departed_at is None:
        return
    at = row.departed_at
    findings = grounds.sheet(at).findings
    concerned = {one.rule for one in findings if one.outcome is not Outcome.NOT_APPLICABLE}
    watches = without_doubles(
        watch for rule in grounds.policy.rules if rule.id in concerned for watch in rule.watches()
    )
    session.add(
        CourseRow(
            promotion=row.number,
            plan=plan.plain(),
            watches=[watch.plain() for watch in watches],
            incumbent=grounds.facts.runs.get(row.service_id),
            state=written(course.begun(watches, at)),
            turn=0,
            look_at=at,
        )
    )
    first = plan.steps[0].share
    await courses.order(session, row.number, first, "The first step.", None, at)
    says = (
        f"{row.release.service.title} {row.release.version} begins with {first} % of {row.environment.title}."
    )
    details = {"share": str(first), "plan": plan.in_words()}
    record(session, ENGINE, Action.ORDER_SHARE, says, at, promotion=row, details=details)


def written(state: CourseState) -> dict[str, Any]:
    """As it is kept."""
    return state.model_dump(mode="json", exclude_defaults=True)
