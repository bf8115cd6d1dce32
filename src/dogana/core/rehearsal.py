"""Rehearsing a policy: what it would have made of promotions that were decided on long ago."""

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from dogana.core.decisions import Decisions, Shown
from dogana.core.document import Document, Instant
from dogana.core.facts import Facts
from dogana.core.inspect.engine import judge
from dogana.core.inspect.sheet import Verdict
from dogana.core.policy.document import Policy
from dogana.core.rules.base import Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Outcome
from dogana.core.strictness import Order, folded

Turn = Literal["as before", "newly held", "newly barred", "newly cleared"]
NOBODY = Decisions(made=())


@dataclass(frozen=True, kw_only=True)
class Past:
    """One promotion as it stood when it was let go, or ended without."""

    number: int
    at: datetime
    facts: Facts
    under: Policy | None
    """The policy it was held against; None where that is not known."""
    departed: bool
    badly: bool
    """Whether it was taken back after it had departed, or turned out bad once it had landed."""
    decisions: Decisions = NOBODY
    shown: Shown | None = None
    """What people were shown of these facts, as its sheet says; None where no rule to judge asks for it."""


class Replayed(Document):
    """What a policy would have made of it at the same instant."""

    number: int
    at: Instant
    turn: Turn
    badly: bool
    because: str = ""
    """Why it turned, where that was asked for."""
    delay: timedelta | None = None
    """How much later time alone would have let it go; None where people or facts were missing as well."""


class Draft:
    """A policy to hold the past against.

    What departed had met every rule of its day. A rule of the draft that asks for no more than the one of
    that day is not judged again: whatever a stricter rule lets in, a laxer one lets in. An approval given
    under the policy of that day, on the evidence it asked to be shown, counts as one given under the draft:
    what is asked is what the rules would have changed, not that approvals are bound to a version.
    """

    def __init__(self, policy: Policy) -> None:
        self.policy = policy
        self._anew: dict[str, tuple[Rule, ...]] = {}
        self._nothing_shown = Shown(artifacts=policy.digest, policy=policy.digest)

    def anew(self, under: Policy | None, *, departed: bool) -> tuple[Rule, ...]:
        """The rules to judge for what was held against a policy."""
        if under is None or not departed or under.zone != self.policy.zone:
            return self.policy.rules
        if under.digest not in self._anew:
            was = {rule.id: rule for rule in under.rules}
            stricter = {rule.id for rule in self.policy.rules if _asks_for_more(rule, was.get(rule.id))}
            # Seats are filled across all rules of reviewers; a slot must fit into what the others leave open.
            seats = any(rule.asks_people and rule.id in stricter for rule in self.policy.rules)
            self._anew[under.digest] = tuple(
                rule
                for rule in self.policy.rules
                if rule.id in stricter or (rule.asks_people and seats) or (rule.open_ahead() and stricter)
            )
        return self._anew[under.digest]

    def asks_people(self, under: Policy | None, *, departed: bool) -> bool:
        """Whether what people said and were shown matters to those rules."""
        anew = self.anew(under, departed=departed)
        return any(rule.asks_people or rule.waivable for rule in anew)

    def replayed(self, past: Past, *, explain: bool = True) -> Replayed:
        """Hold a past promotion against the draft: the same facts, the same words of the same people."""
        judged = judge(self._case(past), self.anew(past.under, departed=past.departed))
        turn = _turn(past, judged.verdict)
        if turn == "as before":
            return Replayed(number=past.number, at=past.at, turn=turn, badly=past.badly)
        in_the_way = [one for one in judged.findings if one.outcome.stands_in_the_way]
        by_time = turn == "newly held" and all(
            one.outcome is Outcome.PENDING and one.settled_by == "time" for one in in_the_way
        )
        ahead = judged.ahead_to_start() if by_time or explain else None
        first = ahead.first_start if ahead and by_time else None
        return Replayed(
            number=past.number,
            at=past.at,
            turn=turn,
            badly=past.badly,
            because=judged.sentence(ahead) if ahead and explain else "",
            delay=first - past.at if first else None,
        )

    def _case(self, past: Past) -> Case:
        shown, decisions = self._nothing_shown, past.decisions
        if past.shown is not None:
            bound = {"policy": self.policy.digest, "evidence": None}
            shown = past.shown.model_copy(update=bound)
            decisions = Decisions(
                made=tuple(
                    one.model_copy(update={"shown": one.shown.model_copy(update=bound)})
                    for one in decisions.made
                )
            )
        return Case(past.facts, decisions, shown, past.at, self.policy.rules, self.policy.zone)


def _asks_for_more(rule: Rule, was: Rule | None) -> bool:
    """Whether it may stop what another rule let in."""
    if was is None or type(rule) is not type(was):
        return True
    return rule != was and folded(was.compared(rule)) not in (Order.LAXER, Order.EQUAL)


def _turn(past: Past, verdict: Verdict) -> Turn:
    if past.departed and verdict is not Verdict.CLEARED:
        return "newly barred" if verdict is Verdict.BARRED else "newly held"
    return "newly cleared" if not past.departed and verdict is Verdict.CLEARED else "as before"


class Turned(Document):
    """How many took one turn."""

    turn: Turn
    count: int
    badly: int
    """How many of those went badly."""


class Rehearsal(Document):
    """What a policy would have changed over a stretch of the past."""

    of: int
    """How many promotions were looked at."""
    departed: int
    badly: int
    """How many of those went badly."""
    turns: tuple[Turned, ...]
    delays: tuple[int, ...]
    """Seconds by which time alone would have delayed those it stopped, as far as it alone would."""
    turned: tuple[Replayed, ...]
    """Those it would have decided otherwise and that are explained, the latest first."""


def rehearsal(pasts: Iterable[tuple[bool, bool]], turned: Sequence[Replayed], explained: int) -> Rehearsal:
    """Sum up.

    Args:
        pasts: of each promotion looked at, whether it departed and whether it ended badly.
        turned: those decided otherwise.
        explained: how many of these to name.
    """
    looked_at = Counter(pasts)
    counts = Counter((one.turn, one.badly) for one in turned)
    turns: tuple[Turn, ...] = ("newly held", "newly barred", "newly cleared")
    return Rehearsal(
        of=looked_at.total(),
        departed=sum(n for (departed, _), n in looked_at.items() if departed),
        badly=sum(n for (departed, badly), n in looked_at.items() if departed and badly),
        turns=tuple(
            Turned(turn=turn, count=counts[turn, True] + counts[turn, False], badly=counts[turn, True])
            for turn in turns
            if counts[turn, True] + counts[turn, False]
        ),
        delays=tuple(int(one.delay.total_seconds()) for one in turned if one.delay is not None),
        turned=tuple(sorted(turned, key=lambda one: one.at, reverse=True)[:explained]),
    )
