"""What a policy has watched, beside the traffic that past courses saw."""

from datetime import datetime, timedelta
from itertools import pairwise

from dogana.core.health.reach import out_of_reach
from dogana.core.policy.document import Policy
from dogana.core.rollout import ALL
from dogana.store import Session, courses

_LOOKED_BACK = timedelta(days=60)
_COURSES = 5


async def reach(session: Session, environment: str, policy: Policy, now: datetime) -> list[str]:
    """What of a policy's watches takes longer to be known than it gives them, or may never be; sentences."""
    watches, plan = policy.watches(), policy.quickest_plan()
    if plan is None or not watches:
        return []
    return out_of_reach(watches, plan, await _traffic(session, environment, now))


async def _traffic(session: Session, environment: str, now: datetime) -> dict[str, float]:
    """Requests a minute to both releases, by monitor, over the last courses there."""
    requests, minutes = dict[str, float](), dict[str, float]()
    for past in await courses.past(session, environment, now - _LOOKED_BACK, _COURSES):
        looks = await courses.looks(session, past.course.promotion)
        for before, after in pairwise(looks):
            span = (after.at - before.at).total_seconds() / 60 * before.share / ALL
            for name in before.known.keys() & after.known.keys():
                more = after.known[name].get("requests", 0) - before.known[name].get("requests", 0)
                requests[name] = requests.get(name, 0.0) + max(more, 0)
                minutes[name] = minutes.get(name, 0.0) + span
    return {name: requests[name] / minutes[name] for name in requests if minutes[name] > 0}
