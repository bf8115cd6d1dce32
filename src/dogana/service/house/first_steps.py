"""What comes first in a new installation, in the order in which it must be done; it ticks itself."""

from typing import Literal

from dogana.service.actor import Actor, Right, rights_of
from dogana.service.backend import Backend
from dogana.service.house import processes
from dogana.service.house.readiness import key_fault
from dogana.service.shapes import Named, View
from dogana.store import house, landscape, people, policies, sources

StepName = Literal[
    "keys",
    "worker",
    "environments",
    "route",
    "service",
    "groups",
    "people",
    "policy",
    "source",
    "token",
]


class FirstStep(View):
    """One of them."""

    name: StepName
    done: bool
    missing: list[Named]
    """Of what it is still to be done, where it is to be done for several."""


class FirstSteps(View):
    """All of them in order."""

    under_way: bool
    """Whether they are left to do: nothing was ever asked for, and something is not done."""
    steps: list[FirstStep]


async def first_steps(backend: Backend, actor: Actor, *, whole: bool = True) -> FirstSteps:
    """What is done and what is left; nothing where that is over, unless the whole is asked for."""
    actor.must(Right.READ)
    now = backend.clock()
    async with backend.database.transaction() as session:
        asked = await house.anything_asked_for(session)
    if asked and not whole:
        return FirstSteps(under_way=False, steps=[])
    works = any(one.kind == "worker" and one.alive for one in await processes.running(backend))
    async with backend.database.transaction() as session:
        keys = await key_fault(session, backend.keyring) is None
        environments = [one for one in await landscape.environments(session) if one.departs != "never"]
        routes = await landscape.routes(session)
        on_route = {leg.environment_id for route in routes for leg in route.legs}
        guarded = await policies.in_force_everywhere(session, now)
        open_still = [one for one in environments if one.id in on_route and one.id not in guarded]
        everybody = [one for one in await people.people(session) if one.disabled_at is None]
        deciding = [one for one in everybody if Right.DECIDE in rights_of(one.roles) and one.groups]
        writing = [one for one in everybody if Right.ADOPT_POLICY in rights_of(one.roles)]
        can_ask = any(
            "request" in one.scopes and one.revoked_at is None and one.expires_at > now
            for one in await people.tokens(session)
        )
        done: dict[StepName, bool] = {
            "keys": keys,
            "worker": works,
            "environments": bool(environments),
            "route": bool(routes),
            "service": bool(await landscape.services(session)),
            "groups": bool(await people.groups(session)),
            # One decides; one writes policies, which another adopts.
            "people": bool(deciding) and len(writing) > 1,
            "policy": bool(on_route) and not open_still,
            "source": bool(await sources.sources(session)),
            "token": can_ask,
        }
    missing = [Named(id=one.id, name=one.title) for one in open_still]
    steps = [
        FirstStep(name=name, done=done[name], missing=missing if name == "policy" else []) for name in done
    ]
    return FirstSteps(under_way=not asked and not all(step.done for step in steps), steps=steps)
