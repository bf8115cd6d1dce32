"""`reviewers`: seats that distinct people must take; the requester and the authors are excluded."""

from collections import Counter
from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from dogana.core.decisions import Decision
from dogana.core.document import Document, Slug
from dogana.core.facts import Facts, Person
from dogana.core.people.matching import seat_people
from dogana.core.rules.base import Case, Evidence, Finding, Outcome, Rule, Seat
from dogana.core.rules.strictness import Difference, Order, lower, rank
from dogana.core.words import counted, lasting, listed, number, sentence, spoken, when


class Places(Document):
    """Seats of one sort: for a group or for named people."""

    group: Slug | None = None
    """Anybody of this group may take the seat."""
    people: tuple[Slug, ...] = Field(default=(), max_length=50)
    """Or one of these people."""
    count: int = Field(default=1, ge=1, le=20)
    """How many such seats, each for somebody else."""

    @model_validator(mode="after")
    def _for_somebody(self) -> Self:
        if (self.group is None) == (not self.people):
            raise ValueError("give a group or people, one of the two")
        return self

    def label(self, facts: Facts) -> str:
        """Who is asked, in words."""
        if self.group is not None:
            return facts.groups.get(self.group, self.group)
        return listed([facts.name_of(person) for person in self.people], "or")

    def admits(self, person: Person) -> bool:
        """Whether somebody belongs to those asked."""
        return self.group in person.groups if self.group is not None else person.id in self.people


class Reviewers(Rule):
    """Who must agree. Seats of the whole policy are taken by distinct people."""

    strictness = (
        rank("let_requester_decide", (True, False), "the requester may decide: {}"),
        rank("let_authors_decide", (True, False), "the authors may decide: {}"),
        rank("in_order", (False, True), "in order: {}"),
        lower("lasts", "an approval counts for {}"),
        rank("comment", ("optional", "required"), "a comment is {}"),
    )

    kind: Literal["reviewers"]
    seats: tuple[Places, ...] = Field(min_length=1, max_length=20)
    """The places to fill; an empty list would ask for nothing and is refused."""
    let_requester_decide: bool = False
    """Weakens protection: the requester may take a seat."""
    let_authors_decide: bool = False
    """Weakens protection: somebody who wrote part of the change may take a seat."""
    in_order: bool = False
    """The seats of one line open only when those of the lines before are filled."""
    lasts: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=365))] | None = None
    """How long an approval counts; for good when left out."""
    comment: Literal["optional", "required"] = "optional"
    """Whether an approval must say why."""

    def excluded(self, facts: Facts) -> frozenset[str]:
        """The people who may not decide on this promotion."""
        out: set[str] = set()
        if not self.let_requester_decide:
            out.add(facts.requester)
        if not self.let_authors_decide:
            out |= facts.author_ids
        return frozenset(out)

    def compared(self, other: Rule) -> list[Difference]:
        """By the seats too: stricter where every seat finds one of the other's that asks at least as much."""
        assert isinstance(other, Reviewers)
        out = super().compared(other)
        mine, yours = self._each(), other._each()  # noqa: SLF001
        at_least, at_most = _all_found(mine, yours), _all_found(yours, mine)
        if at_least and at_most:
            return out
        order = Order.STRICTER if at_least else Order.LAXER if at_most else Order.INCOMPARABLE
        words = f"needs {_counted(yours)} instead of {_counted(mine)}"
        return [*out, Difference(order, words)]

    def _each(self) -> list[Places]:
        return [places for places in self.seats for _ in range(places.count)]

    def inspect(self, case: Case) -> Finding:
        """Met when every seat of the rule is taken."""
        seats = [seat for seat in seating(case) if seat.rule == self.id]
        vacant = [seat for seat in seats if seat.taken_by is None]
        evidence = [
            Evidence(label=seat.label, value=_sitting(seat, case.facts)) for seat in seats if seat.taken_by
        ]
        evidence += _not_counted(self, case)
        if not vacant:
            names = listed([_sitting(seat, case.facts) for seat in seats])
            return self.finding(
                Outcome.MET,
                f"Approved by {names}.",
                evidence=evidence,
                seats=seats,
                holds_until=self._holds_until(seats),
            )
        asked = listed(list(dict.fromkeys(seat.label for seat in vacant)), "then" if self.in_order else "and")
        if len(seats) == 1:
            because = f"one seat is open: {asked}"
        elif len(vacant) == len(seats):
            because = f"{'both' if len(seats) == 2 else 'all ' + number(len(seats))} seats are open: {asked}"  # noqa: PLR2004
        else:
            verb = "is" if len(vacant) == 1 else "are"
            because = f"{number(len(vacant))} of {counted(len(seats), 'seat')} {verb} open: {asked}"
        left = [seat.label for seat in vacant if not (seat.may_take or seat.through or seat.later)]
        if left:
            nobody = listed(left)
            because += f". Nobody is left who may decide for {nobody}"
        return self.finding(
            Outcome.PENDING, sentence(because), settled_by="people", evidence=evidence, seats=seats
        )

    def _holds_until(self, seats: Sequence[Seat]) -> datetime | None:
        """When the first of the approvals that fill the seats has counted for long enough."""
        if self.lasts is None:
            return None
        return min(seat.taken_at + self.lasts for seat in seats if seat.taken_at is not None)


def _sitting(seat: Seat, facts: Facts) -> str:
    """`Ann Ash`, or `Ann Ash for Bo Birch`."""
    name = facts.name_of(seat.taken_by or "")
    return f"{name} for {facts.name_of(seat.taken_for)}" if seat.taken_for else name


def _counted(seats: Sequence[Places]) -> str:
    """`2 from security and 1 from desk`."""
    many = Counter(spoken(places.group or listed(places.people, "or")) for places in seats)
    return listed([f"{n} from {who}" for who, n in many.items()])


def _all_found(mine: Sequence[Places], yours: Sequence[Places]) -> bool:
    """Whether each seat finds another one of `yours` that admits nobody else."""
    narrower = {
        str(n): [m for m, other in enumerate(yours) if _narrower(other, seat)] for n, seat in enumerate(mine)
    }
    return len(seat_people(narrower)) == len(mine)


def _narrower(one: Places, other: Places) -> bool:
    """Whether whoever may take the first seat may take the other, as far as the policy alone tells."""
    if one.group is not None or other.group is not None:
        return one.group == other.group
    return set(one.people) <= set(other.people)


def _not_counted(rule: Reviewers, case: Case) -> list[Evidence]:
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
    if rule.lasts is not None:
        lines += [
            Evidence(
                label=f"{facts.name_of(a.person)}'s approval ended",
                value=f"given {when(a.at, case.zone)}, it counts for {lasting(rule.lasts)}",
            )
            for a in case.approvals
            if a.at + rule.lasts <= case.at
        ]
    barred = rule.excluded(facts)
    for person in facts.people:
        if person.id in barred and any(places.admits(person) for places in rule.seats):
            why = "who asked" if person.id == facts.requester else "who wrote part of it"
            lines.append(Evidence(label="May not decide", value=f"{person.name}, {why}"))
    return lines


@dataclass(frozen=True)
class _Place:
    """One seat before anybody sits: its rule, for whom it is, and how many lines come before it."""

    rule: Reviewers
    places: Places
    line: int


class _Room:
    """The seats of a policy about one promotion, and who could take which."""

    def __init__(self, case: Case) -> None:
        self.facts = case.facts
        self.at = case.at
        self.places = [
            _Place(rule, places, line)
            for rule in case.rules
            if isinstance(rule, Reviewers) and rule.id not in case.waivers and case.concerned_by(rule)
            for line, places in enumerate(rule.seats)
            for _ in range(places.count)
        ]
        self._excluded = {place.rule.id: place.rule.excluded(self.facts) for place in self.places}

    def seats_for(self, who: str, stands_in_for: str | None = None) -> list[int]:
        """The seats somebody could take, in their own right or for another; neither may be excluded."""
        person = self.facts.people_by_id.get(stands_in_for or who)
        if person is None or who not in self.facts.people_by_id:
            return []
        return [
            n
            for n, place in enumerate(self.places)
            if place.places.admits(person)
            and who not in (excluded := self._excluded[place.rule.id])
            and person.id not in excluded
        ]

    def seats_by(self, approval: Decision) -> list[int]:
        """The seats that an approval could fill now: inside a stand-in's dates, and while it counts."""
        if approval.on_behalf_of is not None and not any(
            (s.person, s.stands_in_for) == (approval.person, approval.on_behalf_of)
            and s.start <= approval.at < s.end
            for s in self.facts.stand_ins
        ):
            return []
        return [
            n
            for n in self.seats_for(approval.person, approval.on_behalf_of)
            if (lasts := self.places[n].rule.lasts) is None or self.at < approval.at + lasts
        ]

    def opened(self, taken: Mapping[int, str]) -> frozenset[int]:
        """The seats that somebody may sit in now: all, but for those whose turn has not come."""
        return frozenset(
            n
            for n, place in enumerate(self.places)
            if not place.rule.in_order
            or all(
                m in taken
                for m, other in enumerate(self.places)
                if other.rule is place.rule and other.line < place.line
            )
        )

    def left_for(
        self, free: Sequence[int], sitting: Container[str], sat_for: Container[str]
    ) -> tuple[dict[int, list[str]], dict[int, dict[str, list[str]]]]:
        """Who could still take each free seat in their own right, and who as a stand-in, with for whom."""
        own: dict[int, list[str]] = {n: [] for n in free}
        through: dict[int, dict[str, list[str]]] = {n: {} for n in free}
        if not free:
            return own, through
        for person in self.facts.people:
            if person.id not in sitting and person.id not in sat_for:
                for n in self.seats_for(person.id):
                    own.get(n, []).append(person.id)
        for s in self.facts.stand_ins:
            if s.start <= self.at < s.end and s.person not in sitting and s.stands_in_for not in sat_for:
                for n in self.seats_for(s.person, s.stands_in_for):
                    through.get(n, {}).setdefault(s.person, []).append(s.stands_in_for)
        return own, through


def seating(case: Case) -> list[Seat]:
    """Every seat of the policy, filled as far as the standing approvals can fill them.

    Distinct people across all rules: nobody reaches two seats, not through stand-ins either, and nobody who
    could sit elsewhere keeps a seat from the only person left for it. Where they are in order, a line opens
    once those before are full.
    """
    if "seating" not in case.kept:
        case.kept["seating"] = _seated(_Room(case), case)
    seats: list[Seat] = case.kept["seating"]
    return seats


def _seated(room: _Room, case: Case) -> list[Seat]:
    approved = {approval.person: approval for approval in case.approvals}
    eligible = {who: room.seats_by(approval) for who, approval in approved.items()}
    opened = room.opened({})
    while True:
        taken = seat_people({who: [n for n in mine if n in opened] for who, mine in eligible.items()})
        wider = opened | room.opened(taken)
        if wider == opened:
            break
        opened = wider
    free = [n for n in sorted(opened) if n not in taken]
    sitting = set(taken.values())
    own, through = room.left_for(free, sitting, {approved[who].sits_for for who in sitting})
    return [
        Seat(
            rule=place.rule.id,
            number=n,
            label=place.places.label(case.facts),
            taken_by=taken.get(n),
            taken_for=approved[taken[n]].on_behalf_of if n in taken else None,
            taken_at=approved[taken[n]].at if n in taken else None,
            may_take=tuple(sorted(own.get(n, ()))),
            through={who: tuple(sorted(others)) for who, others in sorted(through.get(n, {}).items())},
            later=n not in opened,
        )
        for n, place in enumerate(room.places)
    ]
