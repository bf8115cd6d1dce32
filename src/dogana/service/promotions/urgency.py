"""Declaring a promotion urgent: by a person of the group that its policy names, with a reason."""

from dogana.core.errors import ConflictError, RefusedError
from dogana.core.inspect.sheet import Sheet
from dogana.core.record.actions import Action
from dogana.service.actor import Actor, Right
from dogana.service.backend import Backend
from dogana.service.preconditions import must_say
from dogana.service.promotions.inspection import record_on, settle
from dogana.service.promotions.lookup import what
from dogana.service.promotions.refreshing import pending


async def declare_urgent(backend: Backend, actor: Actor, number: int, *, reason: str) -> Sheet:
    """Let a promotion count as urgent from now on; approvals given before lapse.

    Raises:
        InvalidError: without a reason.
        RefusedError: for who asked for it or may have written part of it, and for whoever is not of the group
            that the policy names.
        ConflictError: when it is urgent already, or goes back or after.
        MovedOnError: when it waits no longer.
    """
    actor.must(Right.DECIDE)
    must_say(reason, "Say why it is urgent.", "/comment")
    async with pending(backend, number) as held:
        row, grounds = held.row, held.grounds
        group = grounds.policy.declares_urgent
        if group is None or group not in actor.groups:
            named = grounds.facts.groups.get(group, group) if group else "nobody"
            raise RefusedError(f"This policy lets {named} declare something urgent.")
        if actor.id == row.requester_id:
            raise RefusedError("You asked for it, so somebody else has to declare it urgent.")
        if grounds.may_have_part(actor.id):
            raise RefusedError("You may have written part of it, so somebody else has to declare it urgent.")
        if row.kind != "ordinary":
            raise ConflictError(f"Only what is ordinary is declared urgent; it is {row.kind}.")
        row.kind = "urgent"
        says = f"{actor.name} declared {what(row)} urgent."
        after = await held.anew()
        await record_on(after, actor, Action.DECLARE_URGENT, says, reason=reason)
        return await settle(after)
