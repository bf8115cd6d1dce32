"""`reviewers`: seats that distinct people must take; the requester and the authors are excluded."""

from collections import Counter
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Annotated, Literal

from pydantic import Field

from dogana.core.document import Document, Slug
from dogana.core.facts import Facts, in_the_future
from dogana.core.people.matching import seat_people
from dogana.core.rules.base import Age, Reference, Reminders, Rule, Way
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Evidence, Finding, Outcome, Seat
from dogana.core.rules.seating import SeatLine, Seats, seating
from dogana.core.strictness import Difference, Order, exempting, lower, rank
from dogana.core.words import are, counted, lasting, listed, number, sentence, spoken, when


class Escalation(Document):
    """Who is told of a seat that nobody takes."""

    after: Age
    """How long after the first was asked."""
    to: Slug
    """The group that is told."""


class ReviewersRule(Seats):
    """Who must agree. Seats of the whole policy are taken by distinct people."""

    heading = "Seats"
    asks_people = True

    strictness = (
        rank("let_requester_decide", (True, False), "the requester may decide: {}"),
        rank("let_authors_decide", (True, False), "the authors may decide: {}"),
        rank("in_order", (False, True), "in order: {}"),
        lower("lasts", "an approval counts for {}"),
        rank("comment", ("optional", "required"), "a comment is {}"),
        exempting("elsewhere", "seats may be taken by {} too"),
        lower("remind", "who is asked is reminded after {}"),
        lower("told_after", "others are told of an open seat after {}"),
    )

    kind: Literal["reviewers"]
    comment: Literal["optional", "required"] = "optional"
    """Whether an approval must say why."""
    ways: Annotated[tuple[Way, ...], Field(min_length=1, max_length=3)] | None = None
    """Where its seats may be taken; at the desk alone when left out. Every other way weakens protection."""
    remind: Age | None = None
    """After how long whoever is asked is reminded, and again after as long; never when left out."""
    escalate: Escalation | None = None
    """Who else is told of a seat that stays open; the seat never falls to anybody by that."""

    @property
    def elsewhere(self) -> frozenset[str]:
        """The ways beside the desk."""
        return frozenset(self.ways or ()) - {"desk"}

    @property
    def told_after(self) -> timedelta | None:
        """After how long others are told."""
        return self.escalate.after if self.escalate else None

    def differing(self, other: Rule) -> list[Difference]:
        """By the seats too: stricter where every seat finds one of the other's that asks at least as much."""
        if not isinstance(other, ReviewersRule):
            raise TypeError
        out = super().differing(other)
        mine, yours = self._each(), other._each()  # noqa: SLF001
        at_least, at_most = _all_found(mine, yours), _all_found(yours, mine)
        if self.in_order and other.in_order and at_least and at_most and not _same_order(self, other):
            return [*out, Difference(Order.INCOMPARABLE, "asks for its seats in another order")]
        if at_least and at_most:
            return out
        order = Order.STRICTER if at_least else Order.LAXER if at_most else Order.INCOMPARABLE
        words = f"needs {_counted(yours)} instead of {_counted(mine)}"
        return [*out, Difference(order, words)]

    def _each(self) -> list[SeatLine]:
        return [line for line in self.seats for _ in range(line.count)]

    def needs_comment(self) -> bool:
        """Where the policy says so."""
        return self.comment == "required"

    def refers_to(self) -> list[Reference]:
        """The groups and people of its seats too."""
        out = super().refers_to()
        for n, line in enumerate(self.seats):
            if line.group is not None:
                out.append(Reference("group", line.group, f"/seats/{n}/group"))
            out += [Reference("person", person, f"/seats/{n}/people") for person in line.people]
        if self.escalate is not None:
            out.append(Reference("group", self.escalate.to, "/escalate/to"))
        return out

    def may_be_taken(self, way: str) -> bool:
        """At the desk, and wherever else the policy lets seats be taken."""
        return super().may_be_taken(way) or way in self.elsewhere

    def reminds(self) -> Reminders:
        """As the policy says."""
        to = self.escalate.to if self.escalate else None
        return Reminders(every=self.remind, after=self.told_after, group=to)

    def summary(self) -> str:
        """Its settings in few words."""
        parts = [listed([one.summary() for one in self.seats], "then" if self.in_order else "and")]
        if self.lasts is not None:
            parts.append(f"for {lasting(self.lasts)}")
        if self.comment == "required":
            parts.append("with a comment")
        if self.let_requester_decide or self.let_authors_decide:
            parts.append("its requester or authors may sit")
        if self.elsewhere:
            parts.append(f"by {listed(sorted(self.elsewhere), 'or')} too")
        return ", ".join(parts)

    def inspect(self, case: Case) -> Finding:
        """Met when every seat of the rule is taken; unknown where it is not known who may not decide.

        Seats that are waived are nobody's, so it says what it asks for, and not how they are filled.
        """
        if self.id in case.waivers:
            asks = f"asks for {listed([line.asked(case.facts) for line in self.seats])}"
            return self.finding(Outcome.PENDING, sentence(asks), settled_by="people")
        room = seating(case)
        seats = [seat for seat in room.seats if seat.rule == self.id]
        vacant = [seat for seat in seats if seat.taken_by is None]
        evidence = [
            Evidence(label=seat.label, value=_sitting(seat, case.facts)) for seat in seats if seat.taken_by
        ]
        evidence += _not_counted(self, case)
        if self.excluded(case.facts) is None:
            unread = self.unknown(case.facts.change, "The change", case)
            because = f"{unread.because} So it is not known who wrote it, and may not decide."
            return unread.model_copy(
                update={"because": because, "evidence": (*unread.evidence, *evidence), "seats": tuple(seats)}
            )
        if not vacant:
            names = listed([_sitting(seat, case.facts) for seat in seats])
            return self.finding(
                Outcome.MET,
                f"Approved by {names}.",
                evidence=evidence,
                seats=seats,
                holds_until=self._holds_until(seats),
            )
        return self.finding(
            Outcome.PENDING,
            sentence(self._waits_for(seats, vacant, room.nobody_for.get(self.id, 0))),
            settled_by="people",
            evidence=evidence,
            seats=seats,
        )

    def _waits_for(self, seats: Sequence[Seat], vacant: Sequence[Seat], short: int) -> str:
        asked = listed(list(dict.fromkeys(seat.label for seat in vacant)), "then" if self.in_order else "and")
        if len(seats) == 1:
            because = f"one seat is open: {asked}"
        elif len(vacant) == len(seats):
            because = f"{'both' if len(seats) == 2 else 'all ' + number(len(seats))} seats are open: {asked}"  # noqa: PLR2004
        else:
            because = (
                f"{number(len(vacant))} of {counted(len(seats), 'seat')} {are(len(vacant))} open: {asked}"
            )
        left = [seat.label for seat in vacant if not (seat.may_take or seat.through or seat.later)]
        if left:
            return f"{because}. Nobody is left who may decide for {listed(list(dict.fromkeys(left)))}"
        if short:
            return f"{because}. There are not enough people left for them: {counted(short, 'seat')} too many"
        return because

    def _holds_until(self, seats: Sequence[Seat]) -> datetime | None:
        """When the first of the approvals that fill the seats has counted for long enough."""
        if self.lasts is None:
            return None
        return min(seat.taken_at + self.lasts for seat in seats if seat.taken_at is not None)


def _sitting(seat: Seat, facts: Facts) -> str:
    """`Ann Ash`, or `Ann Ash for Bo Birch`."""
    name = facts.name_of(seat.taken_by or "")
    return f"{name} for {facts.name_of(seat.taken_for)}" if seat.taken_for else name


def _counted(seats: Sequence[SeatLine]) -> str:
    """`2 from security and 1 from desk`."""
    many = Counter(spoken(line.group or listed(line.people, "or")) for line in seats)
    return listed([f"{n} from {who}" for who, n in many.items()])


def _all_found(mine: Sequence[SeatLine], yours: Sequence[SeatLine]) -> bool:
    """Whether each seat finds another one of `yours` that admits nobody else."""
    narrower = {
        str(n): [m for m, other in enumerate(yours) if _narrower(other, seat)] for n, seat in enumerate(mine)
    }
    return len(seat_people(narrower)) == len(mine)


def _same_order(mine: ReviewersRule, yours: ReviewersRule) -> bool:
    """Whether each line asks as many of the same as the line in its place."""
    return [(one.group, set(one.people), one.count) for one in mine.seats] == [
        (one.group, set(one.people), one.count) for one in yours.seats
    ]


def _narrower(one: SeatLine, other: SeatLine) -> bool:
    """Whether whoever may take the first seat may take the other, as far as the policy alone tells."""
    if one.group is not None or other.group is not None:
        return one.group == other.group
    return set(one.people) <= set(other.people)


def _not_counted(rule: ReviewersRule, case: Case) -> list[Evidence]:
    """Whose approval lapsed, and who of those asked may not decide."""
    facts = case.facts
    lines = [
        Evidence(
            label=f"{facts.name_of(a.person)}'s approval lapsed",
            value=f"{listed(case.changed_since(a))} changed since",
        )
        for a in case.decisions.approvals()
        if case.changed_since(a)
    ]
    lines += [
        Evidence(
            label=f"{facts.name_of(a.person)}'s approval does not count",
            value=f"dated {when(a.at, case.zone)}, which has not come yet",
        )
        for a in case.decisions.approvals()
        if in_the_future(a.at, case.at)
    ]
    if rule.lasts is not None:
        lines += [
            Evidence(
                label=f"{facts.name_of(a.person)}'s approval ended",
                value=f"given {when(a.at, case.zone)}, it counts for {lasting(rule.lasts)}",
            )
            for a in case.approvals
            if a.at + rule.lasts <= case.at
        ]
    barred = rule.excluded(facts) or frozenset()
    for person in facts.people:
        if person.id in barred and any(line.admits(person) for line in rule.seats):
            why = "who asked" if person.id == facts.requester else "who wrote part of it"
            lines.append(Evidence(label="May not decide", value=f"{person.name}, {why}"))
    return lines
