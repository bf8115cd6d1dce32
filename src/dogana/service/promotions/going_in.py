"""The beginning of a course: what departs with a plan goes in step by step from then on."""

from typing import Any

from dogana.core.health import course
from dogana.core.health.course import CourseState
from dogana.core.health.watches import without_doubles
from dogana.core.record.actions import Action
from dogana.core.rollout import Plan
from dogana.core.rules.findings import Outcome
from dogana.service.actor import ENGINE
from dogana.service.ledger.entries import record
from dogana.service.promotions.grounds import Grounds
from dogana.store import Session, courses
from dogana.store.tables.courses import CourseRow
from dogana.store.tables.promotions import PromotionRow


async def begin(session: Session, row: PromotionRow, grounds: Grounds) -> None:
    """Begin the course of a locked promotion that departs, watched as the policy says that lets it go."""
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
