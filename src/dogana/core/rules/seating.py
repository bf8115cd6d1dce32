"""Who sits where: the seats of a policy's rules, filled as far as the standing approvals can fill them.

Distinct people across all rules: nobody reaches two seats, not through stand-ins either, and nobody who could
sit elsewhere keeps a seat from the only person left for it. Where seats are in order, that is an order in
time: an approval counts for a line if those before were full when it was given. What is only shown is filled
last, by whom the rules that hold have not taken.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from operator import attrgetter
from typing import Annotated, NamedTuple, Self

from pydantic import Field, model_validator

from dogana.core.decisions import Decision
from dogana.core.document import Document, Slug
from dogana.core.facts import Facts, Person
from dogana.core.people.matching import reachable, seat_people
from dogana.core.rules.base import Rule
from dogana.core.rules.case import Case
from dogana.core.rules.findings import Seat
from dogana.core.words import listed, spoken

_by_time = attrgetter("at")


class SeatLine(Document):
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

    def asked(self, facts: Facts) -> str:
        """Who is asked and how many of them, in words."""
        return self._as_many(self.label(facts))

    def admits(self, person: Person) -> bool:
        """Whether somebody belongs to those asked."""
        return self.group in person.groups if self.group is not None else person.id in self.people

    def summary(self) -> str:
        """Who and how many, in few words."""
        return self._as_many(spoken(self.group or listed(self.people, "or")))

    def _as_many(self, who: str) -> str:
        return f"{self.count} of {who}" if self.count > 1 else who


class Seats(Rule):
    """A rule that asks people to sit."""

    seats: tuple[SeatLine, ...] = Field(min_length=1, max_length=20)
    """The seats to fill; an empty list would ask for nothing and is refused."""
    let_requester_decide: bool = False
    """Weakens protection: the requester may take a seat."""
    let_authors_decide: bool = False
    """Weakens protection: somebody who wrote part of the change may take a seat."""
    in_order: bool = False
    """The seats of one line open only when those of the lines before are filled."""
    lasts: Annotated[timedelta, Field(gt=timedelta(0), le=timedelta(days=365))] | None = None
    """How long an approval counts; for good when left out."""

    def excluded(self, facts: Facts) -> frozenset[str] | None:
        """The people who may not decide on this promotion; None where it is not known who wrote it."""
        requester = frozenset[str]() if self.let_requester_decide else frozenset({facts.requester})
        if self.let_authors_decide:
            return requester
        return None if facts.author_ids is None else requester | facts.author_ids


@dataclass(frozen=True)
class _EmptySeat:
    """One seat before anybody sits: its rule, for whom it is, and how many lines come before it."""

    rule: Seats
    line: SeatLine
    number: int


@dataclass
class _Seating:
    """Who sits where for now. Seats are held by whom an approval is given for, each of them once."""

    taken: dict[int, str] = field(default_factory=dict)
    eligible: dict[str, list[int]] = field(default_factory=dict)
    given: dict[tuple[str, int], Decision] = field(default_factory=dict)
    """By whom it is for and the seat it could fill, the approval."""

    def parts(self) -> "_Parts":
        """Who sits, and for whom."""
        sitting = [self.given[who, n] for n, who in self.taken.items()]
        return _Parts(frozenset(one.person for one in sitting), frozenset(one.sits_for for one in sitting))


class _Parts(NamedTuple):
    """Who has a part in seats that are filled; each may have one part of a kind."""

    sitting: frozenset[str] = frozenset()
    sat_for: frozenset[str] = frozenset()

    def have(self, who: str, sits_for: str) -> bool:
        """Whether somebody sits already, or is sat for."""
        return who in self.sitting or sits_for in self.sat_for

    def __or__(self, other: "_Parts") -> "_Parts":
        return _Parts(self.sitting | other.sitting, self.sat_for | other.sat_for)


class _Room:
    """The seats of some rules about one promotion, and who could take which."""

    def __init__(self, case: Case, seats: Sequence[_EmptySeat]) -> None:
        self.facts = case.facts
        self.at = case.at
        self.seats = seats
        rules = {seat.rule.id: seat.rule for seat in seats}
        self._excluded = {name: rule.excluded(self.facts) for name, rule in rules.items()}
        # Lines that others wait for come first, so that they are full as soon as they can be.
        self._order = sorted(
            range(len(seats)), key=lambda n: (not seats[n].rule.in_order, seats[n].number, n)
        )

    def seats_for(self, who: str, stands_in_for: str, *, unread: bool = False) -> list[int]:
        """The seats somebody could take for somebody, perhaps themselves; neither may be excluded.

        Args:
            who: who would sit.
            stands_in_for: whose seat it is.
            unread: whether to count seats of which it is not known who is excluded.
        """
        person = self.facts.people_by_id.get(stands_in_for)
        if person is None or who not in self.facts.people_by_id:
            return []
        out = []
        for n in self._order:
            seat = self.seats[n]
            excluded = self._excluded[seat.rule.id]
            if excluded is None:
                excluded = frozenset({self.facts.requester}) if unread else None
            if excluded is None or who in excluded or person.id in excluded:
                continue
            if seat.line.admits(person):
                out.append(n)
        return out

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
            for n in self.seats_for(approval.person, approval.sits_for, unread=True)
            if (lasts := self.seats[n].rule.lasts) is None or self.at < approval.at + lasts
        ]

    def opened(self, taken: Mapping[int, str]) -> frozenset[int]:
        """The seats that somebody may sit in now: all, but for those whose turn has not come."""
        if not any(seat.rule.in_order for seat in self.seats):
            return frozenset(range(len(self.seats)))
        return frozenset(
            n
            for n, seat in enumerate(self.seats)
            if not seat.rule.in_order
            or all(
                m in taken
                for m, other in enumerate(self.seats)
                if other.rule is seat.rule and other.number < seat.number
            )
        )

    def seated(self, approvals: Iterable[Decision]) -> _Seating:
        """Seat some approvals, in the order in which they were given."""
        out = _Seating()
        for approval in sorted(approvals, key=_by_time):
            opened = self.opened({n: who for n, who in out.taken.items() if who != approval.sits_for})
            mine = [n for n in self.seats_by(approval) if n in opened]
            if not mine:
                continue
            holder = out.eligible.setdefault(approval.sits_for, [])
            for n in mine:
                if (approval.sits_for, n) not in out.given or approval.on_behalf_of is None:
                    out.given[approval.sits_for, n] = approval
                if n not in holder:
                    holder.append(n)
            out.taken = seat_people(out.eligible)
        return out

    def left_for(
        self, seating: _Seating, but: _Parts
    ) -> tuple[dict[int, list[str]], dict[int, dict[str, list[str]]], int]:
        """Who could still see to it that each free seat is filled, and how many of those can be at all.

        Args:
            seating: who sits.
            but: who has a part in another seat already.

        Returns:
            By free seat, who could in their own right, and who as a stand-in with for whom; somebody may have
            to move for them. Then how many seats would be free if all of them agreed.
        """
        own: dict[int, list[str]] = {}
        through: dict[int, dict[str, list[str]]] = {}
        opened, known = self.opened(seating.taken), dict[tuple[int, ...], frozenset[int]]()
        could: dict[str, list[int]] = {}

        def free(seats: list[int]) -> frozenset[int]:
            open_ = tuple(n for n in seats if n in opened)
            if open_ not in known:
                known[open_] = reachable(open_, seating.taken, seating.eligible)
            return known[open_]

        there = seating.parts() | but
        if len(seating.taken) == len(self.seats):
            return own, through, 0
        for person in self.facts.people:
            if not there.have(person.id, person.id):
                seats = self.seats_for(person.id, person.id)
                could[person.id] = seats
                for n in free(seats):
                    own.setdefault(n, []).append(person.id)
        for s in self.facts.stand_ins:
            if s.start <= self.at < s.end and not there.have(s.person, s.stands_in_for):
                seats = self.seats_for(s.person, s.stands_in_for)
                could[s.person] = [*could.get(s.person, ()), *seats]
                for n in free(seats):
                    through.setdefault(n, {}).setdefault(s.person, []).append(s.stands_in_for)
        filled = len(seat_people(seating.eligible | {f"{who} comes": seats for who, seats in could.items()}))
        return own, through, len(self.seats) - filled


@dataclass(frozen=True)
class Seated:
    """The seats of a policy, and how many of each rule's nobody is left for."""

    seats: tuple[Seat, ...]
    nobody_for: Mapping[str, int]


def seating(case: Case) -> Seated:
    """Every seat of the policy, filled as far as the standing approvals can fill them."""
    if "seating" not in case.kept:
        case.kept["seating"] = _seating(case)
    found: Seated = case.kept["seating"]
    return found


def _seating(case: Case) -> Seated:
    numbered = list(enumerate(_empty_seats(case)))
    seats: dict[int, Seat] = {}
    nobody: dict[str, int] = {}
    there = _Parts()
    for advisory in (False, True):
        part = [(n, seat) for n, seat in numbered if seat.rule.advisory is advisory]
        if not part:
            continue
        room = _Room(case, [seat for _, seat in part])
        free = [a for a in case.approvals if not there.have(a.person, a.sits_for)]
        best = room.seated(free)
        own, through, short = room.left_for(best, there)
        there |= best.parts()
        opened = room.opened(best.taken)
        for m, (n, seat) in enumerate(part):
            holder = best.taken.get(m)
            approval = best.given[holder, m] if holder is not None else None
            seats[n] = Seat(
                rule=seat.rule.id,
                number=n,
                label=seat.line.label(case.facts),
                taken_by=approval.person if approval else None,
                taken_for=approval.on_behalf_of if approval else None,
                taken_at=approval.at if approval else None,
                may_take=tuple(sorted(own.get(m, ()))),
                through={who: tuple(sorted(others)) for who, others in sorted(through.get(m, {}).items())},
                later=m not in opened,
            )
        if short:
            nobody |= dict.fromkeys((seat.rule.id for _, seat in part), short)
    return Seated(seats=tuple(seats[n] for n in sorted(seats)), nobody_for=nobody)


def _empty_seats(case: Case) -> list[_EmptySeat]:
    return [
        _EmptySeat(rule, line, number)
        for rule in case.rules
        if isinstance(rule, Seats) and rule.id not in case.waivers and case.concerned_by(rule)
        for number, line in enumerate(rule.seats)
        for _ in range(line.count)
    ]


def last_seated(case: Case) -> datetime | None:
    """When the last seat of the rules that hold was taken; None while one is open.

    Where there is none to take, the request is all the approval there is.
    """
    holding = {rule.id for rule in case.rules if not rule.advisory}
    seats = [seat for seat in seating(case).seats if seat.rule in holding]
    if any(seat.taken_at is None for seat in seats):
        return None
    return max(
        (seat.taken_at for seat in seats if seat.taken_at is not None), default=case.facts.requested_at
    )
