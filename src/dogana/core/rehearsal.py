"""Rehearsing a policy: what it would have made of promotions that were decided on long ago."""

from collections.abc import Sequence
from datetime import timedelta
from typing import Literal

from dogana.core.decisions import Decisions, Shown
from dogana.core.document import Document, Instant
from dogana.core.facts import Facts
from dogana.core.inspect.engine import judge, shown_under
from dogana.core.inspect.sheet import Verdict
from dogana.core.policy.document import Policy
from dogana.core.rules.base import Outcome

Turn = Literal["as before", "newly held", "newly barred", "newly cleared"]


class Past(Document):
    """One promotion as it stood when it was let go, or ended without."""

    number: int
    at: Instant
    facts: Facts
    decisions: Decisions
    shown: Shown
    """What people were shown of these facts, as its sheet says."""
    departed: bool
    badly: bool
    """Whether it was rolled back after it had departed."""


class Replayed(Document):
    """What a policy would have made of it at the same instant."""

    number: int
    at: Instant
    turn: Turn
    badly: bool
    because: str
    delay: timedelta | None
    """How much later time alone would have let it go; None where people or facts were missing as well."""


def replayed(policy: Policy, past: Past) -> Replayed:
    """Hold a past promotion against a policy, with the same facts and the same words of the same people.

    An approval given under the policy of that day counts as one given under this policy: what is asked is
    what the rules would have changed, not that approvals are bound to a version.
    """
    shown = shown_under(policy, past.facts, past.shown)
    judged = judge(policy, past.facts, _as_if_shown(past.decisions, shown), shown, past.at)
    cleared = judged.verdict is Verdict.CLEARED
    turn: Turn = "as before"
    if past.departed and not cleared:
        turn = "newly barred" if judged.verdict is Verdict.BARRED else "newly held"
    elif not past.departed and cleared:
        turn = "newly cleared"
    if turn == "as before":
        return Replayed(number=past.number, at=past.at, turn=turn, badly=past.badly, because="", delay=None)
    in_the_way = [one for one in judged.findings if one.outcome.stands_in_the_way]
    by_time = all(one.outcome is Outcome.PENDING and one.settled_by == "time" for one in in_the_way)
    ahead = judged.ahead()
    first = ahead.first_start
    delay = first - past.at if turn == "newly held" and by_time and first is not None else None
    because = judged.sentence(ahead)
    return Replayed(number=past.number, at=past.at, turn=turn, badly=past.badly, because=because, delay=delay)


def _as_if_shown(decisions: Decisions, shown: Shown) -> Decisions:
    bound = {"policy": shown.policy, "evidence": shown.evidence}
    return Decisions(
        made=tuple(
            one.model_copy(update={"shown": one.shown.model_copy(update=bound)}) for one in decisions.made
        )
    )


class Rehearsal(Document):
    """What a policy would have changed over a stretch of the past."""

    of: int
    """How many promotions were looked at."""
    departed: int
    badly: int
    """How many of those were rolled back."""
    turned: tuple[Replayed, ...]
    """Those it would have decided otherwise, the latest first."""


def rehearsal(pasts: Sequence[Past], outcomes: Sequence[Replayed]) -> Rehearsal:
    """Sum up; one outcome for each past promotion."""
    turned = [one for one in outcomes if one.turn != "as before"]
    return Rehearsal(
        of=len(pasts),
        departed=sum(past.departed for past in pasts),
        badly=sum(past.badly for past in pasts),
        turned=tuple(sorted(turned, key=lambda one: one.at, reverse=True)),
    )
